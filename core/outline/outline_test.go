package outline

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// shape writes a tree of lines on one line: A(B C).
func shape(lines []*Line) string {
	var parts []string
	for _, l := range lines {
		s := l.Name
		if len(l.Children) > 0 {
			s += "(" + shape(l.Children) + ")"
		}
		parts = append(parts, s)
	}
	return strings.Join(parts, " ")
}

func TestLinesLieInsideTheLineTheyAreIndentedBelow(t *testing.T) {
	tests := map[string]struct{ text, entries, parts string }{
		"plain list":          {"A\n    B\n        C\n    D\nE\n", "A(B(C) D) E", ""},
		"tabs":                {"A\n\tB\n\t\tC\n", "A(B(C))", ""},
		"uneven steps":        {"A\n  B\n      C\n  D\n", "A(B(C) D)", ""},
		"pasted, all shifted": {"   A\n      B\n   C", "A(B) C", ""},
		"no-break spaces":     {"A\n\u00a0\u00a0B\n", "A(B)", ""},
		"blank and comment":   {"A\n\n// note\n    // note\n    B\n", "A(B)", ""},
		"Windows line ends":   {"A\r\n    B\r\n", "A(B)", ""},
		"parts":               {"work:\n    D\n      E\nA\n    B | use: work\n", "A(B)", "work(D(E))"},
		"header":              {"---\ntitle: x\n---\nA\n", "A", ""},
		"slots are no bars":   {"<a:like|x>\n", "<a:like|x>", ""},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			f, err := Parse(tt.text)
			if name == "slots are no bars" { // a bar ends the name even inside a slot, which is then not closed
				require.Error(t, err)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, tt.entries, shape(f.Entries))
			assert.Equal(t, tt.parts, shape(f.Parts))
			assert.Equal(t, tt.text, f.String())
		})
	}
}

func TestNamesAndClausesOfALine(t *testing.T) {
	f, err := Parse("  // x\n<a:b/c>/D [x] & #2/   | each :  x in 1..2|use: w  | note: a | b: c  \n")
	require.NoError(t, err)
	l := f.Entries[0]
	segments, slashed := l.Segments()
	assert.Equal(t, []Segment{{"<a:b/c>", Pos{2, 1}}, {"D [x] & #2", Pos{2, 9}}}, segments)
	assert.True(t, slashed)
	require.Len(t, l.Clauses, 3)
	each, _ := l.Clause("each")
	assert.Equal(t, "x in 1..2", each.Text)
	assert.Equal(t, Pos{2, 33}, l.TextPos(each))
	note, _ := l.Clause("note")
	assert.Equal(t, "a | b: c", note.Text, "a note runs to the end of the line")
}

func TestErrorsAreAllToldWithTheirPlaces(t *testing.T) {
	tests := []struct{ text, want string }{
		{"A\n\tB\n    C\n", "3:1: this line is indented with spaces, but the lines above with tabs (use one of them in the whole file)"},
		{"A\n        B\n    C\n", "3:5: this line stands between two levels (indent it as far as the line whose neighbour it is)"},
		{"  A\nB\n", "2:1: this line is indented less than the first one (indent it as far as the line whose neighbour it is)"},
		{"---\ntitle: x\nA\n", "3:1: this header has no end (write a line of three hyphens, ---, above this line)"},
		{"---\nfields:\n  a: x\n", "1:1: this header has no end (write a line of three hyphens, ---, below the header)"},
		{"---\ntitle: x\n--\nA\n", "3:1: the header ends with three hyphens (write --- and nothing else in this line)"},
		{"---\ntitle: x\n———\n<a:b c>\n", "3:1: the header ends with three hyphens (write --- and nothing else in this line)"},
		{"---\ntitle: x\n---\n\n---\nA\n", "5:1: the header has ended already, in line 3 (take this line away)"},
		{"\nfields:\n  a: Who?\n---\nA\n", "2:1: a header begins with three hyphens (write a line of three hyphens, ---, above this line)"},
		{"title: x\nfields:\n  a: Who?\nA <a>\n    B\n", "1:1: a header stands between two lines of three hyphens (write --- above this line, and again above line 4)"},
		{"A\n    B\n---\nfields:\n  a: Who?\n---\n", "3:1: a header stands at the top of a template (move the lines 3 to 6 above all others)"},
		{"// mine\n---\ntitle: x\n---\nA\n", "2:1: a header stands at the top of a template (take away what stands above it)"},
		{"A | noet: x\nB | due x\nC |\n", "1:5: there is no clause \"noet\" (did you mean note?)\n" +
			"2:5: there is no clause \"due x\" (did you mean due?)\n" +
			"3:4: there is nothing behind this bar (remove it, or write a clause such as `note: what it is for`)"},
		{"A | each:\nB | blank: x\nC | keep | keep\n| later", "1:5: `each` needs something behind a colon\n" +
			"2:5: `blank` stands alone (remove what follows it: `| blank`)\n3:12: `keep` stands twice in this line\n" +
			"4:1: there is no name in front of this clause (write the name of the folder first; only `| use: PART` can stand alone, with `when:` or without)"},
		{"A\nB\xff\n", "2:2: this character is not valid text (save the template as UTF-8)"},
		{strings.Repeat("x", MaxLine+1), "1:1: this line has more than 4096 bytes (no system takes a name that long)"},
	}
	for _, tt := range tests {
		_, err := Parse(tt.text)
		assert.EqualError(t, err, tt.want)
	}
	deep := &strings.Builder{}
	for i := range MaxDepth + 3 {
		deep.WriteString(strings.Repeat(" ", i) + "A\n")
	}
	_, err := Parse(deep.String())
	assert.ErrorContains(t, err, "folders lie more than 64 deep here")
	_, err = Parse(strings.Repeat("\n", MaxBytes+1))
	assert.ErrorContains(t, err, "larger than 8 MB")
}

func FuzzAnyTextComesBackByteForByte(f *testing.F) {
	f.Add("---\na: b\n---\nA/ | each: x in y | note: z \n\tB\n")
	f.Add("\ufeffwork:\r\n  <a> | when: b\r\n//\n\n A|")
	f.Add("---\n---")
	f.Add("A\n---\ntitle: x\n---\nB")
	f.Add("fields:\n a: b\nC\n--")
	f.Fuzz(func(t *testing.T, text string) {
		file, _ := Parse(text)
		if len(text) <= MaxBytes && file.String() != text {
			t.Fatalf("%q came back as %q", text, file.String())
		}
	})
}

func TestNearest(t *testing.T) {
	for word, want := range map[string]string{"defualt": "default", "typ": "type", "xyz": "", "ecah": "each"} {
		assert.Equal(t, want, Nearest(word, []string{"default", "type", "each", "use"}), word)
	}
}
