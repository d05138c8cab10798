package rename

import (
	"fmt"
	"runtime"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/value"
)

func convention(t require.TestingT, text string, from ...string) (*template.Convention, *naming.Older) {
	tpl, err := template.Parse("t", "---\nnames: { x: "+text+" }\n---\nA\n", nil)
	require.NoError(t, err)
	c := tpl.Names[0]
	shapes := c.Was
	for _, f := range from {
		name, _, errs := c.Shape(f)
		require.Empty(t, errs)
		shapes = append(shapes, name)
	}
	return c, naming.NewOlder(c, shapes)
}

// plan plans in a folder that holds just these files.
func plan(o *naming.Older, known, spare template.Values, names ...string) (said []string) {
	var files []*File
	for _, n := range names {
		files = append(files, &File{Dir: "/d", Name: n})
	}
	j := &Job{Older: o.Fork,
		Place: func(string) (template.Values, error) { return known, nil },
		Own:   func(*File) (template.Values, template.Values, string) { return nil, spare, "" },
		Counting: func(*File) (string, func() ([]string, error)) {
			return "", func() ([]string, error) { return names, nil }
		},
		Judge: func() func(string) string {
			return func(name string) string {
				if strings.Contains(name, "bad") {
					return "it is bad"
				}
				return ""
			}
		},
		Names: func(string) []string { return names }}
	outcomes, _ := j.Plan(files)
	for _, outcome := range outcomes {
		said = append(said, map[Kind]string{Renamed: "→ " + outcome.Becomes, Fits: "fits", Left: "! " + outcome.Why, Other: "other"}[outcome.Kind])
	}
	return said
}

func TestOlderNamesAreReadAndWrittenAnew(t *testing.T) {
	day := template.Values{"day": value.Value{Kind: value.Date, Year: 2027, Part: 3, Day: 31}}
	for _, tt := range []struct {
		text   string
		from   []string
		known  template.Values
		spare  template.Values
		names  []string
		wanted []string
	}{
		{`{ pattern: "<day:yyyy-mm-dd> <who>", was: "<who> <day:d.m.yyyy>", for: [txt] }`, nil, nil, nil,
			[]string{"Jun 4.3.2027.txt", "Jun 4.3.27.txt", "2027-01-01 Ola.txt", "Dag 4.3.2027.pdf", "Jun 31.2.2027.TXT", "bad 4.3.2027.txt"},
			[]string{"→ 2027-03-04 Jun.txt", "! the year needs four digits", "fits", "other", "! 2027-02-31 is not a date: that month has 28 days", "! it is bad"}},
		// 03-04 is what the pattern says it is.
		{`"<day:yyyy-mm-dd> <who>"`, []string{"<who> <day:dd-mm-yyyy>"}, nil, nil, []string{"Jun 03-04-2027"}, []string{"→ 2027-04-03 Jun"}},
		{`"<day:yyyy-mm-dd> <who>"`, []string{"<who> <day:mm-dd-yyyy>"}, nil, nil, []string{"Jun 03-04-2027"}, []string{"→ 2027-03-04 Jun"}},
		// What a name says in part is made whole by what is known, if that agrees.
		{`"<day:yyyy-mm-dd> <who>"`, []string{"<who> <day:mmm yyyy>"}, nil, day, []string{"Jun Mar 2027", "Jun Apr 2027"}, []string{"→ 2027-03-31 Jun", "! nothing says its day"}},
		{`"<day:yyyy-mm-dd> <who:like-this>"`, []string{"<who:LT> <day:yyyymmdd>"}, template.Values{"who": value.Of("Oriel Pask")}, nil, []string{"OP 20270304", "JT 20270304"},
			[]string{"→ 2027-03-04 oriel-pask", "! its name says who JT, and that is known to be Oriel Pask"}},
		// Two shapes that say other things decide nothing; one that can be read twice neither.
		{`"<a:00>-<b:00>"`, []string{"<a:0>x<b:0>", "<b:0>x<a:0>"}, nil, nil, []string{"1x2", "3x3"}, []string{"! two of the older shapes fit, and say other things", "→ 03-03"}},
		{`"<a:00>-<b:00>"`, []string{"<a:0><b:0>"}, nil, nil, []string{"12", "123"}, []string{"→ 01-02", "! it can be read in two ways"}},
		// Numbers count on, and names may change places, or stay where that cannot be.
		{`{ pattern: "<who> <n:00>", fields: { n: { next: yes } } }`, []string{"<who>"}, nil, nil, []string{"Jun", "Ola", "Ola 07"}, []string{"→ Jun 08", "→ Ola 09", "fits"}},
		{`"<a:0> of <b:0>"`, []string{"<b:0> and <a:0>"}, nil, nil, []string{"1 and 2", "2 of 1"}, []string{"! it would be “2 of 1”, and that is there", "fits"}},
		{`"<a:0>"`, []string{"<a:0>x", "<a:0>y"}, nil, nil, []string{"1x", "1y", "2x"}, []string{"! another one would be “1” as well, and holds something else", "! another one would be “1” as well, and holds something else", "→ 2"}},
		{`"<who:like-this>"`, []string{"<who:LIKE_THIS>!"}, nil, nil, []string{"A_B!", "a b"}, []string{"→ a-b", "! “a” cannot stand in <who>, which is written LIKE_THIS"}},
	} {
		_, o := convention(t, tt.text, tt.from...)
		assert.Equal(t, tt.wanted, plan(o, tt.known, tt.spare, tt.names...), tt.names)
	}
}

