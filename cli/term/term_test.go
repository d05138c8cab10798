package term

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/outline"
	"vestibula/core/tree"
)

// paper returns a screen that is no terminal, and what is written on it.
func paper() (*Screen, *bytes.Buffer) {
	var b bytes.Buffer
	return NewScreen(&b, nil, false), &b
}

func TestVisibleShowsWhatATerminalWouldObey(t *testing.T) {
	tests := map[string]string{
		"plain Åsgerd 日本":    "plain Åsgerd 日本",
		"bell\x07":           "bell‹U+0007›",
		"\x1b[31mred":        "‹U+001B›[31mred",
		"line\nbreak":        "line‹U+000A›break",
		"abc\u202etxt":       "abc‹U+202E›txt",
		"zero\u200bwidth":    "zero‹U+200B›width",
		"a" + noBreak:        "a‹U+10FFFD›",
		"bad\xffbyte":        "bad‹FF›byte",
		"family 👩\u200d👩":    "family 👩\u200d👩",
		"really \ufffd here": "really \ufffd here",
		"":                   "",
	}
	for in, want := range tests {
		assert.EqualValues(t, want, Visible(in))
	}
}

func TestNumbersAndNouns(t *testing.T) {
	tests := []struct {
		n    int
		want string
	}{
		{0, "0 folders"},
		{1, "1 folder"},
		{12, "12 folders"},
		{999, "999 folders"},
		{1000, "1,000 folders"},
		{1234567, "1,234,567 folders"},
	}
	for _, tt := range tests {
		assert.EqualValues(t, tt.want, Count(tt.n, "folder"))
	}
}

func TestColumnsAreCountedByWhatIsSeen(t *testing.T) {
	tests := []struct {
		text    string
		columns int
	}{
		{"abc", 3},
		{"Åsgerd", 6},
		{"A\u030asa", 3},
		{"日本", 4},
		{"📁", 2},
		{"\x1b[1mbold\x1b[0m", 4},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.columns, Columns(Shown(tt.text)), "%q", tt.text)
	}
	assert.EqualValues(t, "日本  ", Pad("日本", 6))
	assert.EqualValues(t, "too long", Pad("too long", 3))
	assert.EqualValues(t, "日本…", Cut("日本語の名前", 5))
	assert.EqualValues(t, "short", Cut("short", 5))
}

func TestATreeOffTheTerminalIsAnOutline(t *testing.T) {
	s, out := paper()
	leaf := &tree.Node{Name: "notes.md", Kind: tree.File}
	open := &tree.Node{Name: "<client> drafts", Marks: tree.Open}
	top := &tree.Node{Name: "Thistlewick", Children: []*tree.Node{leaf, open}}
	s.Tree(&tree.Node{Children: []*tree.Node{top, {Name: "Second"}}}, TreeView{
		Note: func(n *tree.Node) Shown {
			return map[*tree.Node]Shown{leaf: "first", top: "all of it"}[n]
		},
	})
	assert.Equal(t, strings.Join([]string{
		"Thistlewick/           all of it",
		"    notes.md           first",
		"    <client> drafts/",
		"Second/",
		"",
	}, "\n"), out.String())
	_, err := outline.Parse("Thistlewick/\n    notes.md\n    <client> drafts/\nSecond/\n")
	assert.NoError(t, err)
}

func TestNotesOfLongNamesDoNotPushTheOthersAside(t *testing.T) {
	s, out := paper()
	long := strings.Repeat("long ", 14) + "name"
	s.Tree(&tree.Node{Children: []*tree.Node{{Name: long}, {Name: "short"}}}, TreeView{Note: func(*tree.Node) Shown { return "note" }})
	lines := strings.Split(out.String(), "\n")
	assert.Equal(t, long+"/   note", lines[0])
	assert.Equal(t, "short/   note", lines[1])
}

func TestMarksStandInFrontOfEachLine(t *testing.T) {
	s, out := paper()
	s.Tree(&tree.Node{Children: []*tree.Node{{Name: "a", Children: []*tree.Node{{Name: "b"}}}}}, TreeView{
		Mark: func(n *tree.Node) Mark { return Mark{Sign: Visible(n.Name), Style: Good} },
	})
	assert.Equal(t, "a a/\nb     b/\n", out.String())
}

