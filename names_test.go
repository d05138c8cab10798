package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/google/jsonschema-go/jsonschema"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/template"
)

func commissionDesk(t *testing.T) (*desk, string) {
	d := newDesk(t, "clients/x", "")
	out, status := d.run("build", "commission", "--into", "clients", "client=Åsgerd Ölvane", "received=2027-03-09", "--yes")
	require.Zero(t, status, out)
	return d, "clients/2027-03 Åsgerd Ölvane BK"
}

func TestNamesCountOnInTheirFolder(t *testing.T) {
	t.Parallel()
	d, project := commissionDesk(t)
	photographs := project + "/02 Condition survey/Photographs"
	name := func(args ...string) (string, int) {
		return d.run(append([]string{"name", "commission", "scan"}, args...)...)
	}
	out, status := name("--in", photographs, "side=recto", "--count", "2", "--create")
	assert.Zero(t, status)
	assert.Equal(t, "2027-03-09 asgerd-olvane recto 001.tif\n2027-03-09 asgerd-olvane recto 002.tif\n", out)
	assert.Len(t, d.has(photographs), 2)
	out, _ = name("--in", photographs, "side=spine", "--ext", "jpg")
	assert.Equal(t, "2027-03-09 asgerd-olvane spine 003.jpg\n", out)
	assert.Len(t, d.has(photographs), 2, "nothing is made without --create")

	d.write("start.tif", "begin")
	out, status = name("--in", photographs, "side=recto", "n=1", "--create", "--from", "start.tif")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "is there already")
	assert.Empty(t, d.read(photographs+"/2027-03-09 asgerd-olvane recto 001.tif"), "an existing file is never touched")
	_, status = name("--in", photographs, "side=recto", "--create", "--from", "start.tif")
	assert.Zero(t, status)
	assert.Equal(t, "begin", d.read(photographs+"/2027-03-09 asgerd-olvane recto 003.tif"))

	out, status = d.run("name", "commission", "invoice", "--in", project+"/05 Invoices", "day=2027-04-01", "what=deposit", "n=7", "--json")
	assert.Zero(t, status)
	assert.JSONEq(t, `["2027-04-01 AO2703 deposit-07"]`, out)

	for _, tt := range []struct {
		args []string
		want string
	}{
		{[]string{"name", "commission"}, "it has scan, invoice"},
		{[]string{"name", "commission", "scna"}, "did you mean scan?"},
		{[]string{"name", "commission", "scan"}, "scan needs 3 values that are missing"},
		{[]string{"name", "commission", "invoice", "what=deposit", "day=today"}, "received=…"},
		{[]string{"name", "commission", "scan", "sied=recto"}, `did you mean "side"?`},
		{[]string{"name", "commission", "scan", "--ext", "pdf", "client=x", "received=today", "side=recto"}, "is not for .pdf"},
		{[]string{"name", "commission", "scan", "--in", "nowhere", "side=recto"}, `there is no folder "nowhere"`},
		{[]string{"name", "evening-course", "handout", "--count", "3", "course=x", "evening=1", "topic=y"}, "3 names would all be the same"},
		{[]string{"name", "commission", "scan", "client=x", "received=2027-02-30", "side=recto"}, "2027-02-30 is not a date"},
	} {
		out, status := d.run(tt.args...)
		assert.Equal(t, 2, status, tt.args)
		assert.Contains(t, out, tt.want)
	}
}

