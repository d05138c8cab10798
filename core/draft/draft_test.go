package draft

import (
	"fmt"
	"io/fs"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/treetest"
	"vestibula/core/value"
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
			proofs, err := r.Prove("x", c.samples, now)
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
			proofs, err := r.Prove("x", samples, now)
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
		proofs, err := r.Prove("x", samples, now)
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

// A slot without a form would be any text.
func TestDaysInConventionsAreDays(t *testing.T) {
	r, err := Of("x", []Sample{
		sample("Oriel", "Bills/2027-03-09 bill 1.pdf", "Bills/2027-03-10 bill 2.pdf", "Bills/2027-04-01 bill 3.pdf"),
		sample("Jun", "Bills/2027-02-09 bill 1.pdf", "Bills/2027-02-10 bill 2.pdf"),
	}, nil, nil)
	require.NoError(t, err)
	learned, err := template.Parse("x", r.Text, nil)
	require.NoError(t, err, r.Text)
	require.Len(t, learned.Names, 1, r.Text)
	kinds := map[string]value.Kind{}
	for _, f := range learned.Names[0].Fields {
		kinds[f.Name] = f.Type.Kind
	}
	assert.Equal(t, map[string]value.Kind{"day": value.Date, "n": value.Number}, kinds, r.Text)
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
	proofs, err := r.Prove("t", samples, now)
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
		proofs, err := r.Prove("x", c.samples, now)
		require.NoError(t, err)
		for _, p := range proofs {
			assert.True(t, p.Exact, "%s%+v", r.Text, p)
		}
	}
	_, err := Of("x", nil, nil, nil)
	assert.Error(t, err)
}

// Where few words stand in one place of many names, they are a choice; else they are a text.
func TestFewWordsOfManyNamesAreAChoice(t *testing.T) {
	text := func(words ...string) string {
		var paths []string
		for i, w := range words {
			paths = append(paths, fmt.Sprintf("Scans/2027-03-%02d %s %03d.tif", i+1, w, i+1))
		}
		r, err := Of("x", []Sample{sample("Ola", paths...), sample("Jun", paths[:3]...)}, nil, nil)
		require.NoError(t, err)
		return r.Text
	}
	few := text("recto", "verso", "recto", "verso", "recto", "recto")
	assert.Contains(t, few, "<kind>")
	assert.Contains(t, few, "of: [recto, verso]")
	assert.NotContains(t, text("recto", "Recto", "recto", "verso", "recto", "recto"), "of: [", "capitals alone tell no codes apart")
	assert.NotContains(t, text("oak", "tide", "gold", "calf", "vellum", "linen"), "of: [")
}

// Noise is what lies in one project alone, where there is more of it than projects, in more
// than half of them. What lies in a list is none: where six projects of ten have what no other
// one has, or each has two and nothing is in more than three of four.
func TestNoiseIsWhatIsChance(t *testing.T) {
	for _, c := range []struct {
		of, lone, all int // so many of the projects have, together, so many folders of their own
		common        int // so many have this one
		noisy         bool
	}{
		{9, 5, 10, 9, true},
		{9, 5, 9, 9, false},
		{8, 4, 12, 8, false},
		{5, 3, 6, 5, false},
		{10, 6, 12, 10, false},
		{11, 6, 12, 11, true},
		{12, 7, 14, 12, true},
		{12, 8, 16, 12, false},
		{12, 7, 15, 9, false},
		{12, 7, 14, 9, true},
		{12, 7, 15, 10, true},
	} {
		var samples []Sample
		var tops []*instance
		for i := range c.of {
			paths := []string{"People/"}
			if i < c.common {
				paths = append(paths, "People/All/")
			}
			for k := i; k < c.all && i < c.lone; k += c.lone {
				paths = append(paths, "People/"+strings.Repeat(string(rune('a'+i)), 2+k)+"/")
			}
			samples = append(samples, sample("P", paths...))
			tops = append(tops, &instance{sample: i, node: samples[i].Root})
		}
		l := newLearner(samples)
		l.spellings = make([][]spelling, len(samples))
		l.measureNoise(tops)
		assert.Equal(t, c.noisy, l.noisy, "%+v", c)
	}
}

