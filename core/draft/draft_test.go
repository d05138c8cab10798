package draft

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/treetest"
)

var now = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)

// sample is a folder with some paths in it; those that end in a slash are folders.
func sample(name string, paths ...string) Sample {
	root := treetest.Of(paths...)
	for _, n := range root.All() {
		if len(n.Children) > 0 {
			n.Kind = tree.Folder
		}
	}
	return Sample{name, root}
}

func TestWhatFoldersShare(t *testing.T) {
	for name, c := range map[string]struct {
		samples []Sample
		given   map[string]string
		fields  []string
		outline string
	}{
		"values, numbers, conditions": {samples: []Sample{
			sample("2027-03 Oriel Pask BK", "01 Agreement/", "02 Work/oriel-pask notes.md", "03 Gilding/", "90 Settled/", "OP2703.md"),
			sample("2026-11 Jun Teague BX", "01 Agreement/", "02 Work/jun-teague notes.md", "90 Settled/", "JT2611.md"),
			sample("2026-12 Ida Sol Vig BK", "01 Agreement/", "02 Work/ida-sol-vig notes.md", "03 Gilding/", "90 Settled/", "ISV2612.md"),
		}, given: map[string]string{"client": "Jun Teague"}, fields: []string{"month month", "client text", "kind choice"}, outline: `
<month> <client> <kind>
    <#> Agreement
    <#> Work
        <client:like-this> notes.md
    <#> Gilding | when: kind is BK
    <#> Settled | number: 90
    <client:LT><month:yymm>.md
`},
		"series and lists": {samples: []Sample{
			sample("Casing 2027", "Weeks/Week 01/", "Weeks/Week 02/", "Weeks/Week 03/", "Months/2027-01/", "Months/2027-02/", "Months/2027-03/", "Months/2027-04/", "Months/2027-05/", "Months/2027-06/", "Months/2027-07/", "Months/2027-08/", "Months/2027-09/", "Months/2027-10/", "Months/2027-11/", "Months/2027-12/", "People/Ola/Drafts/", "People/Jun/Drafts/"),
			sample("Dyeing 2028", "Weeks/Week 01/", "Weeks/Week 02/", "Weeks/Week 03/", "Weeks/Week 04/", "Months/2028-01/", "Months/2028-02/", "Months/2028-03/", "Months/2028-04/", "Months/2028-05/", "Months/2028-06/", "Months/2028-07/", "Months/2028-08/", "Months/2028-09/", "Months/2028-10/", "Months/2028-11/", "Months/2028-12/", "People/Ida/Drafts/", "People/Wren/Drafts/"),
		}, fields: []string{"name text", "year year", "people list", "weeks number"}, outline: `
<name> <year>
    Months
        <month> | each: month in <year>-01..<year>-12
    People
        <person> | each: person in people
            Drafts
    Weeks
        Week <week:00> | each: week in 1..weeks
`},
		"what few have, and what some folders of one have": {samples: []Sample{
			sample("Oriel Pask", "Work/Week 1/", "Work/Week 2/Outing/", "Work/Week 3/"),
			sample("Jun Teague", "Work/Week 1/", "Work/Week 2/", "Work/Week 3/", "Exhibition/Labels/"),
			sample("Ida Vig", "Work/Week 1/Outing/", "Work/Week 2/", "Work/Week 3/", "Loan/"),
			sample("Dag Holm", "Work/Week 1/", "Work/Week 2/", "Work/Week 3/", "Loan/"),
			sample("Ola Wren", "Work/Week 1/", "Work/Week 2/", "Work/Week 3/"),
		}, fields: []string{"name text", "loan yes-no"}, outline: `
<name>
    Exhibition | later
        Labels
    Loan       | when: loan
    Work
        Week <week:0> | each: week in 1..3
            Outing | later
`},
		"files of people's own": {samples: []Sample{
			sample("Oriel Pask", "Letters/reply.docx", "Letters/thanks.docx", "Work/"),
			sample("Jun Teague", "Letters/note on paper.docx", "Work/"),
			sample("Ida Vig", "Letters/old bill.pdf", "Work/", "Work/of one project alone.md"),
		}, fields: []string{"name text", "of-one-project-alone yes-no"}, outline: `
<name>
    Letters
    Work
        of one project alone.md | when: of-one-project-alone
`},
		"terms, and a folder alone in the project's own": {samples: []Sample{sample("Casing 2027 1 Winter", "Work/"), sample("Dyeing 2027 2 Spring", "Work/")}, fields: []string{"name text", "term term"}, outline: `
<name> <term:yyyy 0 Name> | project
    Work
`},
		"numbers and names that are no terms": {samples: []Sample{sample("Casing 2027 1 winter", "Work/"), sample("Dyeing 2028 2 spring", "Work/")}, fields: []string{"name text", "year year", "number number", "name-2 text"}, outline: `
<name> <year> <number:0> <name-2> | project
    Work
`},
		"one number, two names": {samples: []Sample{sample("Casing 2027 1 Winter", "Work/"), sample("Dyeing 2028 1 Spring", "Work/")}, fields: []string{"name text", "year year", "name-2 text"}, outline: `
<name> <year> 1 <name-2> | project
    Work
`},
		"a year that all have is no term's": {samples: []Sample{sample("Casing 2027 Winter", "Work/"), sample("Casing 2027 Spring", "Work/")}, fields: []string{"name text"}, outline: `
Casing 2027 <name> | project
    Work
`},
		"conventions": {samples: []Sample{
			sample("Oriel Pask", "Scans/2027-03-09 oriel-pask recto 001.tif", "Scans/2027-03-09 oriel-pask verso 002.tif", "Scans/2027-03-10 oriel-pask recto 003.tif", "Scans/2027-03-10 oriel-pask verso 004.tif"),
			sample("Jun Teague", "Scans/2026-01-02 jun-teague recto 001.jpg", "Scans/2026-01-02 jun-teague verso 002.jpg"),
		}, fields: []string{"name text"}, outline: `
<name> | project
    Scans | holds: scan
`},
		"two conventions in a folder": {samples: []Sample{
			sample("Oriel Pask", "Post/2027-03-09 invoice 001.pdf", "Post/2027-03-10 invoice 002.pdf", "Post/letter to recto 2027.md", "Post/letter to verso 2028.md", "Post/letter to dyer 2027.md"),
			sample("Jun Teague", "Post/2026-01-02 invoice 001.pdf", "Post/2026-01-03 invoice 002.pdf", "Post/letter to binder 2026.md", "Post/letter to tanner 2026.md"),
		}, fields: []string{"name text"}, outline: `
<name> | project
    Post | holds: letter, invoice
`},
		"two series alike": {samples: []Sample{sample("Oriel Pask", "Box 1/", "Box 2/", "Box 3/", "Bay 1/", "Bay 2/", "Bay 3/"), sample("Jun Teague", "Box 1/", "Box 2/", "Box 3/", "Bay 1/", "Bay 2/", "Bay 3/")}, fields: []string{"name text"}, outline: `
<name>
    Bay <bay:0> | each: bay in 1..3
    Box <box:0> | each: box in 1..3
`},
		"series that few have, and their numbers": {samples: []Sample{
			sample("Ola", "Sheets/Sheet 1/Sheet 1.pdf", "Sheets/Sheet 2/Sheet 2.pdf", "Sheets/Sheet 3/Sheet 3.pdf"), sample("Jun", "Sheets/Sheet 1/Sheet 1.pdf", "Sheets/Sheet 2/Sheet 2.pdf", "Sheets/Sheet 3/Sheet 3.pdf"), sample("Ida", "Sheets/Blatt 01/", "Sheets/Blatt 02/", "Sheets/Blatt 03/"),
		}, fields: []string{"name text", "sheets yes-no", "blatts yes-no"}, outline: `
<name> | project
    Sheets
        Blatt <blatt:00> | each: blatt in 1..3 | when: blatts
        Sheet <sheet:0>  | each: sheet in 1..3 | when: sheets
            Sheet <sheet:0>.pdf
`},
		"series of times over the end of a year": {samples: []Sample{
			sample("Ola", "Q/2027-Q3/", "Q/2027-Q4/", "Q/2028-Q1/", "Q/2028-Q2/", "M/2027-11/", "M/2027-12/", "M/2028-01/"), sample("Jun", "Q/2027-Q3/", "Q/2027-Q4/", "Q/2028-Q1/", "Q/2028-Q2/", "M/2027-11/", "M/2027-12/", "M/2028-01/"),
		}, fields: []string{"name text"}, outline: `
<name>
    M
        <month> | each: month in 2027-11..2028-01
    Q
        <quarter> | each: quarter in 2027-Q3..2028-Q2
`},
		"series beyond nine": {samples: []Sample{
			sample("Ola", "Box 8/", "Box 9/", "Box 10/", "Box 11/", "Bay 09/", "Bay 10/", "Bay 11/"), sample("Jun", "Box 8/", "Box 9/", "Box 10/", "Bay 09/", "Bay 10/", "Bay 11/"),
		}, fields: []string{"name text", "boxes number"}, outline: `
<name>
    Bay <bay:00> | each: bay in 9..11
    Box <box:0>  | each: box in 8..boxes
`},
		"a text of which a part is told": {samples: []Sample{
			sample("2027 Wedding Brandt", "Brandt.pdf", "Album/"), sample("2026 Wedding Holm Ek", "Holm Ek.pdf", "Album/"), sample("2025 Portrait Lind", "Lind.pdf"), sample("2024 Portrait Orr", "Orr.pdf"),
		}, given: map[string]string{"client": "Brandt"}, fields: []string{"year year", "kind choice", "client text"}, outline: `
<year> <kind> <client>
    Album | when: kind is Wedding
    <client>.pdf
`},
		"first words that come again": {samples: []Sample{
			sample("Wedding Brandt", "Brandt.pdf"), sample("Wedding Holm", "Holm.pdf"), sample("Portrait Lind", "Lind.pdf"), sample("Portrait Orr", "Orr.pdf"),
		}, fields: []string{"kind choice", "name text"}, outline: `
<kind> <name>
    <name>.pdf
`},
		"days that begin with the project's month": {samples: []Sample{
			sample("2027-03 Oriel Pask", "Scans/2027-03-09 a 001.tif", "Scans/2027-03-10 b 002.tif"), sample("2026-11 Jun Teague", "Scans/2026-11-02 c 001.tif"), sample("2026-12 Ida", "Scans/2026-12-05 a 001.tif", "2026-12 x.md", "By/2026/"),
		}, fields: []string{"month month", "name text", "by yes-no"}, outline: `
<month> <name>
    <month> x.md | when: by
    By           | when: by
        <month:yyyy>
    Scans        | holds: scan
`},
		"parts": {samples: []Sample{
			sample("Oriel Pask", "North/Plans/", "North/Letters/x.md", "South/Plans/", "South/Letters/x.md"), sample("Jun Teague", "North/Plans/", "North/Letters/x.md", "South/Plans/", "South/Letters/x.md"),
		}, fields: []string{"name text"}, outline: `
north:
    Letters
        x.md
    Plans

<name>
    North | use: north
    South | use: north
`},
		"one folder, told what a value is": {samples: []Sample{sample("2027-03 Oriel Pask", "Letters/oriel-pask 1.md", "2027 taxes.csv", "v1.2/")}, given: map[string]string{"client": "Oriel Pask"}, fields: []string{"client text", "month month"}, outline: `
<month> <client>
    <month:yyyy> taxes.csv
    Letters
        <client:like-this> 1.md
    v1.2/
`},
		"names that no line can have": {samples: []Sample{sample("Oriel Pask", "a<b>/", "a  b/", " c/", "Letters/", "tail /"), sample("Jun Teague", "a<b>/", "Letters/", "x\ny/", "c\x00d/")}, fields: []string{"name text"}, outline: `
<name> | project
    Letters
`},
	} {
		t.Run(name, func(t *testing.T) {
			r, err := Of("x", c.samples, c.given, nil)
			require.NoError(t, err)
			outline := r.Text[strings.LastIndex(r.Text, "---\n")+4:]
			var lines []string
			for line := range strings.SplitSeq(outline, "\n") {
				if !strings.HasPrefix(line, "//") {
					lines = append(lines, line)
				}
			}
			assert.Equal(t, strings.TrimPrefix(c.outline, "\n"), strings.Join(lines, "\n"), r.Text)
			var fields []string
			for _, f := range r.Fields {
				fields = append(fields, f.Name+" "+f.Kind)
			}
			assert.ElementsMatch(t, c.fields, fields)
			proofs, err := r.Prove("x", now)
			require.NoError(t, err, r.Text)
			for i, p := range proofs {
				if strings.HasPrefix(name, "names that") {
					assert.Len(t, p.Extra, []int{4, 3}[i])
					continue
				}
				assert.True(t, p.Exact, "%s: %+v", c.samples[i].Name, p)
			}
		})
	}
}