func TestAMessageMarksThePlace(t *testing.T) {
	tests := map[string]struct {
		place Place
		help  string
		want  string
	}{
		"plain": {
			Place{File: "t.folders", Line: 14, Column: 5, Width: 3, Text: "    abc def"}, "did you mean abd?",
			"t.folders:14:5: wrong\n  14 |     abc def\n     |     ^^^\n       did you mean abd?\n",
		},
		"tabs are shown as spaces": {
			Place{File: "t.folders", Line: 2, Column: 2, Width: 1, Text: "\tabc"}, "",
			"t.folders:2:2: wrong\n   2 |     abc\n     |     ^\n",
		},
		"wide characters": {
			Place{File: "t.folders", Line: 2, Column: 3, Width: 2, Text: "日本語の"}, "",
			"t.folders:2:3: wrong\n   2 | 日本語の\n     |     ^^^^\n",
		},
		"two places, and a proof": {
			Place{File: "t.folders", Line: 2, Column: 2, Width: 9, Text: "a<b> <c>", Marks: []Span{{2, 3}, {6, 3}}, Proof: "x y\n  is b “x”"}, "write one",
			"t.folders:2:2: wrong\n   2 | a<b> <c>\n     |  ^^^ ^^^\n       x y\n         is b “x”\n\n       write one\n",
		},
		"beyond the end of the line": {
			Place{File: "t.folders", Line: 2, Column: 9, Width: 4, Text: "abc"}, "",
			"t.folders:2:9: wrong\n   2 | abc\n     |    ^\n",
		},
		"without a line": {
			Place{File: "Desk/Misc"}, "first\nsecond",
			"Desk/Misc: wrong\n  first\n  second\n",
		},
		"a line that a terminal would obey": {
			Place{File: "t.folders", Line: 1, Column: 2, Width: 1, Text: "a\x1bb"}, "",
			"t.folders:1:2: wrong\n   1 | a‹U+001B›b\n     |  ^^^^^^^^\n",
		},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			s, out := paper()
			s.Message(tt.place, Bad, "wrong", tt.help)
			assert.Equal(t, tt.want, out.String())
		})
	}
}

func TestErrorsAreToldOneAfterTheOther(t *testing.T) {
	s, out := paper()
	s.Errors("t.folders", "A*\r\nB?\r\n", outline.Errors{
		{Pos: outline.Pos{Line: 1, Column: 2}, Width: 1, Message: "first"},
		{Pos: outline.Pos{Line: 2, Column: 2}, Width: 1, Message: "second", Help: "help"},
		{Pos: outline.Pos{Line: 9, Column: 1}, Width: 1, Message: "third"},
	})
	assert.Equal(t, strings.Join([]string{
		"t.folders:1:2: first",
		"   1 | A*",
		"     |  ^",
		"",
		"t.folders:2:2: second",
		"   2 | B?",
		"     |  ^",
		"       help",
		"",
		"t.folders:9:1: third",
		"   9 | ",
		"     | ^",
		"",
	}, "\n"), out.String())
}

