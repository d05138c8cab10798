package put

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/treetest"
)

func TestOlderVersionsAreSetAside(t *testing.T) {
	dir := filepath.ToSlash(t.TempDir())
	require.NoError(t, os.Mkdir(dir+"/In", 0o777))
	rows := VersionsIn(treetest.Of("offer v1.pdf", "offer v2.pdf", "offer v10.pdf", "offer.pdf", "alone 1.md", "In/a (1).md", "In/a (2).md", "Older/offer v0.pdf", "Older/offer v3.pdf"), dir, "Older")
	assert.ElementsMatch(t, []Versions{
		{Dir: dir, Newest: "offer v10.pdf", Others: []string{"offer v2.pdf", "offer v1.pdf"}, Unsaid: []string{"offer.pdf"}},
		{Dir: dir + "/In", Newest: "a (2).md", Others: []string{"a (1).md"}},
	}, rows)
	p := SetAside(rows, "Older")
	set, count := p.Set, len(p.Steps())
	assert.Equal(t, 3, count)
	assert.Equal(t, []address.Address{address.Address(filepath.FromSlash(dir))}, set.Places)
	var lines []string
	for _, c := range set.Changes {
		lines = append(lines, c.Op.String()+" "+c.From+" "+c.Path)
	}
	assert.ElementsMatch(t, []string{"make  Older", "move offer v2.pdf Older/offer v2.pdf", "move offer v1.pdf Older/offer v1.pdf", "make  In/Older", "move In/a (1).md In/Older/a (1).md"}, lines)
	p = SetAside(nil, "Older")
	set, count = p.Set, len(p.Steps())
	assert.Empty(t, set.Changes)
	assert.Zero(t, count)
}