// One folder under two numbers says that they are a list, where most of the folders have it;
// where few have, there is none.
func TestNumbersThatDisagreeAreThoseOfAList(t *testing.T) {
	for name, c := range map[string]struct {
		stages [4][]string
		list   bool
	}{
		"in most":         {[4][]string{{"01 Survey", "02 Repair"}, {"01 Repair", "02 Survey"}, {"01 Survey", "02 Repair"}}, true},
		"in half of them": {[4][]string{{"01 Survey", "02 Repair"}, {"01 Repair", "02 Survey"}}, false},
		"and they agree":  {[4][]string{{"01 Survey", "02 Repair"}, {"01 Survey", "02 Repair"}, {"01 Survey", "02 Repair"}}, false},
	} {
		var samples []Sample
		for i, client := range []string{"Oriel Pask", "Jun Teague", "Ida Vig", "Dag Holm"} {
			paths := []string{"Letters/", "Work/"}
			for _, s := range c.stages[i] {
				paths = append(paths, "Work/"+s+"/")
			}
			samples = append(samples, sample(client, paths...))
		}
		r, err := Of("x", samples, nil, nil)
		require.NoError(t, err)
		assert.Equal(t, c.list, strings.Contains(r.Text, "each:"), "%s:\n%s", name, r.Text)
	}
}

