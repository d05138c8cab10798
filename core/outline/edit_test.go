package outline

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// A change of one name leaves every other byte as it was.
func TestAChangedNameLeavesTheRestAsItWas(t *testing.T) {
	text := "---\ntitle: x\n---\n// remark\nDesk\t | note:  two  blanks \r\n\n  A/B/   |each:  x in 1..2|  use: w\n  C.md | fill : a.md  \nw:\n  D\n"
	tests := []struct {
		line     int
		from, to string
	}{
		{5, "Desk", "Table"},
		{7, "A/B/", "A/B C/"},
		{8, "C.md", "<c>.md"},
		{10, "D", "D <#>"},
	}
	for _, tt := range tests {
		f, err := Parse(text)
		require.NoError(t, err)
		for _, l := range f.Lines {
			if l.Number == tt.line {
				require.Equal(t, tt.from, l.Name)
				l.Name = tt.to
			}
		}
		lines := strings.SplitAfter(text, "\n")
		lines[tt.line-1] = strings.Replace(lines[tt.line-1], tt.from, tt.to, 1)
		assert.Equal(t, strings.Join(lines, ""), f.String())
	}
}

// Each line lies in the nearest line above it that is indented less.
func TestNestingFollowsTheIndentation(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		depth := 0
		var indents []int
		var b strings.Builder
		for i := range rapid.IntRange(1, 25).Draw(t, "lines") {
			if i > 0 {
				depth = rapid.IntRange(0, min(depth+1, 8)).Draw(t, "depth")
			}
			indents = append(indents, depth)
			b.WriteString(strings.Repeat("\t", depth) + "x\n")
			if rapid.IntRange(0, 4).Draw(t, "blank") == 0 {
				b.WriteString(rapid.SampledFrom([]string{"\n", "   \n", "// remark\n"}).Draw(t, "between"))
			}
		}
		f, err := Parse(b.String())
		require.NoError(t, err, "%q", b.String())
		var got []int
		var walk func(lines []*Line, depth int)
		walk = func(lines []*Line, depth int) {
			for _, l := range lines {
				got = append(got, depth)
				assert.Equal(t, depth, l.Level)
				walk(l.Children, depth+1)
			}
		}
		walk(f.Entries, 0)
		assert.Equal(t, indents, got, "%q", b.String())
		assert.Equal(t, b.String(), f.String())
	})
}

func TestWordsThatCanNameFields(t *testing.T) {
	for word, want := range map[string]bool{
		"client": true, "file-ref": true, "a1": true, "größe": true, "имя": true, "a_b": true,
		"": false, "1a": false, "-a": false, "a b": false, "a.b": false, "#": false, "a/b": false,
	} {
		assert.Equal(t, want, IsWord(word), word)
	}
}

func TestOneSlip(t *testing.T) {
	for pair, want := range map[[2]string]bool{
		{"client", "clint"}:    true,
		{"client", "clients"}:  true,
		{"client", "cleint"}:   true,
		{"client", "clyent"}:   true,
		{"client", "client"}:   false,
		{"client", "customer"}: false,
		{"n", "m"}:             false,
		{"ab", "ac"}:           false,
	} {
		assert.Equal(t, want, OneSlip(pair[0], pair[1]), pair)
	}
}

// nesting is the text of a file as paths of names, with where each line stands.
func nesting(f *File) (lines []string) {
	var walk func(list []*Line, at string)
	walk = func(list []*Line, at string) {
		for _, l := range list {
			lines = append(lines, fmt.Sprintf("%d %s/%s", l.Number, at, l.Name))
			walk(l.Children, at+"/"+l.Name)
		}
	}
	walk(f.Entries, "")
	for _, p := range f.Parts {
		walk(p.Children, p.Name+":")
	}
	return lines
}

// Wherever a line is added, the text reads as the tree that it was added to, and every
// other line is as it was.
func TestAddedLinesStandWhereTheyWerePut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var b strings.Builder
		if rapid.Bool().Draw(t, "header") {
			b.WriteString("---\ntitle: x\n---\n")
		}
		end := rapid.SampledFrom([]string{"\n", "\r\n"}).Draw(t, "break")
		unit := rapid.SampledFrom([]string{"\t", "  ", "    "}).Draw(t, "unit")
		depth := 0
		for i := range rapid.IntRange(1, 12).Draw(t, "lines") {
			if i > 0 {
				depth = rapid.IntRange(0, depth+1).Draw(t, "depth")
			}
			if rapid.IntRange(0, 3).Draw(t, "remark") == 0 {
				b.WriteString(strings.Repeat(unit, depth) + "// remark" + end)
			}
			fmt.Fprintf(&b, "%sline %d%s%s", strings.Repeat(unit, depth), i, rapid.SampledFrom([]string{"", " | note: x", "  | when: y | note: a | b"}).Draw(t, "clauses"), end)
		}
		text := b.String()
		if rapid.Bool().Draw(t, "open end") {
			text = strings.TrimSuffix(text, end)
		}
		f, err := Parse(text)
		require.NoError(t, err, text)
		entries := slices.DeleteFunc(slices.Clone(f.Lines), func(l *Line) bool { return l.Kind != Entry })
		var parent, before *Line
		if i := rapid.IntRange(-1, len(entries)-1).Draw(t, "parent"); i >= 0 {
			parent = entries[i]
		}
		siblings := f.Entries
		if parent != nil {
			siblings = parent.Children
		}
		if i := rapid.IntRange(-1, len(siblings)-1).Draw(t, "before"); i >= 0 {
			before = siblings[i]
		}
		old := strings.SplitAfter(text, "\n")
		added := f.Add(parent, before, "new line")
		added.Set("note", "why")
		added.Set("when", "so")
		assert.Equal(t, "when", added.Clauses[0].Word, "a note is the last")
		again, err := Parse(f.String())
		require.NoError(t, err, f.String())
		assert.Equal(t, nesting(f), nesting(again), "%q", f.String())
		for i, l := range again.Lines {
			assert.Equal(t, f.Lines[i].Clauses, l.Clauses)
		}
		f.Remove(added)
		assert.Equal(t, strings.TrimRight(text, "\r\n"), strings.TrimRight(f.String(), "\r\n"))
		assert.Equal(t, len(old), len(strings.SplitAfter(text, "\n")))
	})
}

func TestClausesAreSet(t *testing.T) {
	f, err := Parse("A\n    B  | note: x\n    Longer name | holds: scan\n    C\n")
	require.NoError(t, err)
	lines := f.Entries[0].Children
	lines[0].Set("was", "Old")
	lines[1].Set("holds", "scan, sound")
	lines[2].Set("keep", "")
	assert.Equal(t, "A\n    B  | was: Old | note: x\n    Longer name | holds: scan, sound\n    C | keep\n", f.String())
	again, err := Parse(f.String())
	require.NoError(t, err)
	for i, l := range again.Lines {
		assert.Equal(t, f.Lines[i].Clauses, l.Clauses, "columns as they would be read")
	}
}