func TestATableHasAsManyColumnsAsItNeeds(t *testing.T) {
	s, out := paper()
	s.Table(Named("name", "title"), [][]Shown{
		{"commission", "Bookbinding"},
		{"日本", "two wide ones"},
	})
	assert.Equal(t, strings.Join([]string{
		"name        title",
		"commission  Bookbinding",
		"日本        two wide ones",
		"",
	}, "\n"), out.String())

	// What decides is never cut, whatever the width; of the others the widest are cut, and
	// at last left out, those with the most Last first.
	columns := []Column{{Name: "no.", Whole: true}, {Name: "project"}, {Name: "when", Last: 2}, {Name: "state", Whole: true}, {Name: "where", Last: 1}}
	row := []Shown{"104", "Oriel Pask and Sons", "2027-03-09 12:30", "undone by 105", "/home/wren/Clients"}
	for width, want := range map[int]string{
		80: "104  Oriel Pask and Sons  2027-03-09 12:30  undone by 105  /home/wren/Clients",
		70: "104  Oriel Pask and…  2027-03-09 12:…  undone by 105  /home/wren/Clie…",
		50: "104  Oriel Pask and …  undone by 105  /home/wren/…\nnot shown in so narrow a window: when",
		36: "104  Oriel Pask and …  undone by 105",
		20: "104  undone by 105",
		15: "    undone by 105", // below “104”
	} {
		s, out := paper()
		s.Width = width
		s.Table(columns, [][]Shown{row})
		_, line, _ := strings.Cut(strings.TrimSuffix(out.String(), "\n"), "\n")
		assert.Equal(t, want, line, width)
		for part := range strings.SplitSeq(line, "\n") {
			assert.LessOrEqual(t, Columns(Shown(part)), max(width, 24))
		}
	}
}

func TestOfAMoveOnlyWhatDiffersIsInColour(t *testing.T) {
	for _, c := range []struct{ from, to, want string }{
		{"02 Work/a.pdf", "03 Work/a.pdf", "[02] Work/a.pdf → [03] Work/a.pdf"},
		{"Clients/Oriel/x.pdf", "Clients/Jun/Old/x.pdf", "Clients/[Oriel]/x.pdf → Clients/[Jun/Old]/x.pdf"},
		{"a", "a b", "a → a[ b]"},
		{"same", "same", "same → same"},
	} {
		open, shut, _ := strings.Cut(string(Accent.Render("x")), "x")
		want := strings.NewReplacer("[", open, "]", shut, " → ", string(Dim.Render(" → "))).Replace(c.want)
		assert.Equal(t, want, string(Moved(c.from, c.to)))
	}
}

func TestAReasonIsNeverCut(t *testing.T) {
	for _, width := range []int{0, 20, 40, 200} {
		s, out := paper()
		s.Width = width
		s.Because("~ A long name of a folder that is there", "stays: it holds “x.pdf”", Warn)
		assert.Equal(t, "stays: it holds “x.pdf”", strings.Join(strings.Fields(out.String()[strings.Index(out.String(), "stays"):]), " "), width)
	}
}

func TestManyAlikeNeighboursAreOneLine(t *testing.T) {
	root := &tree.Node{}
	for i := range 9 {
		n := &tree.Node{Name: fmt.Sprintf("Week %d", i+1), From: 3, Children: []*tree.Node{{Name: "Notes", From: 4}}}
		if i == 8 {
			n.Children = nil
		}
		root.Children = append(root.Children, n)
	}
	root.Children = append(root.Children, &tree.Node{Name: "Old", From: 5})
	s, _ := paper()
	var lines []string
	for _, line := range s.TreeLines(root, TreeView{Same: tree.Alike, All: "--all shows them"}) {
		lines = append(lines, ansi.Strip(string(line)))
	}
	assert.Equal(t, []string{"Week 1/", "    Notes/", "… Week 8/   and 6 between, the same; --all shows them", "Week 9/", "Old/"}, lines)
	assert.Len(t, s.TreeLines(root, TreeView{}), 18)
	root = &tree.Node{}
	for i := range int32(9) { // each from a line of its own
		root.Children = append(root.Children, &tree.Node{Name: fmt.Sprint("Folder ", i), From: i + 1})
	}
	assert.Len(t, s.TreeLines(root, TreeView{Same: tree.Alike}), 9)
}