// What a template builds is learned so that it is built again, from whatever values.
func TestWhatWasBuiltIsLearned(t *testing.T) {
	for _, file := range []string{"commission", "evening-course", "ledger"} {
		text, err := os.ReadFile("../../examples/" + file + ".folders")
		require.NoError(t, err)
		tpl, err := template.Parse(file, string(text), os.DirFS("../../examples"))
		require.NoError(t, err)
		rapid.Check(t, func(t *rapid.T) {
			people := []string{"Oriel Pask", "Jun Teague", "Ida Sol Vig", "Wren Abbott", "Tove Lind", "Mats Orr"}
			var samples []Sample
			for i := range rapid.IntRange(3, 6).Draw(t, "projects") {
				raw := map[string]template.Raw{
					"client": {Text: people[i]}, "course": {Text: people[i]}, "year": {Text: fmt.Sprint(2021 + i)},
					"received": {Text: fmt.Sprintf("%d-%02d-11", 2020+i, rapid.IntRange(1, 12).Draw(t, "month"))},
					"kind":     {Text: []string{"BK", "BX", "MP"}[i%3]}, "gilding": {Text: rapid.SampledFrom([]string{"yes", "no"}).Draw(t, "gilding")}, "dyeing": {Text: rapid.SampledFrom([]string{"yes", "no"}).Draw(t, "dyeing")},
					"term": {Text: fmt.Sprintf("%d %s", 2020+i, []string{"winter", "spring", "autumn"}[i%3])}, "weeks": {Text: fmt.Sprint(rapid.IntRange(3, 14).Draw(t, "weeks"))},
					"people": {Items: []string{people[(i+1)%6] + fmt.Sprint(i), people[(i+2)%6] + fmt.Sprint(i)}, List: true},
				}
				for name := range raw {
					if tpl.Field(name) == nil {
						delete(raw, name)
					}
				}
				values, wrong := tpl.ParseValues(raw, now)
				require.Empty(t, wrong)
				x, err := tpl.Tree(tpl.Complete(values, now), template.DefaultLimit)
				require.NoError(t, err)
				name, own := tpl.Own(x.Root)
				samples = append(samples, Sample{name, own})
			}
			r, err := Of("x", samples, nil, nil)
			require.NoError(t, err)
			proofs, err := r.Prove("x", now)
			require.NoError(t, err, r.Text)
			for i, p := range proofs {
				require.Empty(t, p.Extra, "%s\n%s", samples[i].Name, r.Text)
				require.Empty(t, p.Missing, "%s\n%s", samples[i].Name, r.Text)
			}
		})
	}
}

