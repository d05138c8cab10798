package main

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// An office's folder of fourteen files is carried over twelve months, and again where two
// are begun already.
func TestAFolderIsCarriedOverAYear(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "office.folders", "---\nfields: { month: { type: month } }\nnames:\n  sheet: { pattern: \"<month:yyyy-mm> <what:like-this>\", for: [xlsx] }\n  day: { pattern: \"<day:yyyy-mm-dd> <what:like-this>\", fields: { day: { type: date, within: month } }, for: [txt] }\n---\n<month:yyyy-mm> Office\n    Sheets | holds: sheet, day | carry\n    Letters\n", "out/own.txt", "mine")
	_, status := d.run("build", "office", "--into", "out", "month=2027-01", "--yes")
	require.Zero(t, status)
	names := func(month string, last int) (list []string) {
		for i := range 10 {
			list = append(list, fmt.Sprintf("%s part-%02d.xlsx", month, i))
		}
		list = append(list, fmt.Sprintf("%s-%02d wages.txt", month, last), month+"-15 rent.txt", ".hidden", "Notes.md")
		slices.Sort(list)
		return list
	}
	for _, name := range names("2027-01", 31) {
		d.write("out/2027-01 Office/Sheets/"+name, "of "+strings.TrimPrefix(name, "2027-01"))
	}
	d.write("out/2027-01 Office/Letters/private.md", "mine")
	before := d.whole("out")
	out, status := d.run("next", "out/2027-01 Office", "--count", "11", "--preview")
	require.Zero(t, status, out)
	assert.Contains(t, out, "1 file does not go along")
	assert.Equal(t, before, d.whole("out"))
	carry := func() {
		t.Helper()
		out, status := d.run("next", "out/2027-01 Office", "--count", "11", "--yes")
		require.Zero(t, status, out)
		for i, last := range []int{31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31} {
			month := fmt.Sprintf("2027-%02d", i+1)
			entries, err := os.ReadDir(filepath.Join(d.dir, "out", month+" Office", "Sheets"))
			require.NoError(t, err)
			var have []string
			for _, e := range entries {
				have = append(have, e.Name())
			}
			require.Equal(t, names(month, last), have, month)
			require.Equal(t, "of  part-03.xlsx", d.read("out/"+month+" Office/Sheets/"+month+" part-03.xlsx"))
			letters, err := os.ReadDir(filepath.Join(d.dir, "out", month+" Office", "Letters"))
			require.NoError(t, err)
			require.Equal(t, i == 0, len(letters) == 1)
		}
	}
	carry()
	out, _ = d.run("next", "out/2027-01 Office", "--count", "11", "--yes")
	assert.Contains(t, out, "Nothing to do")
	out, _ = d.run("check", "out/2027-12 Office")
	assert.NotContains(t, out, "[misplaced]", "each name agrees with its place: %s", out)
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	assert.Equal(t, before, d.whole("out"), "byte for byte, and time for time")

	d.write("out/2027-05 Office/Sheets/2027-05 part-03.xlsx", "begun")
	d.write("out/2027-05 Office/Sheets/2027-05-31 wages.txt", "begun too")
	out, status = d.run("next", "out/2027-01 Office", "--count", "11", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "2 files are there already, and stay as they are.")
	assert.Equal(t, "begun", d.read("out/2027-05 Office/Sheets/2027-05 part-03.xlsx"))
	assert.Equal(t, "of  part-04.xlsx", d.read("out/2027-05 Office/Sheets/2027-05 part-04.xlsx"))
	for args, want := range map[string]string{
		"out/2027-01 Office|month=2027-01": "the next one would be the same folder",
		"out/2027-01 Office|--count|0":     "--count is from 1",
		"out/2027-01 Office|month=2027-13": "there is no month 13",
		"out/2027-01 Office/Sheets":        "is a folder in the project",
		"out":                              "holds projects, and is none",
	} {
		out, status := d.run(append([]string{"next"}, strings.Split(args, "|")...)...)
		assert.NotZero(t, status, args)
		assert.Contains(t, out, want)
	}
}