// Where much is of one project alone, a series goes from the lowest to the highest that most of
// them have.
func TestASeriesIsSeenThroughNoise(t *testing.T) {
	weeks := func(days ...string) (paths []string) {
		for i, d := range days {
			for _, day := range strings.Split(d, "") {
				paths = append(paths, fmt.Sprintf("Weeks/Week %d/Day %s/", i+1, day))
			}
		}
		return paths
	}
	r, err := Of("x", []Sample{
		sample("Oriel Pask", append(weeks("234", "1234", "123"), "Loan/", "Prints/")...),
		sample("Jun Teague", append(weeks("123", "234", "1234"), "Fair/", "Barter/")...),
		sample("Ida Vig", append(weeks("1234", "123", "234"), "Moulds/", "Wages/")...),
		sample("Dag Holm", append(weeks("1234", "1234", "1234"), "Rents/", "Tools/")...),
		sample("Wren Abbott", append(weeks("1234", "1234", "1234"), "Work/")...),
		sample("Tove Lind", append(weeks("1234", "1234", "1234"), "Work/")...),
	}, nil, nil)
	require.NoError(t, err)
	assert.Contains(t, r.Text, "Week <week:0> | each: week in 1..3")
	assert.Contains(t, r.Text, "Day <day:0> | each: day in 1..4")
}

func TestNamesAreReadApart(t *testing.T) {
	kinds := func(name string) (out []string) {
		for _, tok := range tokens(name) {
			out = append(out, tok.kind+" "+tok.text)
		}
		return out
	}
	for name, want := range map[string][]string{
		"2027-03-09 oriel-pask 01": {"date 2027-03-09", "sign  ", "word oriel", "sign -", "word pask", "sign  ", "number 01"},
		"2027-03":                  {"month 2027-03"},
		"2027-13":                  {"year 2027", "sign -", "number 13"},
		"2027-02-30":               {"month 2027-02", "sign -", "number 30"},
		"2027-Q2 2027-W53":         {"quarter 2027-Q2", "sign  ", "year 2027", "sign -", "word W", "number 53"},
		"09.03.2027":               {"date 09.03.2027"},
		"20270309x":                {"date 20270309", "word x"},
		"x12027":                   {"word x", "number 12027"},
		"<client:like-this> a":     {"mixed <client:like-this>", "sign  ", "word a"},
		"12345678901":              {"word 12345678901"},
		"L'été":                    {"word L'été"},
	} {
		assert.Equal(t, want, kinds(name), name)
		assert.Equal(t, name, join(tokens(name)))
	}
	for _, c := range []struct {
		names []string
		want  string
	}{
		{[]string{"Ola", "Jun"}, "text"}, {[]string{"Ola 1", "Ola 2"}, "“Ola ” number"}, {[]string{"2027 A", "2028 B"}, "year “ ” choice"},
		{[]string{"2027-03 Oriel Pask BK", "2027-04 Jun Teague BX"}, "month “ ” text “ ” choice"}, {[]string{"Ola (2027)", "Jun Teague (2028)"}, "text “ (” year “)”"},
		{[]string{"Box 001 of Ola", "Box 012 of Jun"}, "“Box ” number “ of ” text"}, {[]string{"same", "same"}, "“same”"},
	} {
		var got []string
		for _, p := range infer(c.names) {
			if got = append(got, p.kind); p.kind == "" {
				got[len(got)-1] = "“" + p.literal + "”"
			}
		}
		assert.Equal(t, c.want, strings.Join(got, " "), c.names)
	}
}