// With entries missing and added by chance, what is told of the result is so: what the
// template makes and is not there, and what is there and no line makes, are just what is
// missing and extra, but for what conventions read and what is its owner's.
func TestWhatIsToldOfWhatWasLearnedIsSo(t *testing.T) {
	text, err := os.ReadFile("../../examples/commission.folders")
	require.NoError(t, err)
	tpl, err := template.Parse("commission", string(text), os.DirFS("../../examples"))
	require.NoError(t, err)
	people := []string{"Oriel Pask", "Jun Teague", "Ida Sol Vig", "Wren Abbott", "Tove Lind", "Mats Orr"}
	rapid.Check(t, func(t *rapid.T) {
		var samples []Sample
		for i := range rapid.IntRange(2, 6).Draw(t, "projects") {
			values, wrong := tpl.ParseValues(map[string]template.Raw{"client": {Text: people[i]}, "received": {Text: fmt.Sprintf("202%d-03-09", i)}, "kind": {Text: "BK"}, "gilding": {Text: rapid.SampledFrom([]string{"yes", "no"}).Draw(t, "gilding")}}, now)
			require.Empty(t, wrong)
			x, err := tpl.Tree(tpl.Complete(values, now), 1000)
			require.NoError(t, err)
			name, own := tpl.Own(x.Root)
			var disturb func(n *tree.Node)
			disturb = func(n *tree.Node) {
				n.Children = slices.DeleteFunc(n.Children, func(*tree.Node) bool { return rapid.IntRange(0, 19).Draw(t, "gone") == 0 })
				for _, c := range n.Children {
					if c.Kind == tree.Folder {
						disturb(c)
					}
				}
				if rapid.IntRange(0, 9).Draw(t, "more") == 0 {
					n.Children = append(n.Children, &tree.Node{Name: rapid.SampledFrom([]string{"old a", "new b.txt", "2027-03-09 x 01.pdf", "05 extra", "a<b"}).Draw(t, "name"), Kind: tree.Kind(rapid.IntRange(0, 1).Draw(t, "kind"))})
				}
			}
			own = own.Copy()
			disturb(own)
			samples = append(samples, Sample{name, own})
		}
		r, err := Of("x", samples, nil, nil)
		require.NoError(t, err)
		proofs, err := r.Prove("x", now)
		require.NoError(t, err, r.Text)
		learned, err := template.Parse("x", r.Text, nil)
		require.NoError(t, err)
		for i, p := range proofs {
			values, wrong := learned.ParseValues(r.Values[i], now)
			require.Empty(t, wrong)
			x, err := learned.Tree(learned.Complete(values, now), 10_000)
			require.NoError(t, err)
			_, own := learned.Own(x.Root)
			made, there, later, idle := map[string]bool{}, map[string]bool{}, 0, []string{}
			for at, n := range own.All() {
				made[n.Kind.String()+at] = true
			}
			for at, n := range samples[i].Root.All() {
				there[n.Kind.String()+at] = true
			}
			extra, missing := 0, map[string]bool{}
			for at := range there {
				if !made[at] {
					extra++
				}
			}
			for at, n := range own.All() {
				switch known := there[n.Kind.String()+at]; {
				case known && n.Marks&tree.Later != 0:
					later++
				case !known && n.Marks&tree.Later == 0 && !slices.ContainsFunc(idle, func(above string) bool { return strings.HasPrefix(at, above) }):
					missing[n.Kind.String()+at] = true
				case !known && n.Marks&tree.Later != 0:
					idle = append(idle, at+"/")
				}
			}
			require.Equal(t, later, p.Later, r.Text)
			told := p.Held + p.Owner
			for _, at := range p.Extra {
				told++
				for q := range samples[i].Root.All() {
					if strings.HasPrefix(q, at+"/") {
						told++
					}
				}
			}
			require.Equal(t, extra, told, "%s\n%+v", r.Text, p)
			for _, at := range p.Missing {
				require.True(t, at == own.Name || missing["folder"+at] || missing["file"+at], at)
			}
			require.Equal(t, len(missing) == 0 && len(p.Extra) == 0 && own.Name == samples[i].Name, p.Exact)
		}
	})
}

