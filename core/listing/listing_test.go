package listing

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/template"
	"vestibula/core/tree"
)

// drawn is what all of the texts below mean.
const drawn = `Course
    Handouts
        In
        Out
    notes.md
    Settled
`

func TestListsAsPeopleWriteThem(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		form Form
	}{
		"box drawing":                            {"Course\n├── Handouts\n│   ├── In\n│   └── Out\n├── notes.md\n└── Settled\n\n4 directories, 1 file\n", Tree},
		"heavy and round, with a root and tight": {"Course/\n┣━Handouts/\n┃ ┣━In\n┃ ╰━Out\n┣━notes.md\n┗━Settled/\n", Tree},
		"double, with icons and sizes":           {"📁 Course\n╠══ 📁 Handouts\n║   ╠══ [4.0K]  In\n║   ╚══ [4.0K]  Out\n╠══ 📄 notes.md\n╚══ 📁 Settled\n", Tree},
		"with long notes":                        {"Course\n├── Handouts   what is given out on each evening, and what was asked for by those who could not come\n│   ├── In     whatever comes in by mail, by post or over the counter, just as it came to us there\n│   └── Out    whatever went out to anybody at all, with the day on which it went out in its name\n├── notes.md\n└── Settled    whatever nobody will ask for again before the next course begins in the autumn of the year\n", Tree},
		"typewriter":                             {"Course\n|-- Handouts\n|   |-- In\n|   `-- Out\n|-- notes.md\n`-- Settled\n", Tree},
		"another system":                         {"Course\n+---Handouts\n|   +---In\n|   \\---Out\n|   notes.md\n\\---Settled\n", Tree},
		"no-break spaces and a dot":              {".\n└── Course\n    ├── Handouts\n    │\u00a0\u00a0 ├── In\n    │\u00a0\u00a0 └── Out\n    ├── notes.md\n    └── Settled\n", Tree},
		"bullets":                                {"- Course\n  - Handouts\n    * In\n    * Out\n  - notes.md\n  - Settled:\n", Bullets},
		"pasted bullets and boxes to tick":       {"• Course\n\t◦ Handouts\n\t\t▪ In\n\t\t▪ Out\n\t◦ notes.md\n\t◦ [x] Settled\n", Bullets},
		"numbers":                                {"1. Course\n   1) Handouts\n      a) In\n      b) Out\n   2) notes.md\n   3) Settled\n", Bullets},
		"chapters":                               {"1. Course\n1.1 Handouts\n1.1.1 In\n1.1.2. Out\n1.2 notes.md\n1.3 Settled\n", Bullets},
		"headings":                               {"# Course\n## Handouts\n### In\n### Out\n## notes.md\n## Settled ##\n", Headings},
		"headings with lists":                    {"# Course\n## Handouts\n- In\n- Out\n## notes.md\n## Settled\n", Headings},
		"paths":                                  {"Course/Handouts/In\nCourse/Handouts/Out/\nCourse/notes.md\nCourse/Settled\n", Paths},
		"paths of a disk":                        {"C:\\Users\\Ola\\Course\\Handouts\\In\nC:\\Users\\Ola\\Course\\Handouts\\Out\nC:\\Users\\Ola\\Course\\notes.md\nC:\\Users\\Ola\\Course\\Settled\n", Paths},
		"columns":                                {"Course\tHandouts\tIn\n\t\tOut\n\tnotes.md\n\tSettled\n", Columns},
		"a table with headings":                  {"| what | where | in |\n|---|:--:|---|\n| Course | Handouts | In |\n| | | Out |\n| | notes.md | |\n| | Settled | |\n", Columns},
		"uneven indents":                         {"Course\n   Handouts\n       In\n      Out\n  notes.md\n  Settled\n", Plain},
		"in a code block, with line ends of another system": {"```\r\nCourse\r\n  Handouts\r\n    In\r\n    Out\r\n  notes.md\r\n  Settled\r\n```\r\n", Plain},
	} {
		l, err := Read(c.text)
		require.NoError(t, err, name)
		assert.Equal(t, c.form, l.Form, name)
		want := drawn
		if name == "uneven indents" {
			want = "Course\n    Handouts\n        In\n        Out\n    notes.md\n    Settled\n"
		}
		text := regexp.MustCompile(` \| note: .*`).ReplaceAllString(l.Text(""), "")
		if name == "numbers" || name == "chapters" { // on several levels: they are the order, and stay
			want = "Course\n    <#> Handouts\n        <#> In\n        <#> Out\n    <#> notes.md\n    <#> Settled\n"
		}
		if name == "paths of a disk" { // all lies in one folder, which may be meant or not
			want = "Handouts\n    In\n    Out\nnotes.md\nSettled\n"
		}
		assert.Equal(t, want, text, name)
		if c.form != Plain && c.form != Paths && c.form != Columns && name != "numbers" && name != "chapters" {
			assert.True(t, Drawn(c.text), name)
		}
	}
	assert.False(t, Drawn(drawn))
}