// A term ends: what is carried on moves, and nothing of one person goes to another.
func TestATermTurns(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "course.folders", "---\nfields: { course: Which?, term: { type: term, of: [winter, spring, autumn] }, people: { type: list, default: [Ola, Jun] } }\nnames: { handout: \"<course:LT> <term:yyyy-0> <topic:like-this>\" }\n---\n<course> <term:yyyy 0 Name>\n    Handouts | holds: handout | carry\n    People\n        <person> | each: person in people\n            Essays | carry: moves\n", "out/own.txt", "mine")
	for _, course := range []string{"Case Binding", "Marbling"} {
		_, status := d.run("build", "course", "--into", "out", "course="+course, "term=2027 autumn", "--yes")
		require.Zero(t, status)
	}
	d.write("out/Case Binding 2027 3 Autumn/Handouts/CB 2027-3 knots.pdf", "knots")
	d.write("out/Case Binding 2027 3 Autumn/People/Jun/Essays/essay.odt", "of Jun")
	d.write("out/Case Binding 2027 3 Autumn/People/Ola/Essays/essay.odt", "of Ola")
	before := d.whole("out")
	out, status := d.run("next", "out/Case Binding 2027 3 Autumn", "people=Jun; Ida", "--yes")
	require.Zero(t, status, out)
	has := d.has("out/Case Binding 2028 1 Winter")
	assert.Equal(t, []string{".vestibula.json", "Handouts/", "Handouts/CB 2028-1 knots.pdf", "People/", "People/Ida/", "People/Ida/Essays/", "People/Jun/", "People/Jun/Essays/", "People/Jun/Essays/essay.odt"}, has)
	assert.Equal(t, "of Ola", d.read("out/Case Binding 2027 3 Autumn/People/Ola/Essays/essay.odt"))
	assert.Contains(t, d.has("out/Case Binding 2027 3 Autumn/Handouts"), "CB 2027-3 knots.pdf", "a copy stays")
	assert.NotContains(t, strings.Join(d.has("out/Case Binding 2027 3 Autumn/People/Jun"), " "), "essay")
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	assert.Equal(t, before, d.whole("out"))
	// The turn of a term is one step: the old course goes among the past ones.
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "out/Past"), 0o777))
	before = d.whole("out")
	out, status = d.run("next", "out/Case Binding 2027 3 Autumn", "--archive", "out/Past", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "knots", d.read("out/Past/Case Binding 2027 3 Autumn/Handouts/CB 2027-3 knots.pdf"))
	assert.Equal(t, "knots", d.read("out/Case Binding 2028 1 Winter/Handouts/CB 2028-1 knots.pdf"))
	assert.Equal(t, "of Jun", d.read("out/Case Binding 2028 1 Winter/People/Jun/Essays/essay.odt"))
	assert.NotContains(t, d.has("out"), "Case Binding 2027 3 Autumn/")
	out, _ = d.run("check", "out/Case Binding 2027 3 Autumn")
	assert.Contains(t, out, "Case Binding 2027 3 Autumn was archived")
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	assert.Equal(t, before, d.whole("out"), "one undo brings it back")
	out, status = d.run("next", "out/Case Binding 2027 3 Autumn", "--count", "2")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "can go along once only")
}

// A term of five courses ends, and the next one begins, in one step: the folder of the next
// term is made once for all of them.
func TestATermOfCoursesTurnsInOneStep(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "term.folders", "---\nfields: { course: Which?, term: { type: term, of: [spring, autumn] } }\nnames: { plan: \"<term:yyyy-0> plan <topic:like-this>\" }\n---\n<term:yyyy Name>\n    Timetable\n    <course> | project\n        Plans | holds: plan | carry\n        Hand-ins\n", "Courses/own.txt", "mine", "Past/x.txt", "")
	courses := []string{"Case Binding", "Gilding", "Leather", "Marbling", "Repair"}
	args := []string{"next"}
	for i, course := range courses {
		_, status := d.run("build", "term", "--into", "Courses", "course="+course, "term=2027 autumn", "--yes")
		require.Zero(t, status)
		d.write(fmt.Sprintf("Courses/2027 Autumn/%s/Plans/2027-2 plan week-%d.odt", course, i+1), course)
		d.write("Courses/2027 Autumn/"+course+"/Hand-ins/essay.pdf", course)
		args = append(args, "Courses/2027 Autumn/"+course)
	}
	before := map[string]map[string]string{"Courses": d.whole("Courses"), "Past": d.whole("Past")}
	out, status := d.run(append(args, "--archive", "Past", "--yes")...)
	require.Zero(t, status, out)
	assert.Contains(t, out, "5 files do not go along")
	assert.Contains(t, out, "Carried forward to 5 new projects: 5 files along.")
	for i, course := range courses {
		assert.Equal(t, course, d.read(fmt.Sprintf("Courses/2028 Spring/%s/Plans/2028-1 plan week-%d.odt", course, i+1)))
		assert.Equal(t, course, d.read("Past/"+course+"/Hand-ins/essay.pdf"))
	}
	assert.Equal(t, 1, strings.Count(strings.Join(d.has("Courses"), " "), "2028 Spring/Timetable/"))
	out, status = d.run("check", "Courses")
	assert.Zero(t, status, out)
	out, _ = d.run("projects", "Courses")
	assert.Contains(t, out, "All is well with 5 projects.")
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	for folder, was := range before {
		assert.Equal(t, was, d.whole(folder), folder)
	}
	out, status = d.run("next", "Courses/2027 Autumn/Gilding", "Courses/2027 Autumn/Gilding")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "is named twice")
}