func TestLinksAreNotLearnedAndTold(t *testing.T) {
	var samples []Sample
	for _, name := range []string{"Oriel Pask", "Jun Teague"} {
		s := sample(name, "Work/")
		s.Root.Children = append(s.Root.Children, &tree.Node{Name: "desk", Kind: tree.File, Marks: tree.Link})
		samples = append(samples, s)
	}
	r, err := Of("t", samples, nil, nil)
	require.NoError(t, err)
	assert.NotContains(t, r.Text, "desk")
	proofs, err := r.Prove("t", now)
	require.NoError(t, err)
	for _, p := range proofs {
		assert.Equal(t, []string{"desk"}, p.Extra)
	}
}

func TestWhatIsUncertainIsSaid(t *testing.T) {
	for _, c := range []struct {
		samples []Sample
		says    string
	}{
		{[]Sample{sample("Oriel Pask", "Letters/", "Plans/")}, "“Oriel Pask” is taken for a value"},
		{[]Sample{sample("A 2027", "Letters/", "Plans/"), sample("B 2028", "Receipts/", "Payroll/x/")}, "little in common"},
		{[]Sample{sample("A 2027 2 Spring", "Work/"), sample("B 2028 3 Autumn", "Work/")}, "term1 stands for its name"},
		{[]Sample{sample("Ola", "Letters/"), sample("Jun", "Letters/")}, ""},
		{[]Sample{sample("Ola", "Letters/"), sample("Ola", "Letters/")}, ""},
	} {
		r, err := Of("x", c.samples, nil, nil)
		require.NoError(t, err)
		if c.says == "" {
			assert.Empty(t, r.Doubts)
		} else {
			assert.Contains(t, strings.Join(r.Doubts, "; "), c.says)
			assert.Contains(t, r.Text, "// "+r.Doubts[0], "it stands in the template as well")
		}
		proofs, err := r.Prove("x", now)
		require.NoError(t, err)
		for _, p := range proofs {
			assert.True(t, p.Exact, "%s%+v", r.Text, p)
		}
	}
	_, err := Of("x", nil, nil, nil)
	assert.Error(t, err)
}

