package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

func TestABuildTellsWhatWillLookLikeItsNeighbour(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "rows.csv", "client,received\nJun \u0422eague,2027-04-01\nOriel Pask,2027-04-01\n\u041eriel Pask,2027-04-01\n", "out/2027-04 Jun Teague BK/own.txt", "mine")
	out, status := d.run("build", "commission", "--into", "out", "--table", "rows.csv", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "note: “2027-04 Jun \u0422eague BK” will look like its neighbour “2027-04 Jun Teague BK”, and is written with another character (\u0422 is U+0422)")
	assert.Contains(t, out, "note: “2027-04 \u041eriel Pask BK” will look like its neighbour “2027-04 Oriel Pask BK”")
	assert.Equal(t, 2, strings.Count(out, "note:"), out)
}

// A table of 300 rows with twelve mistakes of different kinds.
func TestATableIsCheckedAsAWholeBeforeAnythingIsBuilt(t *testing.T) {
	t.Parallel()
	mistakes := map[int][2]string{
		14:  {"Client 14,31/02/2027,BK,,", `row 14, column "Received": "31/02/2027" is not a date`},
		20:  {"Client 20,2027-02-30,BK,,", `row 20, column "Received": 2027-02-30 is not a date: that month has 28 days`},
		33:  {",2027-03-09,BK,,", `row 33, column "Client": there is no value for "client"`},
		47:  {"Client 47,,BK,,", `row 47, column "Received": there is no value for "received"`},
		58:  {"Client 58,2027-03-09,tin,,", `row 58, column "Kind": "tin" is not one of BK (book)`},
		99:  {"Client 99,2027-03-09,BK,perhaps,", `row 99, column "Gilding": "perhaps" is neither yes nor no`},
		120: {"..,2027-03-09,BK,,", `row 120, column "Client": ".." cannot be a name`},
		151: {strings.Repeat("x", 300) + ",2027-03-09,BK,,", "row 151: this name would have 311 characters"},
		180: {"Client 7,2027-03-09,BK,,", "row 180: row 7 has the same own folder, “2027-03 Client 7 BK”"},
		222: {"Client 222,2027-03-09,BK,,a,b", `row 222, column "Kind": `},
		260: {"\x1b[31mred,2027-03-09,BK,,", `row 260, column "Client": holds the control character U+001B`},
		301: {"Client 301,soon,BK,,", `row 301, column "Received": "soon" is not a date`},
	}
	mistakes[222] = [2]string{"Client 222,2027-03-09,\"B\nK\",,", `row 222, column "Kind": holds a line break`}
	var table strings.Builder
	table.WriteString("Client,Received,Kind,Gilding,Stages\n")
	for n := 2; n <= 301; n++ {
		line := fmt.Sprintf("Client %d,2027-03-09,BK,%s,survey; repair", n, []string{"", "x", "no"}[n%3])
		if m, bad := mistakes[n]; bad {
			line = m[0]
		}
		table.WriteString(line + "\n")
	}
	text := strings.Replace(table.String(), "\"B\nK\"", "\"B\u2028K\"", 1) // a line break that is no line of the file
	d := newDesk(t, "clients.csv", text, "out/own.txt", "mine")
	out, status := d.run("build", "commission", "--into", "out", "--table", "clients.csv", "--yes")
	assert.Equal(t, 1, status)
	for _, m := range mistakes {
		assert.Contains(t, out, m[1])
	}
	assert.Contains(t, out, "Nothing was built: 12 rows cannot be built.")
	assert.Contains(t, out, "Good: 288 rows\n+ row 2   2027-03 Client 2 BK   12 new\n")
	assert.NotContains(t, out, "\x1b")
	assert.Equal(t, []string{"own.txt"}, d.has("out"))

	before := d.has("out")
	args := []string{"build", "commission", "--into", "out", "--table", "clients.csv", "--yes", "--only-good", "--mark"}
	out, status = d.run(append(args, "--report", "report.csv")...)
	assert.Zero(t, status, out)
	assert.Contains(t, out, "Built 288 rows: ")
	assert.Contains(t, out, "Marked 288 rows in clients.csv")
	projects := 0
	for _, path := range d.has("out") {
		if strings.Count(path, "/") == 1 && strings.HasSuffix(path, "/") {
			projects++
		}
	}
	assert.Equal(t, 288, projects)
	report := d.read("report.csv")
	assert.Equal(t, 288, strings.Count(report, ",built,"))
	assert.Equal(t, 12, strings.Count(report, ",left out,"))
	assert.Contains(t, report, "\n2,built,2027-03 Client 2 BK,")
	assert.Contains(t, report, "\n180,left out,,0,0,0,,\"row 7 has the same own folder, “2027-03 Client 7 BK”: take one of the two rows out, or tell them apart\"\n")
	marked := d.read("clients.csv")
	assert.True(t, strings.HasPrefix(marked, "Client,Received,Kind,Gilding,Stages,built,built on,built in,built as\nClient 2,2027-03-09,BK,no,survey; repair,yes,"), marked[:200])
	assert.Contains(t, marked, "\n,2027-03-09,BK,,\n", "a bad row is as it was")

	d.write("clients.csv", marked+"New One,2027-05-01,BX,,\nNew Two,2027-05-02,MP,yes,\n")
	out, status = d.run(args...)
	assert.Zero(t, status)
	assert.Contains(t, out, "Built 2 rows: 23 folders and 6 files", "the same command builds what was added")
	assert.Contains(t, out, "left alone: 288 rows marked as built")
	d.write("out/2027-05 New One BX/mine.txt", "mine")
	out, status = d.run("undo", "--yes")
	assert.Zero(t, status)
	assert.Contains(t, out, "stays: it holds “mine.txt”")
	assert.Equal(t, marked+"New One,2027-05-01,BX,,\nNew Two,2027-05-02,MP,yes,\n", d.read("clients.csv"), "the marks are taken back as well")
	d.write("clients.csv", marked)
	_, status = d.run("undo", "--yes")
	assert.Zero(t, status)
	assert.Equal(t, append([]string{"2027-05 New One BX/", "2027-05 New One BX/mine.txt"}, before...), d.has("out"))
	assert.Equal(t, text, d.read("clients.csv"), "byte for byte")
}