// A list that stands in a mail is the list alone; numbers in front are its order.
func TestListsInLetters(t *testing.T) {
	for name, c := range map[string]struct {
		text, want string
		left       int
	}{
		"a mail":              {"Hello Ola,\n\nas promised, here are the folders for the new client:\n\n1) Letters\n2) Bills\n   a) paid\n   b) open\n3) Work\n10) Archive\n\nPlease set them up until Friday.\n\nBest,\nUna\n", "<#> Letters\n<#> Bills\n    <#> paid\n    <#> open\n<#> Work\n<#> Archive\n", 5},
		"right below":         {"Hi,\n\nwe agreed on these folders for each course:\n- Handouts\n- Marks\n  - old\n\nThanks, and see you on Monday!\n\nWren\n", "Handouts\nMarks\n    old\n", 4},
		"without marks":       {"Dear all,\n\nfrom now on every job has these:\n\nLetters\nBills\n    paid\nWork\n\nKind regards,\nUna\nThistlewick Bindery\n", "Letters\nBills\n    paid\nWork\n", 5},
		"one level, in order": {"1. Letters\n2. Bills\n3. Work\n", "Letters\nBills\nWork\n", 0},
		"one was skipped":     {"1. Letters\n2. Bills\n5. Work\n", "<#> Letters\n<#> Bills\n<#> Work\n", 0},
		"nothing of a letter": {"Course\n\nHandouts\nMarks\n\nSettled\n", "Course\nHandouts\nMarks\nSettled\n", 0},
		"in a comment":        {"// ├── app\n// │   ├── main\n// │   └── pages\n// └── docs\n", "app\n    main\n    pages\ndocs\n", 0},
		"in another one":      {"#  app\n#  ├── main\n#  └── docs\n", "app\n    main\n    docs\n", 0},
	} {
		l, err := Read(c.text)
		require.NoError(t, err, name)
		assert.Equal(t, c.want, l.Text(""), name)
		assert.Len(t, l.Left, c.left, "%s: %q", name, l.Left)
	}
	for _, text := range []string{"+-------+     +------+\n| app   |---->| db   |\n+-------+     +------+\n", "┌──────┐     ┌─────┐\n│ app  │────>│ db  │\n└──────┘     └─────┘\n"} {
		_, err := Read(text)
		assert.ErrorIs(t, err, ErrDiagram, "%q", text)
	}
}

func TestWhatIsNoNameIsLeftOut(t *testing.T) {
	l, err := Read("<client:like-this> 2027\n├── notes.md   # what was said\n├── \"Q&A: part 1\"\n├── link -> ../elsewhere\n├── **Letters**  (by post)\n├── v1.2/\n└── notes.md\n")
	require.NoError(t, err)
	assert.Equal(t, "---\ntitle: x\nfields:\n  client: \"Client?\"\n---\n<client:like-this> 2027\n    notes.md | note: what was said\n    Q&A - part 1\n    link\n    Letters | note: by post\n    v1.2\n", l.Text("x"))
	assert.Equal(t, []string{"Q&A - part 1"}, l.Changed)
	for _, text := range []string{"", "\n \n", "This is a letter. It says what a person would say to another one, at some length.\nAnd so it goes on, until all that was to be said is said.\n", "Dear Ola, thank you for the letter of last week; we shall come on Monday, and bring the book with us.\n\nYours, Wren\n", "\xff\xfe", "--- \n...\n"} {
		_, err := Read(text)
		assert.Error(t, err, "%q", text)
	}
}

// A tree that is drawn, in whichever way, is the same tree again.
func TestDrawnTreesComeBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		marks := rapid.SampledFrom([][4]string{{"├── ", "└── ", "│   ", "    "}, {"|-- ", "`-- ", "|   ", "    "}, {"┣━ ", "┗━ ", "┃  ", "   "}, {"- ", "- ", "  ", "  "}, {"+-- ", "\\-- ", "|   ", "    "}}).Draw(t, "marks")
		var want, text strings.Builder
		var grow func(depth int, before string)
		grow = func(depth int, before string) {
			n := rapid.IntRange(1, 4).Draw(t, "lines")
			for i := range n {
				name := rapid.StringMatching(`[A-Z][a-zé]{1,9}( [a-z0-9]{1,5})?(\.md)?`).Draw(t, "name") + string(rune('a'+i))
				mark, below := marks[0], marks[2]
				if i == n-1 {
					mark, below = marks[1], marks[3]
				}
				want.WriteString(strings.Repeat("    ", depth) + name + "\n")
				text.WriteString(before + mark + name + "\n")
				if depth < 3 && rapid.Bool().Draw(t, "more") {
					grow(depth+1, before+below)
				}
			}
		}
		grow(0, "")
		l, err := Read(text.String())
		require.NoError(t, err)
		assert.Equal(t, want.String(), l.Text(""))
	})
}

// Whatever a text holds, what is made of it is a template, of no more lines than it has.
func FuzzRead(f *testing.F) {
	f.Add(drawn)
	f.Add("├── a\n│   └── <x:yyyy> b.c/\n- d\n# e\n| f | g |\nh\\i/j\n1.2.3 k  # l | m\n")
	f.Fuzz(func(t *testing.T, text string) {
		l, err := Read(text)
		if err != nil {
			return
		}
		out := l.Text("x")
		tpl, err := template.Parse("x", out, nil)
		if err != nil {
			if len(l.Slots) > 0 { // what stands behind the colon may be no form
				return
			}
			t.Fatalf("%v\n%s", err, out)
		}
		if x, err := tpl.Tree(nil, 1_000_000); err == nil && len(l.Slots) == 0 && x.Root.Count() != l.Count {
			t.Fatalf("%d of %d\n%s", x.Root.Count(), l.Count, out)
		}
		_ = tree.File
	})
}