// Whatever folders are called, what is learned is a template, and nothing is said to be
// explained that is not.
func FuzzOf(f *testing.F) {
	f.Add("2027-03 Oriel Pask\x01A/B/\x01c.md\x02Jun\x01A/\x01c 01.md\x01c 02.md\x01c 03.md")
	f.Add("<x>\x01a: b/\x01--- \x01//x\x01.y\x02\x01x:/y")
	f.Add("---")
	f.Add("Oriel Pask\x01C 01.md\x01c 02.md\x01C 03.md\x01c 04.md\x01C 05.md\x01c 06.md")
	f.Fuzz(func(t *testing.T, text string) {
		var samples []Sample
		for one := range strings.SplitSeq(text, "\x02") {
			parts := strings.Split(one, "\x01")
			var paths []string
			for _, p := range parts[1:] {
				if p != "" && p != "/" && !strings.HasPrefix(p, "/") && !strings.Contains(p, "//") {
					paths = append(paths, p)
				}
			}
			samples = append(samples, sample(strings.ReplaceAll(parts[0], "/", ""), paths...))
		}
		if len(samples) > 5 {
			return
		}
		r, err := Of("x", samples, nil, nil)
		if err != nil {
			return
		}
		proofs, err := r.Prove("x", now)
		if err != nil {
			t.Fatalf("%v\n%s", err, r.Text)
		}
		for i, p := range proofs {
			if p.Entries != samples[i].Root.Count() {
				t.Fatalf("%d entries are counted, of %d", p.Entries, samples[i].Root.Count())
			}
		}
	})
}