// What the place says is not asked for, and not contradicted.
func TestNamesKnowTheirPlace(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "clients/x", "")
	d.write("job.folders", `---
fields: { client: Who? }
names:
  invoice:
    pattern: "<day:yyyy>-<n:0000> <client:like-this>"
    fields: { day: { type: date }, n: { type: number, next: everywhere, per: "<day:yyyy>" } }
    for: [pdf]
  sheet: { pattern: "<day:yyyy-mm-dd> <n:00> <what>", fields: { day: { type: date, within: month }, n: { next: project } } }
rules: { name-words: 2 }
---
<client>
    Invoices | holds: invoice
    Months
        <month:yyyy-mm> | each: month in 2027-01..2027-02 | holds: sheet
`)
	for _, client := range []string{"Oriel Pask", "Jun Teague"} {
		out, status := d.run("build", "job", "--into", "clients", "client="+client, "--yes")
		require.Zero(t, status, out)
	}
	d.write("a b.PDF", "first")
	d.write("c.pdf", "second")
	for _, tt := range []struct {
		args   string
		status int
		want   string
	}{
		{"invoice|day=2027-03-01|--in|clients/Oriel Pask|--create", 0, "2027-0001 oriel-pask.pdf"},
		{"invoice|day=2027-03-02|--in|clients/Jun Teague|--create|--from|a b.PDF|--from|c.pdf", 0, "2027-0002 jun-teague.PDF\n2027-0003 jun-teague.pdf"},
		{"invoice|day=2028-03-02|--in|clients/Jun Teague/Invoices", 0, "2028-0001 jun-teague.pdf"},
		{"invoice|day=2027-03-02|--in|clients/Jun Teague/Months", 0, "the number counts on in all of clients\n2027-0004 jun-teague.pdf"},
		{"sheet|day=2027-01-09|what=oak|--in|clients/Oriel Pask|--create|--ext|txt", 0, "the name is for clients/Oriel Pask/Months/2027-01\n2027-01-09 01 oak.txt"},
		{"sheet|day=2027-02-09|what=elm|--in|clients/Oriel Pask/Months/2027-02|--create|--ext|txt", 0, "2027-02-09 02 elm.txt"},
		{"sheet|day=2027-02-09|what=elm|--in|clients/Jun Teague", 0, "2027-02-09 01 elm"},
		{"sheet|day=2027-03-09|what=elm|--in|clients/Jun Teague/Months/2027-01", 1, "the day 2027-03-09 does not lie in the month 2027-01"},
		{"invoice|day=2027-03-09|client=Ola|--in|clients/Jun Teague/Invoices", 1, "here client is Jun Teague, and not Ola"},
		{"invoice|day=2027-03-09|--in|.|client=Ola", 2, "there is no template \"invoice\""},
		{"sheet|day=2027-01-09|what=one-two three four|--in|clients/Jun Teague", 1, "words"},
	} {
		out, status := d.run(append([]string{"name"}, strings.Split(tt.args, "|")...)...)
		assert.Equal(t, tt.status, status, "%s: %s", tt.args, out)
		assert.Contains(t, out, tt.want, tt.args)
	}
	assert.Equal(t, "first", d.read("clients/Jun Teague/Invoices/2027-0002 jun-teague.PDF"))
	assert.Equal(t, "second", d.read("clients/Jun Teague/Invoices/2027-0003 jun-teague.pdf"))

	d.write("clients/Oriel Pask/Invoices/2027-0002 oriel-pask.pdf", "")
	out, _ := d.run("check", "clients")
	assert.Contains(t, flat(out), "Invoices/2027-0002 oriel-pask.pdf has the same number as “Jun Teague")
	out, _ = d.run("check", "clients/Oriel Pask")
	assert.Contains(t, out, "Not looked at: whether other projects have numbers of invoice")
}

func TestConventionsAreCompleted(t *testing.T) {
	t.Parallel()
	d, project := commissionDesk(t)
	for _, args := range [][]string{{"put", "x", "--convention", ""}, {"rename", ""}, {"rename", "commission", ""}, {"read", "--convention", ""}, {"name", ""}} {
		out, status := d.exec("sh", "-c", "cd '"+project+"' && vestibula __complete "+strings.Join(args[:len(args)-1], " ")+" ''")
		assert.Zero(t, status)
		assert.Contains(t, out, "scan\ninvoice\n", args)
	}
}