// The oracle writes the names of both shapes itself.
func TestWhatAnOlderNameSaysIsKept(t *testing.T) {
	_, o := convention(t, `{ pattern: "<day:yyyy-mm-dd> <who:like-this> <n:000>", fields: { n: { type: number } } }`, "<who> <day:d.m.yyyy> (<n:0>)", "<n:00>_<day:yymmdd>_<who:Like_This>")
	rapid.Check(t, func(t *rapid.T) {
		y, m, d, n := rapid.IntRange(2000, 2099).Draw(t, "year"), rapid.IntRange(1, 12).Draw(t, "month"), rapid.IntRange(1, 28).Draw(t, "day"), rapid.IntRange(1, 99).Draw(t, "n")
		words := rapid.SliceOfN(rapid.SampledFrom([]string{"Oak", "Elm", "Ash", "Yew"}), 1, 3).Draw(t, "words")
		old := fmt.Sprintf("%s %d.%d.%d (%d).txt", strings.Join(words, " "), d, m, y, n)
		if rapid.Bool().Draw(t, "other") {
			old = fmt.Sprintf("%02d_%02d%02d%02d_%s.txt", n, y%100, m, d, strings.Join(words, "_"))
		}
		want := fmt.Sprintf("→ %d-%02d-%02d %s %03d.txt", y, m, d, strings.ToLower(strings.Join(words, "-")), n)
		require.Equal(t, []string{want}, plan(o, nil, nil, old), old)
	})
}

// However names stand to each other, no two become one, and none takes the place of one
// that stays.
func TestNoNameTakesThePlaceOfAnother(t *testing.T) {
	_, o := convention(t, `"<a:0>-<b:0>"`, "<b:0>+<a:0>", "<a:0>.<b:0>", "<b:0>=<a:0>")
	rapid.Check(t, func(t *rapid.T) {
		names := rapid.SliceOfNDistinct(rapid.Custom(func(t *rapid.T) string {
			return fmt.Sprintf("%d%s%d", rapid.IntRange(1, 3).Draw(t, "a"), rapid.SampledFrom([]string{"-", "+", ".", "="}).Draw(t, "sign"), rapid.IntRange(1, 3).Draw(t, "b"))
		}), 1, 8, rapid.ID).Draw(t, "names")
		after := map[string]bool{}
		for i, said := range plan(o, nil, nil, names...) {
			name := names[i]
			if becomes, renamed := strings.CutPrefix(said, "→ "); renamed {
				name = becomes
			}
			require.False(t, after[name], "%s of %v", name, names)
			after[name] = true
		}
	})
}