func TestRowsThatShareAPathMeetInIt(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { country: Where?, town: Which town?, file-ref: { default: \"\" } }\n---\n<country>/<town> <file-ref>/\n    <#> Notes\n",
		"r.csv", "Land;TOWN;File Ref;Who\nNorland;Askel;A1;x\nNorland;Birk;;y\nSorland;Askel;;z\n", "out/x", "")
	out, status := d.run("build", "t", "--into", "out", "--table", "r.csv", "--yes")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, `the table r.csv has no column for country; its headings are Land, TOWN, File Ref, Who`)
	out, status = d.run("build", "t", "--into", "out", "--table", "r.csv", "--column", "country=Land", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "no field for the column “Who”\n")
	assert.Equal(t, []string{"Norland/", "Norland/Askel A1/", "Norland/Askel A1/.vestibula.json", "Norland/Askel A1/01 Notes/", "Norland/Birk/", "Norland/Birk/.vestibula.json", "Norland/Birk/01 Notes/",
		"Sorland/", "Sorland/Askel/", "Sorland/Askel/.vestibula.json", "Sorland/Askel/01 Notes/", "x"}, d.has("out"))
	for args, want := range map[string]string{
		"--rows 3-x":            `"3-x" is no row`,
		"--column town=Nowhere": `joins no field to a column`,
		"town":                  `"town" is no value for a field`,
	} {
		out, status := d.run(append([]string{"build", "t", "--into", "out", "--table", "r.csv"}, strings.Fields(args)...)...)
		require.Equal(t, 2, status, args)
		assert.Contains(t, out, want)
	}
	out, status = d.run("build", "t", "--into", "out", "--table", "r.csv", "country=Westland", "--rows", "3", "--yes")
	assert.Zero(t, status, "a value on the command line holds for all rows: %s", out)
	assert.Contains(t, d.has("out"), "Westland/Birk/")

	// The same with each level on a line of its own.
	d.write("n.folders", "---\nfields: { land: Where?, town: Which town?, who: Whose? }\n---\n<land>\n    <town>\n        <who>\n            <#> Notes\n")
	d.write("n/x", "")
	out, status = d.run("build", "n", "--into", "n", "--table", "r.csv", "--yes", "--json")
	assert.Zero(t, status, out)
	assert.Contains(t, out, `"row":3,"state":"built","folder":"Norland/Birk/y","new":3,`, "Norland itself counts for row 2")
	assert.Contains(t, d.has("n"), "Norland/Askel/x/01 Notes/")
	d.write("r.csv", "land;town;who\nNorland;Askel;x\nNorland;Askel;x\nNorland;Askel;X\n")
	out, _ = d.run("build", "n", "--into", "out", "--table", "r.csv", "--yes")
	assert.Contains(t, out, "row 3: row 2 has the same own folder, “Norland/Askel/x”")
	assert.Contains(t, out, "row 4: “Norland/Askel/X” is spelled “x” in row 2")
}