func TestAFolderOfNamesIsReadBack(t *testing.T) {
	t.Parallel()
	d, project := commissionDesk(t)
	for i := 1; i <= 28; i++ {
		d.write(fmt.Sprintf("%s/05 Invoices/2027-%02d-01 AO2703 deposit-%02d.pdf", project, i%12+1, i), "")
	}
	d.write(project+"/05 Invoices/2027-3-9 AO2703 deposit-29.pdf", "")
	d.write(project+"/05 Invoices/2027-03-09 AO2703 demand-30.pdf", "")
	in := project + "/05 Invoices"
	_, status := d.run("read", "commission", "--in", in, "--strict")
	assert.Equal(t, 1, status)
	out, status := d.run("read", "commission", "--in", in)
	assert.Zero(t, status, "what does not fit is told, and is no failure")
	assert.True(t, strings.HasPrefix(out, "28 names of 30 read; 2 do not fit\n"), out)
	assert.Contains(t, out, "2027-3-9 AO2703 deposit-29.pdf\n     ^ the month needs two digits\n")
	assert.Contains(t, out, "2027-03-09 AO2703 demand-30.pdf\n                  ^ <what> must be one of deposit, invoice, reminder\n")

	out, _ = d.run("read", "commission", "--in", in, "--where", "day=2027-02..2027-03", "--where", "n=..14", "--json")
	var got struct {
		Fit     []struct{ Values map[string]string }
		Misfits []struct {
			At      int
			Message string
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	assert.Len(t, got.Fit, 4)
	assert.Len(t, got.Misfits, 2)
	assert.Equal(t, 6, got.Misfits[1].At)

	d.write("odd/=1+1 x.md", "")
	d.write("odd/.hidden", "")
	d.write("t.folders", "---\nnames: { a: \"<what> <n:0>\", b: \"<what> x\" }\n---\nA\n")
	out, status = d.run("read", "t", "--in", "odd", "--csv")
	assert.Zero(t, status)
	rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"path", "convention", "what", "n", "problem"}, {"odd/=1+1 x.md", "b", "'=1+1", "", ""}}, rows)

	for range 2 {
		for i := range 30 {
			d.write(fmt.Sprintf("many/no %d.md", i), "")
		}
	}
	out, _ = d.run("read", "t", "--in", "many", "--convention", "b")
	assert.Contains(t, out, "… and 10 more; all of them: vestibula read t --in many --convention b --all")
	out, status = d.run("read", "t", "--in", "many", "--where", "colour=red")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, `no naming convention here has a field "colour"`)
	out, status = d.run("read", "t", "\x1b[31m x", "--strict")
	assert.Equal(t, 1, status)
	assert.NotContains(t, out, "\x1b")

	d.write("two.folders", "---\nnames: { letter: \"<to:like-this> <n:00>\", invoice: \"<due:like-this> <n:00>\" }\n---\nA\n  Letters | holds: letter\n  Invoices | holds: invoice\n")
	d.write("A/Letters/jun 07.md", "")
	d.write("A/Invoices/jun 07.md", "")
	d.write("A/jun 08.md", "")
	out, status = d.run("read", "two", "--in", "A", "--strict")
	assert.Equal(t, 1, status)
	assert.Equal(t, `2 names of 3 read; 1 fits two conventions alike

letter
to   n  file
jun  7  Letters/jun 07.md

invoice
due  n  file
jun  7  Invoices/jun 07.md

fit two conventions alike
jun 08.md
^ it fits both “letter” and “invoice”, and neither better
`, out)
}

func TestCheckProvesConventions(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nnames:\n  note: \"<day:d.m.yyyy> <client> <topic>\"\n  other: \"<x:like-this> <y:00>\"\n---\nA | holds: note, other\n")
	out, status := d.run("check", "t")
	assert.Equal(t, 1, status)
	for _, want := range []string{"t.folders:3:10: error: names of “note” can be read in two ways", "\n   3 |   note: \"<day:d.m.yyyy> <client> <topic>\"\n     |                         ^^^^^^^^ ^^^^^^^\n       9.3.2027 oak chair blue\n         is client “oak”         topic “chair blue”\n         or client “oak chair”   topic “blue”\n\n",
		"write <client:like-this>", "<day> has days or months without a zero in front", "write <day:yyyy-mm-dd>"} {
		assert.Contains(t, out, want)
	}
	d.write("big.folders", "---\nnames: { a: \"<a:like-this> <b:like-this> <c:like-this> <d:like-this>\" }\n---\nA\n")
	out, _ = d.run("check", "big")
	assert.Contains(t, out, "can have 323 characters")

	// What is not decided is told, and where a text stands twice, it is refused.
	d.write("u.folders", "---\nnames:\n  one: \"<a:like-this> <a:like-this>\"\n  two: \"rope <b:like-this>\"\n  three: \"<c> <c> x\"\n  four: \"oak <d:00> cord\"\n  five: \"<e> <f:00> <e>\"\n---\nNotes | holds: one, two\n  More | holds: four, five\n")
	out, status = d.run("check", "u")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "“rope rope” fits both “one” and “two”")
	assert.Contains(t, out, "it could not be decided whether a name can fit both “four” and “five”")
	assert.Contains(t, out, "u.folders:5:11: error: names of “three” can be split in two ways, and whether <c>, which stands twice, tells them apart is not decided")
}