// What a reading of a name says gives that name again, with the values that it was read by.
func TestReadingsGiveTheNameAgain(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		client := rapid.SampledFrom([]string{"Oriel Pask", "Jun", "Åsa Ek", "O'Hara & Co"}).Draw(t, "client")
		l := newLearner(make([]Sample, 1))
		l.field("client", "text").values[0] = client
		l.field("day", "date").values[0] = "2027-03-09"
		l.spellings = [][]spelling{l.spellingsOf(0)}
		by := map[string]string{}
		for _, f := range l.spellings[0] {
			by[f.slot] = f.text
		}
		spellings := l.spellings[0]
		name := ""
		for range rapid.IntRange(1, 4).Draw(t, "parts") {
			name += rapid.SampledFrom([]string{" ", "-", "x", "1", spellings[rapid.IntRange(0, len(spellings)-1).Draw(t, "spelling")].text}).Draw(t, "part")
		}
		list := l.readings(&instance{}, name)
		assert.Equal(t, name, list[0], "the plain name is the first")
		for _, reading := range list {
			out := reading
			for slot, text := range by {
				out = strings.ReplaceAll(out, slot, text)
			}
			assert.Equal(t, name, out, reading)
		}
	})
}

func TestAShelfIsAFolderOfStarters(t *testing.T) {
	f, err := shelf{{Path: "forms/a.md", Data: []byte("one")}}.Open("forms/a.md")
	require.NoError(t, err)
	info, err := f.Stat()
	require.NoError(t, err)
	assert.Equal(t, "a.md", info.Name())
	assert.EqualValues(t, 3, info.Size())
	assert.True(t, info.Mode().IsRegular() && !info.IsDir() && info.ModTime().IsZero() && info.Sys() == nil)
	_, err = shelf{}.Open("forms/a.md")
	assert.ErrorIs(t, err, fs.ErrNotExist)
}

func TestStartersAreWhatFilesShare(t *testing.T) {
	samples := []Sample{sample("Oriel Pask", "Terms.txt", "Letter.md", "Own.md"), sample("Jun Teague", "Terms.txt", "Letter.md", "Own.md")}
	texts := map[string][2]string{"Terms.txt": {"All rights.", "All rights."}, "Letter.md": {"Dear Oriel Pask, oriel-pask!", "Dear Jun Teague, jun-teague!"}, "Own.md": {"one", "two"}}
	r, err := Of("jobs", samples, nil, func(sample int, path string) ([]byte, bool) { return []byte(texts[path][sample]), true })
	require.NoError(t, err)
	assert.Contains(t, r.Text, "Terms.txt | copy: starters/jobs/terms.txt")
	assert.Contains(t, r.Text, "Letter.md | fill: starters/jobs/letter.md")
	assert.NotContains(t, r.Text, "Own.md |")
	require.Len(t, r.Starters, 2)
	for _, s := range r.Starters {
		assert.Contains(t, []string{"All rights.", "Dear <name>, <name:like-this>!"}, string(s.Data))
	}
	proofs, err := r.Prove("jobs", samples, now)
	require.NoError(t, err)
	assert.True(t, proofs[0].Exact && proofs[1].Exact)
}

func TestWhatProjectsHaveBeyondTheirTemplate(t *testing.T) {
	text := "---\nfields: { client: Who?, weeks: { type: number } }\n---\n// Ours.\n<client>\n    <#> Letters   | note: by post\n    // and\n    <#> Plans\n    Weeks\n        Week <n:00> | each: n in 1..weeks\n    <#> Settled   | number: 90\n"
	tpl, err := template.Parse("t", text, nil)
	require.NoError(t, err)
	of := func(client string, more ...string) Sample {
		return sample(client, append([]string{"01 Letters/", "02 Plans/", "90 Settled/", "Weeks/Week 01/Notes/", "Weeks/Week 02/Notes/"}, more...)...)
	}
	samples := []Sample{of("Oriel Pask", "03 Loans/In/", "07 Late/", "oriel-pask x.md", "01 Letters/Drafts/", "own.txt"), of("Jun Teague", "03 Loans/In/", "07 Late/", "jun-teague x.md", "01 Letters/Drafts/", "02 Plans/own/")}
	out, added, err := Beyond(tpl, samples, make([]template.Values, 2), 1000, now)
	require.NoError(t, err)
	assert.Equal(t, strings.NewReplacer("by post\n", "by post\n        Drafts\n", "1..weeks\n", "1..weeks\n            Notes\n    <#> Loans\n        In\n    <#> Late | number: 7\n", "number: 90\n", "number: 90\n    <client:like-this> x.md\n").Replace(text), out)
	assert.Len(t, added, 6)
	for _, a := range added {
		assert.Equal(t, strings.Split(out, "\n")[a.Number-1], a.Text)
	}
	tpl, err = template.Parse("t", out, nil)
	require.NoError(t, err)
	again, added, err := Beyond(tpl, samples, make([]template.Values, 2), 1000, now)
	require.NoError(t, err)
	assert.Equal(t, out, again, "then they have nothing beyond it")
	assert.Empty(t, added)
	_, _, err = Beyond(tpl, samples[:1], make([]template.Values, 1), 1000, now)
	assert.ErrorContains(t, err, "two or more")
}