// The workbook that comes with the program: dates and answers as such, a second
// sheet, a client with a slash in the name.
func TestAWorkbookIsBuiltAndMarked(t *testing.T) {
	t.Parallel()
	book, err := os.ReadFile("examples/commissions.xlsx")
	require.NoError(t, err)
	d := newDesk(t, "c.xlsx", string(book), "out/2027-03 oriel pask BX/own.txt", "mine", "out/2027-04 Jun Teague BK", "mine")
	args := []string{"build", "commission", "--into", "out", "--table", "c.xlsx", "--yes", "--mark"}
	out, status := d.run(args...)
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "the sheet “Commissions” is read, and none of the others: Prices")
	assert.Contains(t, out, "row 3, “2027-03 Oriel Pask BX”: “2027-03 oriel pask BX” is there, spelled with other capitals")
	assert.Contains(t, out, "row 5, “2027-04 Jun Teague BK”: a file of that name is there")
	assert.Contains(t, out, "Nothing was built: 2 rows cannot be built.")
	assert.Len(t, d.has("out"), 3)
	assert.Equal(t, string(book), d.read("c.xlsx"))

	out, status = d.run(append(args, "--only-good", "--json")...)
	require.Zero(t, status, out)
	lines := strings.Split(strings.TrimSpace(out[strings.Index(out, "{"):]), "\n")
	require.Len(t, lines, 6)
	assert.JSONEq(t, `{"row":4,"state":"built","folder":"2027-04 Teague-Marlow MP","new":12,"there":0,"kept":0}`, lines[2])
	assert.JSONEq(t, `{"template":"commission.folders","into":"out","table":"c.xlsx","built":true,"rows":5,"left-out":2,"left-alone":0,"new":41,"there":0,"kept":0,"marked":true}`, lines[5])
	f, err := excelize.OpenFile(filepath.Join(d.dir, "c.xlsx"))
	require.NoError(t, err)
	defer f.Close()
	rows, err := f.GetRows("Commissions")
	require.NoError(t, err)
	assert.Equal(t, []string{"built", "built on", "built in", "built as"}, rows[0][6:])
	assert.Len(t, rows[2], 4, "a row that was left out bears no mark")
	assert.Equal(t, []string{"Teague/Marlow", "1 Apr 2027", "MP", "", "survey; lining", "two owners", "yes"}, rows[3][:7])
	assert.Equal(t, filepath.Join(d.dir, "out", "2027-04 Teague-Marlow MP"), rows[3][8])
	formula, err := f.GetCellFormula("Prices", "B4")
	require.NoError(t, err)
	assert.Equal(t, "SUM(B2:B3)", formula)

	require.NoError(t, os.Remove(filepath.Join(d.dir, "out/2027-04 Jun Teague BK")))
	out, status = d.run("build", "commission", "--into", "out", "--table", "c.xlsx", "--rows", "4-5", "--preview")
	assert.Zero(t, status)
	assert.Contains(t, out, "+ row 5   2027-04 Jun Teague BK   13 new")
	assert.Contains(t, out, "left alone: 1 row marked as built")
	out, _ = d.run("build", "commission", "--into", "out", "--table", "c.xlsx", "--sheet", "Prizes")
	assert.Contains(t, out, `it has no sheet "Prizes", only Commissions, Prices`)
	_, status = d.run("undo", "--yes")
	assert.Zero(t, status)
	assert.Equal(t, string(book), d.read("c.xlsx"), "byte for byte")

	d.write("report.csv", "mine")
	out, status = d.run("build", "commission", "--into", "out", "--table", "c.xlsx", "--yes", "--report", "report.csv")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "report.csv is there already, and nothing is overwritten")
	out, status = d.run("build", "commission", "--into", "out", "--mark")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "--mark goes with a table")
}