func TestDraftsAreCleanAndNeverOverwrite(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	for _, args := range [][]string{{"my clients"}, {"kurs", "--like", "evening-course"}, {"deep/c", "--like", "commission"}} {
		out, status := d.run(append([]string{"draft"}, args...)...)
		assert.Zero(t, status, out)
		out, status = d.run("check", args[0]+".folders")
		assert.Zero(t, status, out)
		assert.Contains(t, out, "All is well")
		out, status = d.run(append([]string{"draft"}, args...)...)
		assert.Equal(t, 1, status)
		assert.Contains(t, out, "is there already")
	}
	assert.Equal(t, d.read("starters/first-evening.md"), readExample(t, "starters/first-evening.md"))
	d.write("other/starters/survey.md", "mine")
	out, status := d.run("draft", "other/x", "--like", "commission")
	assert.Equal(t, 1, status, out)
	assert.Equal(t, []string{"starters/", "starters/survey.md"}, d.has("other"))
	out, status = d.run("draft", "y", "--like", "comission")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "did you mean commission?")
}

func readExample(t *testing.T, name string) string {
	data, err := os.ReadFile(filepath.Join("examples", name))
	require.NoError(t, err)
	return string(data)
}

func TestDocumentsThatAreMadeFromTheCodeAreCurrent(t *testing.T) {
	t.Parallel()
	fresh := t.TempDir()
	generate := exec.Command("go", "run", "-cover="+strconv.FormatBool(coverage != ""), "-coverpkg=./...", "./docs/generate", fresh)
	generate.Env = append(os.Environ(), "GOCOVERDIR="+coverage)
	out, err := generate.CombinedOutput()
	require.NoError(t, err, "%s", out)
	made := 0
	require.NoError(t, filepath.WalkDir(fresh, func(path string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		made++
		rel, err := filepath.Rel(fresh, path)
		require.NoError(t, err)
		want, err := os.ReadFile(path)
		require.NoError(t, err)
		have, err := os.ReadFile(filepath.Join("docs", rel))
		require.NoError(t, err)
		assert.Equal(t, string(want), string(have), "docs/%s: run go generate .", rel)
		return nil
	}))
	for _, folder := range []string{"docs/rules/*", "docs/man/*"} {
		pages, _ := filepath.Glob(folder)
		made -= len(pages)
	}
	assert.Equal(t, 1, made, "no page is left over from a rule or command that is gone")
}

func TestTheSchemaFitsTheHeaders(t *testing.T) {
	t.Parallel()
	text, err := os.ReadFile("docs/header.schema.json")
	require.NoError(t, err)
	var schema jsonschema.Schema
	require.NoError(t, json.Unmarshal(text, &schema))
	resolved, err := schema.Resolve(nil)
	require.NoError(t, err)
	header := func(text string) any {
		node, errs := template.ParseYAML(text, 1)
		require.Empty(t, errs)
		return plainValue(node)
	}
	examples, _ := filepath.Glob("examples/*.folders")
	for _, file := range examples {
		parts := strings.Split(readExample(t, filepath.Base(file)), "---\n")
		assert.NoError(t, resolved.Validate(header(parts[1])), file)
	}
	for _, bad := range []string{"titel: x", "fields: {a: {typ: date}}", "rules: {deph: 3}", "names: {a: {for: tif}}", "fields: {a: {type: dat}}"} {
		assert.Error(t, resolved.Validate(header(bad)), bad)
	}
}