// A number of a line that is added counts on behind a list, and stays in the name where the
// template has it already: it can be built, and has nothing left beyond it.
func TestNumbersBeyondATemplateFitAmongItsOwn(t *testing.T) {
	text := "---\nfields: { client: Who?, stages: { type: list, default: [sew, case] } }\n---\n<client>\n    <#> Work\n        <#> <s> | each: s in stages\n    <#> Settled | number: 90\n"
	tpl, err := template.Parse("t", text, nil)
	require.NoError(t, err)
	known, wrong := tpl.ParseValues(map[string]template.Raw{"stages": {Items: []string{"sew", "case"}, List: true}}, now)
	require.Empty(t, wrong)
	beyond := func(t require.TestingT, tpl *template.Template, samples ...Sample) (string, []Addition) {
		out, added, err := Beyond(tpl, samples, []template.Values{known, known}, 1000, now)
		require.NoError(t, err, tpl.Text)
		return out, added
	}
	rapid.Check(t, func(t *rapid.T) {
		more := rapid.SliceOfDistinct(rapid.Custom(func(t *rapid.T) string {
			return rapid.SampledFrom([]string{"", "01 Work/"}).Draw(t, "in") + fmt.Sprintf("%02d %s", rapid.IntRange(0, 99).Draw(t, "number"), rapid.SampledFrom([]string{"Loans/", "Notes/", "Sheet.md", "% %/"}).Draw(t, "name"))
		}), rapid.ID[string]).Draw(t, "more")
		var samples []Sample
		for _, client := range []string{"Oriel Pask", "Jun Teague"} {
			samples = append(samples, sample(client, slices.Concat([]string{"01 Work/01 sew/", "01 Work/02 case/", "90 Settled/"}, more)...))
		}
		out, added := beyond(t, tpl, samples...)
		require.Len(t, added, len(more), out)
		edited, err := tpl.Edited(out)
		require.NoError(t, err, out)
		_, added = beyond(t, edited, samples...)
		require.Empty(t, added, out)
	})
	both := func(client string) Sample {
		return sample(client, "01 Work/01 sew/", "01 Work/02 case/", "01 Work/03 Gilding/", "90 Settled/", "90 Notes/")
	}
	out, _ := beyond(t, tpl, both("Oriel Pask"), both("Jun Teague"))
	assert.Equal(t, strings.Replace(text, "in stages\n", "in stages\n        <#> Gilding\n", 1)+"    90 Notes\n", out)
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
		proofs, err := r.Prove("x", samples, now)
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

// What only one folder holds may be named after that folder in any way: the template that is
// learned can be built for all of them, also where the name of another one has no letter, or
// is a number.
func TestWhatOneHasCanBeWrittenForAll(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		word := rapid.SampledFrom([]string{"Oriel Pask", "Jun Teague", "%", "܍-%", "0", "01", "AB", "März", "{a}", "x; y", "2027-03", "2027 2 Winter", "OP", "yes"})
		name := rapid.Custom(func(t *rapid.T) string {
			return strings.Join(rapid.SliceOfN(word, 1, 2).Draw(t, "words"), rapid.SampledFrom([]string{" ", "-", " - "}).Draw(t, "joint"))
		})
		var samples []Sample
		for _, own := range rapid.SliceOfN(name, 2, 4).Draw(t, "names") {
			var paths []string
			for range rapid.IntRange(0, 4).Draw(t, "entries") {
				as := own
				if rapid.Bool().Draw(t, "styled") {
					as = newLearner(nil).written("text", nil, own, rapid.SampledFrom(pattern.TextForms()).Draw(t, "form"))
				}
				if as != "" {
					paths = append(paths, rapid.SampledFrom([]string{"", "Lid/", "Week 01/", word.Draw(t, "above") + "/"}).Draw(t, "in")+as+rapid.SampledFrom([]string{"/", ".md"}).Draw(t, "ending"))
				}
			}
			slices.Sort(paths)
			samples = append(samples, sample(own, slices.Compact(paths)...))
		}
		r, err := Of("x", samples, nil, nil)
		require.NoError(t, err)
		proofs, err := r.Prove("x", samples, now)
		require.NoError(t, err, r.Text)
		for i, p := range proofs {
			require.Equal(t, samples[i].Root.Count(), p.Entries)
		}
	})
}

