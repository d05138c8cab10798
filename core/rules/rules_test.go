package rules

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/template"
	"vestibula/core/tree"
)

// judge returns the findings of a template as lines.
func judge(t *testing.T, text string) []string {
	t.Helper()
	tpl, err := template.Parse("t", text, nil)
	require.NoError(t, err)
	set, errs := Configure(tpl)
	require.Empty(t, errs)
	x, err := tpl.Tree(tpl.Sample(nil, time.Time{}), 200_000)
	require.NoError(t, err)
	var lines []string
	for _, f := range set.Check(x.Root) {
		line := fmt.Sprintf("%s %s %d %s: %s", f.Severity, f.Rule, f.Line, f.Path, f.Message)
		if f.More > 0 {
			line += fmt.Sprintf(" +%d", f.More)
		}
		lines = append(lines, line)
	}
	return lines
}

func rulesHeader(s string) string { return "---\nrules: {" + s + "}\n---\n" }

func TestFindings(t *testing.T) {
	tests := map[string]struct {
		text string
		want []string // the beginnings of the findings
	}{
		"nothing":          {"A\n    B\n        C\n", nil},
		"depth":            {rulesHeader("depth: 2") + "A\n    B\n        C\n        d.txt\n        E\n            F", []string{"error depth 6 A/B/C: “C” lies 3 folders deep; at most 2", "error depth 8 A/B/E: "}},
		"depth unasked":    {strings.Join([]string{"a/b/c/d/e/f/g/h/i"}, ""), []string{"warning depth 1 a/b/c/d/e/f/g/h/i: "}},
		"width":            {rulesHeader("width: 2") + "A\n    <x> | each: x in 1..3\n    f.txt", []string{"error width 2 : `width: 2` and line 5 contradict each other: that line alone makes 3 folders"}},
		"off":              {rulesHeader("width: 2, depth: off, systems: off") + "A\n    CON\n        B/C/D\n", nil},
		"off, said else":   {rulesHeader("depth: no, systems: false, vague-names: yes, unseen: true") + "A\n    CON\n        B/C/D/E/F/G/H/I/J/Misc\n", []string{"warning vague-names 6"}},
		"same name":        {"A\nA", []string{"error same-name 2 A: “A” would be made twice in one place (see line 1)"}},
		"case":             {"Straße\nSTRASSE", []string{"error same-name 2 STRASSE: “Straße” and “STRASSE” differ only in capitals"}},
		"normal form":      {"caf\u00e9\ncafe\u0301", []string{"error same-name 2"}},
		"two values":       {"<x> | each: x in a, A", []string{"error same-name 1 A"}},
		"device":           {"con\nAUX.d/\nCOM¹\nLpt9.txt | blank\nconsole\nCOM10", []string{"error systems 1", "error systems 2", "error systems 3", "error systems 4"}},
		"final dot":        {"A.\nB", []string{"error systems 1 A.: “A.” ends in a dot"}},
		"web":              {rulesHeader("systems: [web]") + "my site\nca-fé\nfine-2", []string{"warning systems 4 my site: “my site” holds a space", "warning systems 5"}},
		"long on Linux":    {strings.Repeat("é", 127), nil},
		"told once a line": {"CON <x> | each: x in 1..3\nNUL | each: x in 1..3", []string{"error same-name 2 NUL: “NUL” would be made twice in one place +1", "error systems 2 NUL: “NUL” cannot exist on Windows: NUL is the name of a device there +2"}},
		"open slots":       {"---\nfields: {a: Which?}\n---\n<a>", nil},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			got := judge(t, tt.text)
			require.Len(t, got, len(tt.want), "%q", got)
			for i := range got {
				assert.Contains(t, got[i], tt.want[i])
			}
		})
	}
}

func TestSettingsThatCannotBe(t *testing.T) {
	for setting, want := range map[string]string{
		"deph: 3": `there is no rule "deph" (did you mean depth?)`, "depth: x": "`depth` needs a whole number", "depth: 0": "`depth` needs a whole number",
		"width: [1]": "`width` needs a whole number", "systems: [windos]": "`systems` knows no system \"windos\"; did you mean windows?", "systems: {a: b}": "`systems` needs a list",
	} {
		tpl, err := template.Parse("t", rulesHeader(setting)+"A", nil)
		require.NoError(t, err)
		_, errs := Configure(tpl)
		if assert.Len(t, errs, 1, setting) {
			assert.Contains(t, errs[0].Error(), want)
			assert.Equal(t, 2, errs[0].Line)
		}
	}
}

func TestFoldedTakesForTheSameWhatSystemsDo(t *testing.T) {
	for _, same := range [][2]string{{"ABC", "abc"}, {"\u00c5", "A\u030a"}, {"ς", "Σ"}} {
		assert.Equal(t, tree.Folded(same[0]), tree.Folded(same[1]))
	}
	assert.NotEqual(t, tree.Folded("a b"), tree.Folded("a  b"))
}
