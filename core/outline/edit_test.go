package outline

import (
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

func TestOneLetterApart(t *testing.T) {
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
		assert.Equal(t, want, OneLetterApart(pair[0], pair[1]), pair)
	}
}