func TestAnArchiveHoldsWhatWouldBeBuilt(t *testing.T) {
	t.Parallel()
	course := []string{"course=Åse Binding", "term=2027 spring", "people=Oriel Pask; Jun Teague", "weeks=2"}
	d := newDesk(t, "own.zip", "mine", "out/x", "")
	build := func(into string, more ...string) (string, int) {
		return d.run(append(append([]string{"build", "evening-course", "--into", into}, course...), more...)...)
	}
	out, status := build("course.zip")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "Nothing was changed yet.")
	for _, name := range []string{"course.zip", "course.tar.gz"} {
		out, status = build(name, "--yes")
		require.Zero(t, status, out)
		assert.Contains(t, out, "Built 14 folders and 1 file in "+name)
		first := d.read(name)
		require.NoError(t, os.Rename(filepath.Join(d.dir, name), filepath.Join(d.dir, "first-"+name)))
		_, status = build(name, "--yes")
		require.Zero(t, status)
		assert.Equal(t, first, d.read(name), "byte for byte")
	}
	_, status = build("out", "--yes")
	require.Zero(t, status)
	out, status = d.exec("sh", "-c", "mkdir unpacked && cd unpacked && tar xzf ../course.tar.gz")
	require.Zero(t, status, out)
	require.NoError(t, os.Remove(filepath.Join(d.dir, "out/x")))
	assert.Equal(t, d.has("out"), d.has("unpacked"))

	out, status = build("course.zip", "--yes")
	assert.Zero(t, status)
	assert.Contains(t, out, "Nothing to do: all of it is there already in course.zip")
	out, status = build("own.zip", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "own.zip is there already, and holds something else")
	assert.Equal(t, "mine", d.read("own.zip"))
	out, status = build("course.zip", "--yes", "--dated", "2027-02-31")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "--dated 2027-02-31 is not a date")
	out, status = d.run("undo", "3", "--yes")
	assert.Equal(t, 1, status, "a later build made the same file")
	assert.Contains(t, out, "undo that first: vestibula undo 4")
	_, status = d.run("undo", "4", "--yes")
	assert.Zero(t, status)
	assert.NotContains(t, d.has("."), "course.tar.gz")

	out, status = d.run("build", "commission", "--into", "all.zip", "--table", "c.csv", "--yes")
	assert.Equal(t, 2, status, out)
	d.write("c.csv", "client,received\nOriel Pask,2027-03-09\nJun Teague,2027-03-09\n")
	out, status = d.run("build", "commission", "--into", "all.zip", "--table", "c.csv", "--yes", "--mark")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "Built 2 rows: 22 folders and 6 files in all.zip")
	assert.Contains(t, d.read("c.csv"), "all.zip/2027-03 Oriel Pask BK")
	out, status = d.run("build", "commission", "--into", "none.zip", "--table", "c.csv", "--yes")
	assert.Zero(t, status)
	assert.Contains(t, out, "Nothing to do: no row is left to build")
	assert.NotContains(t, d.has("."), "none.zip")
}

func TestTablesThatCannotBeReadAreTold(t *testing.T) {
	t.Parallel()
	encrypted := "\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1 E\x00n\x00c\x00r\x00y\x00p\x00t\x00e\x00d\x00P\x00a\x00c\x00k\x00a\x00g\x00e\x00"
	var wide []string
	for i := range 300 {
		wide = append(wide, fmt.Sprint("column ", i))
	}
	d := newDesk(t, "out/own.txt", "mine", "empty.csv", "", "twice.csv", "Client,received,client\na,b,c\n", "locked.xlsx", encrypted, "wide.csv", strings.Join(wide, ";")+"\n1\n",
		"half.csv", "client,received\nOriel Pask,2027-03-09\nJun", "old.xls", encrypted[:8], "short.csv", "client,received,kind\nOriel Pask,2027-03-09\n")
	for file, want := range map[string]string{
		"empty.csv":   "the table empty.csv: it is empty",
		"twice.csv":   `two columns are called "Client" and "client": rename one of them`,
		"locked.xlsx": "it is protected by a password: save a copy without one",
		"wide.csv":    "has no column for client and received; its headings are column 0, column 1, ",
		"half.csv":    `row 3, column "client": the file ends in the middle of this row`,
		"old.xls":     "it is a workbook of the old kind: save it as XLSX",
		"none.csv":    "there is no table \"none.csv\"",
		"out":         "it is a folder; name a file",
		"short.csv":   "1 row, beginning with row 2, has fewer cells than there are headings",
	} {
		out, status := d.run("build", "commission", "--into", "out", "--table", file, "--yes", "--no-label")
		assert.Contains(t, out, want)
		assert.Equal(t, file != "short.csv", status > 0, file)
	}
	_, status := d.run("undo", "--yes")
	assert.Zero(t, status)
	assert.Equal(t, []string{"own.txt"}, d.has("out"))
}