// Whatever projects have beside what all have, the template gives each of them again; what few
// have is for later and is not asked for, and what more have is.
func TestWhatIsSeldomIsForLater(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		people := []string{"Oriel Pask", "Jun Teague", "Ida Sol Vig", "Wren Abbott", "Tove Lind", "Mats Orr", "Bo Ferry", "Dag Holm"}
		n := rapid.IntRange(4, len(people)).Draw(t, "projects")
		extras := []string{"Exhibition/", "Loan/", "Repairs/Photographs/", "Appendix.md"}
		has := map[string]int{}
		var samples []Sample
		for i := range n {
			paths := []string{"Letters/", "Work/"}
			for _, e := range extras {
				if rapid.IntRange(0, 3).Draw(t, "has") == 0 {
					paths = append(paths, e)
					has[e]++
				}
			}
			samples = append(samples, sample(people[i], paths...))
		}
		r, err := Of("x", samples, nil, nil)
		require.NoError(t, err)
		proofs, err := r.Prove("x", samples, now)
		require.NoError(t, err, r.Text)
		for i, p := range proofs {
			assert.True(t, p.Exact, "%s\n%s: %+v", r.Text, samples[i].Name, p)
		}
		for _, e := range extras {
			name, _, _ := strings.Cut(e, "/")
			for line := range strings.Lines(r.Text) {
				if !strings.HasPrefix(strings.TrimSpace(line), name) {
					continue
				}
				later := strings.Contains(line, "| later")
				if e == "Appendix.md" || has[e]*fewOf > n {
					assert.False(t, later, "%d of %d have it: %s", has[e], n, line)
				}
				assert.True(t, later || strings.Contains(line, "| when:") || has[e] == n, line)
			}
		}
	})
}

// A day ends where its digits end: more of them are a number.
func TestLongNumbersAreNoDays(t *testing.T) {
	for text, day := range map[string]string{"2027-03-09 x": "date", "2027-03-0912 x": "month", "2027-03 x": "month", "2027-039 x": "year", "2027 x": "year", "20270 x": ""} {
		kinds := ""
		for _, token := range tokens(text) {
			if calendar(token.kind) {
				kinds += token.kind
			}
		}
		assert.Equal(t, day, kinds, text)
	}
}

// Names of one convention have one shape, however many words stand where one of them has one.
func TestNamesOfOneConventionHaveOneShape(t *testing.T) {
	for _, names := range [][]string{{"oak leaf 01", "tide 02", "old oak leaf 12"}, {"2027-03-09 oak leaf", "2027-04-01 tide"}, {"01_oak leaf_x", "02_tide_y"}} {
		for _, name := range names[1:] {
			assert.Equal(t, shapeOf(names[0]), shapeOf(name), name)
		}
		assert.NotEmpty(t, shapeOf(names[0]))
	}
	for _, pair := range [][2]string{{"oak 01", "01 oak"}, {"oak-01", "oak 01"}, {"oak 01", "oak 01 leaf"}, {"oak 01", "2027-03-09 oak"}} {
		assert.NotEqual(t, shapeOf(pair[0]), shapeOf(pair[1]), pair)
	}
	assert.Empty(t, shapeOf("only words"))
}