// What is in the way of the next period is told, and so is which field goes on where no
// field stands for time.
func TestWhatCannotGoOnIsTold(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "day.folders", "---\nfields: { day: { type: date } }\n---\nDay <day>\n    Sheets | carry\n", "week.folders", "---\nfields: { week: { type: week } }\n---\nWeek <week:yyyy-Www>\n    A | carry\n", "two.folders", "---\nfields: { m: { type: month }, w: { type: week } }\n---\n<m> <w>\n    A\n")
	for _, args := range [][]string{{"day", "day=2028-02-29"}, {"week", "week=2026-W53"}, {"two", "m=2027-03", "w=2027-W10"}} {
		_, status := d.run(append([]string{"build", "--yes", "--into", "."}, args...)...)
		require.Zero(t, status)
	}
	d.write("Week 2027-W02", "a file")
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"Day 2028-02-29"}, `vestibula next "Day 2028-02-29" day=2028-03-01`},
		{[]string{"Day 2028-02-29", "day=2029-02-29"}, "that month has 28 days"},
		{[]string{"2027-03 2027-W10"}, `vestibula next "2027-03 2027-W10" w=2027-W11`},
		{[]string{"Week 2026-W53", "--count", "3"}, "Week 2027-W02: a file of that name is there, where a folder must be"},
	} {
		out, status := d.run(append([]string{"next", "--yes"}, c.args...)...)
		assert.NotZero(t, status, c.args)
		assert.Contains(t, out, c.says)
		assert.NotContains(t, out, "there already")
	}
	out, status := d.run("next", "Week 2026-W53", "--yes")
	require.Zero(t, status)
	assert.Contains(t, out, "Week 2027-W01", "the week after the 53rd")
	out, status = d.run("next", "Day 2028-02-29", "day=2028-03-01", "--count", "3", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, d.has("."), "Day 2028-03-03/")
}

// What a period has is its own: its values, its label and its files stay, and what is missing goes
// along. A carry on the own folder's line is for all in it.
func TestAPeriodThatIsThereKeepsWhatItHas(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "flat.folders", "---\nfields: { month: { type: month } }\nnames: { report: \"<month:yymm> report <topic>\" }\n---\nOffice\n    <month:yymm> | project | holds: report | carry\n",
		"office.folders", "---\nfields:\n  month: { type: month }\n  people: { type: list }\n  boss: { default: Ida }\n---\n<month:yyyy-mm> Office\n    Sheets | carry\n        Cover <month:yyyy-mm>.txt | blank\n    People\n        <person> | each: person in people\n            Essays | carry\n    Letters\n")
	build := func(args ...string) {
		out, status := d.run(append([]string{"build"}, append(args, "--into", ".", "--yes")...)...)
		require.Zero(t, status, out)
	}
	build("flat", "month=2027-01")
	d.write("Office/2701/2701 report rent.txt", "r")
	d.write("Office/2701/keys.txt", "k")
	out, status := d.run("next", "Office/2701", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, []string{".vestibula.json", "2702 report rent.txt", "keys.txt"}, d.has("Office/2702"))

	build("office", "month=2027-01", "people=Ola; Ann", "boss=Zed")
	build("office", "month=2027-02", "people=Ola; Bo", "boss=Kim")
	for path, text := range map[string]string{"2027-01 Office/Sheets/x.txt": "january", "2027-01 Office/Sheets/y.txt": "y", "2027-01 Office/People/Ann/Essays/e.txt": "e", "2027-02 Office/Sheets/x.txt": "february"} {
		d.write(path, text)
	}
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "2027-02 Office/Letters")))
	label := d.read("2027-02 Office/.vestibula.json")
	out, status = d.run("next", "2027-01 Office", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "1 file does not go along: its folder is none of the new period’s.")
	assert.NotContains(t, out, "note:")
	assert.Equal(t, label, d.read("2027-02 Office/.vestibula.json"))
	assert.Equal(t, "february", d.read("2027-02 Office/Sheets/x.txt"))
	assert.Equal(t, []string{".vestibula.json", "People/", "People/Bo/", "People/Bo/Essays/", "People/Ola/", "People/Ola/Essays/", "Sheets/", "Sheets/Cover 2027-02.txt", "Sheets/x.txt", "Sheets/y.txt"}, d.has("2027-02 Office"))
	// Other values are asked for, and told without a terminal.
	out, status = d.run("next", "2027-01 Office", "boss=Zed", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, flat(out), `what a period has is its own: boss is Kim there, not Zed to change that first: vestibula upgrade "2027-02 Office" boss=Zed`)
	assert.Equal(t, label, d.read("2027-02 Office/.vestibula.json"))
}
