package naming

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestCopiesAreCalledSo(t *testing.T) {
	for name, of := range map[string]string{
		"plan (1).md": "plan.md", "plan (12)": "plan", "plan ().md": "", "plan (a).md": "",
		"Copy of plan.md": "plan.md", "copy of plan": "plan", "Copy of plan (2).md": "plan (2).md",
		"plan - Copy.md": "plan.md", "plan - Copy (2).md": "plan.md", "plan copy 3.md": "plan.md",
		"plan_copy": "plan", "plan-copy.md": "plan.md", "plan (copy).md": "plan.md",
		"Plan Kopie.md": "Plan.md", "Plan Kopie 2": "Plan", "Plan - Kopie (3).md": "Plan.md", "Kopie von Plan.md": "Plan.md",
		"plan.md": "", "plan 2.md": "", " copy": "", "copy.md": "", "(1).md": "",
	} {
		assert.Equal(t, of, CopyOf(name), name)
	}
}