// Of any table, in any width: what is whole is whole, no line is wider than the window or
// than that, and columns that are left out are those that may be.
func TestTablesFitTheirWindow(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 6).Draw(t, "columns")
		columns, whole := make([]Column, n), 0
		text := rapid.StringMatching(`[a-z]{0,6}( [a-zäß本]{1,9}){0,4}`)
		rows := make([][]Shown, rapid.IntRange(1, 4).Draw(t, "rows"))
		for i := range columns {
			columns[i] = Column{Name: Shown(rapid.StringMatching(`[a-z]{1,8}`).Draw(t, "name")), Whole: rapid.IntRange(0, 2).Draw(t, "whole") == 0, Last: rapid.IntRange(0, 3).Draw(t, "last")}
			width := Columns(columns[i].Name)
			for k := range rows {
				rows[k] = append(rows[k], Shown(strings.TrimSpace(text.Draw(t, "cell"))))
				width = max(width, Columns(rows[k][i]))
			}
			if columns[i].Whole {
				whole += width + columnGap
			}
		}
		s, out := paper()
		s.Width = rapid.IntRange(1, 120).Draw(t, "width")
		s.Table(columns, rows)
		lines := strings.Split(strings.TrimSuffix(out.String(), "\n"), "\n")
		if rest := lines[min(len(lines), len(rows)+1):]; s.Width >= leastSaid && len(rest) > 0 && strings.HasPrefix(rest[0], "not shown") {
			lines = lines[:len(rows)+1]
		}
		if whole-columnGap > s.Width { // a row is several lines
			flat := strings.ReplaceAll(strings.Join(lines, ""), " ", "")
			for k, c := range columns {
				for i := range rows {
					if c.Whole {
						require.Contains(t, flat, strings.ReplaceAll(string(rows[i][k]), " ", ""))
					}
				}
			}
			return
		}
		require.Len(t, lines, len(rows)+1)
		for i, line := range lines[1:] {
			assert.LessOrEqual(t, Columns(Shown(line)), max(s.Width, whole))
			for k, c := range columns {
				if c.Whole {
					assert.Contains(t, line, string(rows[i][k]))
				}
			}
		}
		// Where there is room, all of it stands there.
		s, out = paper()
		s.Table(columns, rows)
		for i, line := range strings.Split(strings.TrimSuffix(out.String(), "\n"), "\n")[1:] {
			for _, cell := range rows[i] {
				assert.Contains(t, line, string(cell))
			}
		}
	})
}

// A reason is there word for word, and a text broken into lines is the same text.
func TestTextsAreBrokenAndNotCut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		line := Shown(rapid.StringMatching(`[~?] [a-z]{1,20}( [a-zé本]{1,9}){0,5}`).Draw(t, "line"))
		why := Shown(rapid.StringMatching(`[a-z]{1,9}( [a-zé本]{1,9}){0,9}`).Draw(t, "why"))
		s, out := paper()
		s.Width = rapid.IntRange(30, 120).Draw(t, "width")
		s.Because(line, why, Warn)
		shown := ansi.Strip(out.String())
		assert.Contains(t, strings.Join(strings.Fields(shown), " "), string(why))
		for l := range strings.Lines(shown) {
			assert.LessOrEqual(t, Columns(Shown(strings.TrimRight(l, "\n"))), s.Width)
		}
		var all []string
		for _, part := range Wrapped(why, s.Width) {
			assert.LessOrEqual(t, Columns(part), s.Width)
			all = append(all, string(part))
		}
		assert.Equal(t, strings.Fields(string(why)), strings.Fields(strings.Join(all, " ")))
	})
}

// A command to be typed is one line, whatever the window; a day and an option are not broken at their hyphens.
func TestCommandsAreNeverBroken(t *testing.T) {
	call := `vestibula build binding --into Clients client="Oriel Pask" --yes`
	for columns := range 90 {
		if columns < 12 {
			continue
		}
		lines := Wrapped(Shown("what 2027-03-09 has is left as it is; to go on: "+call), columns)
		last := string(lines[len(lines)-1])
		assert.Equal(t, call, strings.TrimSpace(last[strings.Index(last, "vestibula"):]), columns)
		for _, line := range lines[:len(lines)-1] {
			assert.LessOrEqual(t, Columns(line), columns)
			assert.False(t, IsCall(line))
		}
		assert.Contains(t, string(Join(lines, "\n")), "2027-03-09", columns)
	}
	assert.Equal(t, []Shown{"a line that fits: " + Shown(call)}, Wrapped(Shown("a line that fits: "+call), 200))
}