func TestShapesThatReadNothing(t *testing.T) {
	c, _ := convention(t, `"<a:00> <b>"`)
	for text, want := range map[string]string{"letter": "this pattern has no slot", "<a:00": "not closed", "<a:like-this>": "does not suit a number", "<#>": "<#> is for folders"} {
		_, _, errs := c.Shape(text)
		if assert.NotEmpty(t, errs, text) {
			assert.Contains(t, errs[0].Message, want)
		}
	}
	_, dropped, errs := c.Shape("<x> <a:0> <y:yyyy-mm-dd>")
	assert.Empty(t, errs)
	assert.Equal(t, []string{"x", "y"}, dropped)
	_, err := template.Parse("t", "---\nnames: { x: { pattern: \"<a:00>\", was: [\"<a:0> <\", { a: b }] } }\n---\nA\n", nil)
	assert.ErrorContains(t, err, "this slot is not closed")
}

// Several at a time find out the same as one after the other, in many folders as in one.
func TestSeveralPlanAsOneDoes(t *testing.T) {
	_, o := convention(t, `{ pattern: "<day:yyyy-mm-dd> <who:like-this> <n:000>", fields: { n: { type: number, next: yes } } }`, "<who> <day:d.m.yyyy>", "<n:0>_<day:yyyymmdd>_<who:Like_This>")
	rapid.Check(t, func(t *rapid.T) {
		var files []*File
		names := map[string][]string{}
		for range rapid.IntRange(1, 1500).Draw(t, "files") {
			dir := fmt.Sprint("/", rapid.IntRange(1, 90).Draw(t, "dir"))
			name := rapid.SampledFrom([]string{"Ola 3.4.2027", "Jun 3.4.2027", "Ola 31.2.2027", "1_20270403_Ola", "2_20270403_Ola", "2027-04-03 ola 001", "Notes", "ola 3.4.2027"}).Draw(t, "name") + rapid.SampledFrom([]string{".txt", ".TXT", ".pdf"}).Draw(t, "ending")
			if !slices.Contains(names[dir], name) {
				names[dir] = append(names[dir], name)
				files = append(files, &File{Dir: dir, Name: name})
			}
		}
		plan := func(several int) (said []string) {
			defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(several))
			j := &Job{Older: o.Fork,
				Place: func(string) (template.Values, error) { return nil, nil },
				Own:   func(*File) (template.Values, template.Values, string) { return nil, nil, "" },
				Counting: func(f *File) (string, func() ([]string, error)) {
					return f.Dir, func() ([]string, error) { return names[f.Dir], nil }
				},
				Judge: func() func(string) string { return func(string) string { return "" } },
				Names: func(dir string) []string { return names[dir] }}
			outcomes, err := j.Plan(files)
			require.NoError(t, err)
			for i, out := range outcomes {
				require.Same(t, files[i], out.File)
				said = append(said, fmt.Sprint(out.File.At(), out.Kind, out.Becomes, out.Why))
			}
			return said
		}
		require.Equal(t, plan(1), plan(4))
	})
}

// A folder of which nothing can be known ends the plan.
func TestAFolderThatCannotBeKnownEndsThePlan(t *testing.T) {
	_, o := convention(t, `"<who>"`, "<who>!")
	j := &Job{Older: o.Fork, Place: func(dir string) (template.Values, error) { return nil, fmt.Errorf("%s is shut", dir) }}
	_, err := j.Plan([]*File{{Dir: "/a", Name: "x!"}})
	assert.EqualError(t, err, "/a is shut")
}