// plainValue turns a header into what a YAML reader of an editor sees.
func plainValue(n *template.Node) any {
	switch n.Kind {
	case template.Sequence:
		list := []any{}
		for _, it := range n.List {
			list = append(list, plainValue(it))
		}
		return list
	case template.Mapping:
		m := map[string]any{}
		for _, p := range n.Pairs {
			m[p.Key] = plainValue(p.Value)
		}
		return m
	case template.Null:
		return nil
	}
	var number float64
	if json.Unmarshal([]byte(n.Text), &number) == nil {
		return number
	}
	return n.Text
}

// All invoices of 50 clients are one table in one command, and one folder of links.
func TestFilesAreFoundAgainOverProjects(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", `---
fields: { client: Who?, term: { type: term, of: [spring, autumn] }, kind: { of: { BK: book, BX: box } } }
names:
  invoice: { pattern: "<day:yyyy-mm-dd> <what> <n:00>", fields: { day: { type: date }, what: { of: [deposit, final] }, n: { type: number, next: yes } }, for: [pdf] }
---
<client>
    Invoices | holds: invoice
    Notes
    Read me.md
`, "Clients/x.txt", "")
	n := 0
	for i := range 50 {
		client := fmt.Sprintf("Ölvane %02d", i)
		out, status := d.run("build", "job", "--into", "Clients", "client="+client, fmt.Sprintf("term=%d %s", 2026+i%2, []string{"spring", "autumn"}[i%4/2]), "kind="+[]string{"BK", "BX"}[i%2], "--yes")
		require.Zero(t, status, out)
		for k := range 1 + i%3 {
			n++
			d.write(fmt.Sprintf("Clients/%s/Invoices/2027-%02d-09 %s %02d.pdf", client, 1+i%12, []string{"deposit", "final"}[k%2], k+1), fmt.Sprint(n))
		}
		d.write("Clients/"+client+"/Notes/2027-01-01 loose.txt", "")
	}
	count := func(where ...string) int {
		args := []string{"read", "Clients", "--json"}
		for _, w := range where {
			args = append(args, "--where", w)
		}
		out, status := d.run(args...)
		require.Zero(t, status, out)
		var got struct {
			Read, Others int
			Fit          []struct {
				Path, Project string
				Values        map[string]string
				Of            map[string]string `json:"project-values"`
			}
		}
		require.NoError(t, json.Unmarshal([]byte(out), &got))
		assert.Equal(t, n, got.Read)
		return len(got.Fit)
	}
	assert.Equal(t, n, count())
	for _, tt := range []struct {
		where string
		keep  func(i, k int) bool
	}{
		{"client~OLVANE 07", func(i, _ int) bool { return i == 7 }}, {"client=ölvane-07", func(i, _ int) bool { return i == 7 }},
		{"day=2027", func(int, int) bool { return true }}, {"day=2027-Q2", func(i, _ int) bool { return i%12 >= 3 && i%12 <= 5 }}, {"day=2026", func(int, int) bool { return false }},
		{"term=2026", func(i, _ int) bool { return i%2 == 0 }}, {"term=2026 autumn", func(i, _ int) bool { return i%2 == 0 && i%4/2 == 1 }},
		{"term=2026 autumn..2027 spring", func(i, _ int) bool { return i%2 == 0 && i%4/2 == 1 || i%2 == 1 && i%4/2 == 0 }}, {"term=2027..", func(i, _ int) bool { return i%2 == 1 }},
		{"kind~boo", func(i, _ int) bool { return i%2 == 0 }}, {"kind=BX", func(i, _ int) bool { return i%2 == 1 }},
		{"what=final", func(_, k int) bool { return k%2 == 1 }}, {"n=2..", func(_, k int) bool { return k >= 1 }},
	} {
		want := 0
		for i := range 50 {
			for k := range 1 + i%3 {
				if tt.keep(i, k) {
					want++
				}
			}
		}
		assert.Equal(t, want, count(tt.where), tt.where)
	}
	out, _ := d.run("read", "Clients", "--newest", "--where", "client~05")
	assert.Contains(t, out, "2 names of 98 found, the newest of each", "a deposit and a final one")
	out, _ = d.run("read", "Clients")
	assert.Contains(t, out, "100 files that no convention speaks of, not counted", out)

	out, status := d.run("read", "Clients", "--convention", "invoice", "--out", "all.csv")
	require.Zero(t, status, out)
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(d.read("all.csv"), "\uFEFF"))).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"path", "convention", "project", "day", "what", "n", "client", "term", "kind", "problem"}, rows[0])
	assert.Len(t, rows, n+1)
	d.write("Clients/Ölvane 08/Invoices/<img src=x onerror=alert(1)> & <b>.pdf", "")
	for _, file := range []string{"all.xlsx", "all.json", "all.md", "all.txt", "all.html"} {
		out, status := d.run("read", "Clients", "--out", file)
		assert.Zero(t, status, out)
	}
	for _, file := range []string{"all.md", "all.html"} {
		assert.NotContains(t, d.read(file), "<img", "nothing of a name runs")
		assert.Contains(t, d.read(file), "&lt;img src=x")
	}
	require.NoError(t, os.Remove(filepath.Join(d.dir, "Clients/Ölvane 08/Invoices/<img src=x onerror=alert(1)> & <b>.pdf")))
	_, status = d.run("read", "Clients", "--out", "all.csv")
	assert.Equal(t, 1, status, "nothing is overwritten")
	assert.Contains(t, d.read("all.md"), "| path | convention | project |")

	for _, client := range []string{"Ölvane 08", "Ölvane 09"} {
		require.NoError(t, os.CopyFS(filepath.Join(d.dir, "old", client), os.DirFS(filepath.Join(d.dir, "Clients", client))))
	}
	var zipped, tarred bytes.Buffer
	z := zip.NewWriter(&zipped)
	require.NoError(t, z.AddFS(os.DirFS(filepath.Join(d.dir, "old"))))
	require.NoError(t, z.Close())
	g := gzip.NewWriter(&tarred)
	tw := tar.NewWriter(g)
	require.NoError(t, tw.AddFS(os.DirFS(filepath.Join(d.dir, "Clients/Ölvane 07"))))
	require.NoError(t, tw.Close())
	require.NoError(t, g.Close())
	d.write("old.zip", zipped.String())
	d.write("old.tar.gz", tarred.String())
	out, status = d.run("read", "old.zip", "old.tar.gz", "--where", "kind~box")
	require.Zero(t, status, out)
	assert.Contains(t, out, "3 names of 6 found", "the projects in archives are read by their labels")
	assert.Contains(t, out, "Ölvane 09", out)

	out, status = d.run("read", "Clients", "--convention", "invoice", "--links", "All")
	require.Zero(t, status, out)
	assert.Len(t, d.has("All"), n+1)
	require.NoError(t, os.Remove(filepath.Join(d.dir, "Clients/Ölvane 01/Invoices/2027-02-09 deposit 01.pdf")))
	d.write("Clients/Ölvane 01/Invoices/2027-02-10 final 09.pdf", "new")
	d.write("All/my own.txt", "mine")
	out, status = d.run("read", "Clients", "--convention", "invoice", "--links", "All")
	require.Zero(t, status, out)
	assert.Contains(t, out, "1 new, 1 gone")
	assert.Equal(t, "mine", d.read("All/my own.txt"))
	assert.Equal(t, "new", d.read("All/2027-02-10 final 09.pdf"))
	out, _ = d.run("read", "Clients", "--convention", "invoice", "--links", "All")
	assert.Contains(t, out, "0 new, 0 gone")
	out, status = d.run("read", "Clients", "--links", "Clients")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "holds other things")
	for range 2 {
		out, status = d.run("undo", "--yes")
		require.Zero(t, status, out)
	}
	assert.Equal(t, []string{"my own.txt"}, d.has("All"))
}
