//go:build unix

package main

import (
	"os"
	"path"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a line with slashes says is said of its last folder, by every command.
func TestALineWithSlashesSpeaksOfItsLastFolder(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\nnames:\n  bill: { pattern: \"<day> bill <n:000>\", for: [pdf], fields: { day: { type: date }, n: { type: number } } }\n  note: { pattern: \"<day> <text>\", fields: { day: { type: date }, text: { type: text } } }\n---\n"+
		"<client>\n    Accounts/Invoices/ | holds: bill\n    Days/<day:yyyy>/<day:yyyy-mm> | later | holds: note\n", "2027-03-05 bill 012.pdf", "x", "2027-03-06 minutes.txt", "y")
	_, status := d.run("build", "t", "--into", ".", "client=Ola", "--yes")
	require.Zero(t, status)
	out, _ := d.run("show", "t")
	assert.Regexp(t, `Invoices/ +holds bill`, out)
	assert.Regexp(t, `(?m)Accounts/ *$`, out)
	out, _ = d.run("guide", "Ola")
	assert.Regexp(t, `bill +→ Accounts/Invoices/`, out)
	out, status = d.run("put", "2027-03-05 bill 012.pdf", "2027-03-06 minutes.txt", "--into", "Ola", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, []string{"2027-03-05 bill 012.pdf"}, d.has("Ola/Accounts/Invoices"))
	assert.Equal(t, []string{"2027-03-06 minutes.txt"}, d.has("Ola/Days/2027/2027-03"))
	out, status = d.run("name", "note", "--in", "Ola", "day=2027-04-01", "text=plan", "--create")
	require.Zero(t, status, out)
	assert.Equal(t, []string{"2027-04-01 plan"}, d.has("Ola/Days/2027/2027-04"))
	out, status = d.run("check", "Ola")
	assert.Zero(t, status, out)
	d.write("Ola/Accounts/2027-03-07 bill 013.pdf", "z")
	out, status = d.run("check", "Ola")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "is named as those in “Accounts/Invoices” are")
}

// Folders that are kept for later, one in the other, are the same to add, check, put and name.
func TestFoldersForLaterAreAlikeInAllCommands(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who?, topic: { type: text }, region: { type: text }, town: { type: text } }\n---\n<client>\n    Desk\n    <topic:L>/<topic> | later | holds: documents\n    At/<region>/<town> | later\n",
		"tax bill.docx", "a", "pension.docx", "b", "topics.csv", "topic\ntax\npension\nhouse\n")
	_, status := d.run("build", "t", "--into", ".", "client=Ola", "--yes")
	require.Zero(t, status)
	inside := &desk{t: t, dir: filepath.Join(d.dir, "Ola")}
	out, _ := inside.run("add")
	assert.Contains(t, out, "<topic:L>/<topic>/   needs topic")
	out, status = inside.run("add", "town=Askel", "--yes")
	assert.Equal(t, 2, status, "what is not known is no folder called so")
	assert.Contains(t, out, "region=…")
	for _, call := range [][]string{{"add", "topic=tax"}, {"add", ".", "<topic:L>/<topic>", "topic=pension"}, {"add", "town=Askel", "region=North"}, {"add", "--table", "../topics.csv"}} {
		out, status = inside.run(append(call, "--yes")...)
		require.Zero(t, status, out)
		out, status = inside.run("check", ".")
		require.Zero(t, status, "%s\n%s", call, out)
		assert.Contains(t, out, "All is well")
	}
	out, status = inside.run("add", "topic=tax", "--yes")
	assert.Zero(t, status)
	assert.Contains(t, out, "is there already")
	out, status = inside.run("put", "../tax bill.docx", "../pension.docx", "--into", ".", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, []string{"tax bill.docx"}, d.has("Ola/T/tax"))
	assert.Equal(t, []string{"pension.docx"}, d.has("Ola/P/pension"))
	out, status = inside.run("check", ".")
	assert.Zero(t, status, out)
}

// What a line is made for is known in its folders, whatever of it their names show.
func TestTheItemOfALineIsKnownInItsFolders(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { year: { type: year } }\nnames:\n  note: { pattern: \"<day> <text>\", fields: { day: { type: date, within: month }, text: { type: text } } }\n---\nBooks <year>\n    <month:mm mmmm> | each: month in <year>-01..<year>-12 | holds: note\n",
		"2026-03-05 hello.txt", "x")
	_, status := d.run("build", "t", "--into", ".", "year=2026", "--yes")
	require.Zero(t, status)
	out, status := d.run("put", "2026-03-05 hello.txt", "--into", "Books 2026", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, []string{"2026-03-05 hello.txt"}, d.has("Books 2026/03 March"))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Books 2026/03 March/2026-03-05 hello.txt"), filepath.Join(d.dir, "Books 2026/01 January/2026-03-05 hello.txt")))
	out, status = d.run("check", "Books 2026")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "says day 2026-03-05, which does not lie in 2026-01")
	out, status = d.run("name", "note", "--in", "Books 2026/01 January", "day=2026-03-05", "text=x")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "does not lie in the month 2026-01")
	out, status = d.run("check", "Books 2026", "--fix", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, []string{"2026-03-05 hello.txt"}, d.has("Books 2026/03 March"))
}

// What put says of files in a project is what check says of them, and what check finds well, put
// leaves where it lies.
func TestPutAndCheckAgreeAboutWhatLiesInAProject(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\nnames:\n  invoice: { pattern: \"<day> invoice <n:000>\", for: [pdf], fields: { day: { type: date }, n: { type: number } } }\n  letter: { pattern: \"<day> <who>\", fields: { day: { type: date }, who: { type: text } } }\n---\n"+
		"<client>\n    Money   | holds: invoice, documents\n    Letters | holds: letter\n    Mine\n    Photos | holds: pictures\n    Plan.md\n")
	_, status := d.run("build", "t", "--into", ".", "client=Ola", "--yes")
	require.Zero(t, status)
	told := map[string]string{
		"Money/brief.pdf":                  "is not named as files in “Money” are",
		"Money/2027-02-30 invoice 001.pdf": "2027-02-30 is not a date: that month has 28 days",
		"Money/2027-03-04 invoce 009.pdf":  "“ invoice ” belongs here",
		"Letters/IMG_1201.JPG":             "is still named by the camera or a program",
		"Letters/2027-13-04 Bo.txt":        "the month cannot be 13, only 1 to 12",
	}
	for at := range told {
		d.write("Ola/"+at, at)
	}
	well := []string{"Money/notes.docx", "Mine/own.txt", "Mine/copy of it.txt", "Photos/IMG_0007.jpg", "Letters/2027-03-04 Jun.txt", "Money/2027-03-04 invoice 003.pdf"}
	for _, at := range well {
		d.write("Ola/"+at, at)
	}
	checked, status := d.run("check", "Ola")
	assert.Equal(t, 1, status)
	put, _ := d.run("put", "Ola", "--preview")
	assert.NotContains(t, put, "Goes to its place")
	for at, why := range told {
		assert.Contains(t, checked, at)
		assert.Contains(t, checked, why)
		assert.Contains(t, put, why, at)
	}
	for _, at := range well {
		assert.NotContains(t, checked, at, "the defaults are silent about what is its owner's")
		assert.Contains(t, put, "it is where it belongs: Ola/"+path.Dir(at))
		assert.Contains(t, put, at)
	}
	out, _ := d.run("read", "--in", "Ola/Money")
	assert.Contains(t, out, "1 name of", "a name with a slip is not read by a looser convention")
}

// Numbers count what was archived, wherever that is, and what has one number is told.
func TestNumbersCountWhatWasArchived(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "Jobs/t.folders", "---\nfields: { client: Who?, job: { type: number, next: yes } }\nnames:\n  bill: { pattern: \"bill <n:000>\", fields: { n: { type: number, next: everywhere } } }\n---\nJob <job:000> <client>\n    Bills | holds: bill\n", "Far/x", "")
	top := d
	d = &desk{t: t, dir: filepath.Join(top.dir, "Jobs")}
	for _, client := range []string{"Ann", "Bo"} {
		out, status := d.run("build", "t", "--into", ".", "client="+client, "--yes")
		require.Zero(t, status, out)
	}
	d.write("Job 002 Bo/Bills/bill 286", "x")
	out, status := d.run("archive", "Job 002 Bo", "--into", "../Far", "--yes")
	require.Zero(t, status, out)
	out, status = d.run("name", "bill", "--in", "Job 001 Ann")
	require.Zero(t, status)
	assert.Contains(t, out, "bill 287")
	_, status = d.run("build", "t", "--into", ".", "client=Cy", "--yes")
	require.Zero(t, status)
	assert.Contains(t, strings.Join(top.has("Jobs"), " "), "Job 003 Cy")
	_, status = d.run("build", "t", "--into", ".", "client=Di", "job=1", "--yes")
	require.Zero(t, status)
	out, status = d.run("check", ".")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "it has the job 1, which is that of “Job 001 Ann”")
}

// A rule about a place that a template does not make, and names that two periods would share, are
// told of the template.
func TestTemplatesAreToldOfPlacesAndPeriods(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "w.folders", "---\nfields: { client: Who? }\nrules: { waiting: { \"04 Handed over\": 30 } }\n---\n<client>\n    <#> Arrivals\n    <#> Handed over\n",
		"m.folders", "---\nfields: { month: { type: month } }\n---\nLedger\n    <month:mm> | project\n        Bills\n", "l.folders", "---\nfields: { client: Who?, month: { type: month } }\n---\n<client>\n    Months\n        <month> | later\n")
	out, status := d.run("check", "w")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "the template makes no folder “04 Handed over”")
	assert.Contains(t, out, "did you mean Handed over?")
	out, _ = d.run("check", "m")
	assert.Contains(t, out, "“Ledger/09” is the project of 2027-09, and of 2028-09 as well")
	_, status = d.run("build", "l", "--into", ".", "client=Ola", "--yes")
	require.Zero(t, status)
	out, status = d.run("next", "Ola")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "month is that of line 6, “<month>”, which is kept for later")
}

// The template of a project is looked for from the project upwards, and one that merely has its
// name is asked about.
func TestATemplateIsTheOneOfTheProject(t *testing.T) {
	t.Parallel()
	garden := "---\nfields: { client: Who? }\n---\n<client>\n    Plans\n    Plants\n    Bills\n"
	other := "---\nfields: { client: Who? }\n---\n<client>\n    Quite\n    Other\n    Things\n"
	d := newDesk(t, "Work/templates/gardens.txt", garden, "gardens.txt", other)
	_, status := d.run("build", "Work/templates/gardens.txt", "--into", "Work", "client=Ola", "--yes")
	require.Zero(t, status)
	d.write("Work/templates/gardens.txt", garden+"    Letters\n")
	out, status := d.run("upgrade", "Work/Ola", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "Its template: Work/templates/gardens.txt.")
	assert.Contains(t, d.has("Work/Ola"), "Letters/")
	d.write("Work/templates/gardens.txt", other)
	out, status = d.run("upgrade", "Work/Ola", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "it may be another one of that name")
	assert.Contains(t, d.has("Work/Ola"), "Plans/")
}

// What never became whole is called that, and never well.
func TestWhatIsUnfinishedIsNeverWell(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "Backups/Ola 2027.unfinished/x", "y", "Backups/fine.txt", "z")
	for _, command := range []string{"check", "projects"} {
		out, _ := d.run(command, "Backups")
		assert.Contains(t, out, "it is left of a run that was cut short, and not whole", command)
		assert.NotContains(t, out, "All is well", command)
	}
	out, status := d.run("check", "Backups/Ola 2027.unfinished")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "cut short")
}

// What a field of a line for later says if nobody says more holds each time; a folder can be typed
// with its values in its names; a level that may be left out waits both ways.
func TestDefaultsOfLaterFoldersAreNoValuesOfTheProject(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "box.folders", "---\nfields: { client: Who?, size: { default: small }, town: { default: \"\" } }\n---\n<client>/\n    Boxes/<size>/ | later\n    Places/<town>/Sheets/ | later | holds: documents\n",
		"in/brief.docx", "a", "in/Askel note.docx", "b")
	_, status := d.run("build", "box", "--into", ".", "client=Ann", "--yes")
	require.Zero(t, status)
	assert.NotContains(t, d.read("Ann/.vestibula.json"), `"size"`)
	out, _ := d.run("put", "in", "--into", "Ann", "--preview")
	assert.Contains(t, out, "+ brief.docx", "nothing says a town, and the folder without one may be")
	for _, call := range [][]string{{"size=big"}, {"Boxes/<size>"}, {"Boxes/wide", "Boxes/long"}, {"Places/Sheets"}, {"Places/Askel/Sheets"}} {
		out, status = d.run(append(append([]string{"add", "Ann"}, call...), "--yes")...)
		require.Zero(t, status, "%s\n%s", call, out)
	}
	assert.Equal(t, []string{"big/", "long/", "small/", "wide/"}, d.has("Ann/Boxes"))
	assert.Equal(t, []string{"Askel/", "Askel/Sheets/", "Sheets/"}, d.has("Ann/Places"))
	out, status = d.run("check", "Ann")
	assert.Zero(t, status, out)
	out, _ = d.run("put", "in", "--into", "Ann", "--preview")
	assert.Regexp(t, `(?s)Places/Askel/Sheets/ .*\+ Askel note.docx .*\? brief.docx +\S*Places/Sheets, or \S*Places/Askel/Sheets\n`, out)
}

// What waits too long goes where the rule says, after a yes; places in rules may be whole paths.
func TestWhatWaitsTooLongGoesOn(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "desk.folders", "---\nfields: { client: Who? }\nrules:\n  waiting: { Arrivals: { days: 14, then: Settled }, Work/Inbox: 3 }\n---\n<client>/\n    00 Arrivals\n    01 Work\n        Inbox\n    02 Inbox\n    90 Settled\n")
	_, status := d.run("build", "desk", "--into", ".", "client=Ola", "--yes")
	require.Zero(t, status)
	long := time.Now().AddDate(0, 0, -40)
	for _, at := range []string{"00 Arrivals/old.pdf", "01 Work/Inbox/old.pdf", "02 Inbox/old.pdf"} {
		d.write("Ola/"+at, at)
		require.NoError(t, os.Chtimes(filepath.Join(d.dir, "Ola", at), long, long))
	}
	out, _ := d.run("check", "Ola", "--fix")
	assert.Contains(t, out, "? 00 Arrivals/old.pdf → 90 Settled/old.pdf")
	assert.Contains(t, out, "2 errors")
	assert.NotContains(t, out, "--fix --fix")
	w := d.window(120, d.environment(), "check", "Ola", "--fix")
	w.answer("90 Settled/old.pdf?", "y")
	w.answer("Make 1 change?", "y")
	w.end()
	assert.Equal(t, []string{"old.pdf"}, d.has("Ola/90 Settled"))
	d.write("desk.folders", strings.Replace(d.read("desk.folders"), "then: Settled", "then: Setled", 1))
	out, _ = d.run("check", "desk")
	assert.Contains(t, out, "did you mean Settled?")
}

// What check calls misplaced for sure it brings where put would, into folders that wait too; what
// belongs to another project that was looked at, it says with the command that brings it there.
func TestCheckBringsFilesWherePutWould(t *testing.T) {
	t.Parallel()
	text := "---\nfields: { client: Who? }\nnames:\n  note: { pattern: \"<day:yyyy-mm-dd> <what>\", fields: { day: { type: date } }, for: [txt] }\n  bill: { pattern: \"<client:like-this> bill <n:000>\", fields: { n: { type: number } }, for: [pdf] }\n---\n" +
		"<client>/\n    Arrivals\n    Work\n        Plans | holds: documents\n    Days\n        <day:yyyy>/<day:yyyy-mm> | later | holds: note\n            Checked\n    Bills | holds: bill\n"
	d := newDesk(t, "firm.folders", text, "C/read me.md", "who is here")
	for _, client := range []string{"Ola", "Jun"} {
		_, status := d.run("build", "firm", "client="+client, "--into", "C", "--yes")
		require.Zero(t, status)
	}
	for _, at := range []string{"2027-04-05 call.txt", "Work/ola bill 002.pdf", "Work/x.docx", "Bills/2027-03-09 hi.txt", "Work/2027-03-05 call.txt", "Bills/jun bill 001.pdf", "Work/odd.xyz"} {
		d.write("C/Ola/"+at, at)
	}
	out, _ := d.run("put", "C/Ola", "--into", "C/Ola", "--preview")
	for _, says := range []string{"5 files", "» 2027-04-05 call.txt", "~ Work/odd.xyz   lies loose in “Work”"} {
		assert.Contains(t, out, says)
	}
	out, _ = d.run("check", "C", "--fix", "--yes")
	assert.Contains(t, out, "Fixed 5 things.")
	assert.Contains(t, flat(out), `it belongs in C/Jun/Bills: vestibula put "C/Ola/Bills/jun bill 001.pdf" --into C`)
	assert.Equal(t, []string{"2027/", "2027/2027-03/", "2027/2027-03/2027-03-05 call.txt", "2027/2027-03/2027-03-09 hi.txt", "2027/2027-03/Checked/", "2027/2027-04/", "2027/2027-04/2027-04-05 call.txt", "2027/2027-04/Checked/"}, d.has("C/Ola/Days"))
	out, status := d.run("put", "C/Ola/Bills/jun bill 001.pdf", "--into", "C", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, []string{"jun bill 001.pdf"}, d.has("C/Jun/Bills"))
	d.write("C/Ola/2027-03-05 call.txt", "another")
	out, _ = d.run("check", "C/Ola")
	assert.Contains(t, flat(out), "is named as those in “Days/2027/2027-03” are [misplaced] it cannot be moved there as it is: a file of that name is there")
}

// A project in a project, one begun by hand, one without its label, and a copy are seen as that.
func TestWhatAProjectIsIsSeen(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "outer.folders", "---\nfields: { client: Who? }\n---\n<client>/\n    01 Work\n    02 Site\n        Plans\n        Photos\n    03 Bills\n", "site.folders", "---\nfields: { name: Which? }\n---\n<name>\n    Plans\n    Photos\n    Notes\n",
		"Pia/1 Work/x.md", "mine", "Pia/site/plans/p.md", "mine too", "Pia/Other/o.md", "and this")
	_, status := d.run("build", "outer", "client=Ola", "--into", ".", "--yes")
	require.Zero(t, status)
	out, _ := d.run("build", "site", "name=02 Site", "--into", "Ola", "--yes")
	assert.Contains(t, flat(out), "“02 Site” is a folder of the project Ola: it becomes a project of its own")
	out, status = d.run("check", "Ola")
	assert.Zero(t, status, out)
	out, status = d.run("build", "outer", "client=Pia", "--into", ".", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, flat(out), "“Pia/1 Work” stands there for “01 Work”, and gets that name and place")
	assert.Equal(t, []string{".vestibula.json", "01 Work/", "01 Work/x.md", "02 Site/", "02 Site/Photos/", "02 Site/Plans/", "02 Site/Plans/p.md", "03 Bills/", "Other/", "Other/o.md"}, d.has("Pia"))
	d.run("undo", "--yes")
	assert.Equal(t, []string{"1 Work/", "1 Work/x.md", "Other/", "Other/o.md", "site/", "site/plans/", "site/plans/p.md"}, d.has("Pia"))
	d.run("build", "outer", "client=Jun", "--into", ".", "--yes")
	require.NoError(t, os.Remove(filepath.Join(d.dir, "Jun/.vestibula.json")))
	require.NoError(t, os.CopyFS(filepath.Join(d.dir, "Ola copy"), os.DirFS(filepath.Join(d.dir, "Ola"))))
	for _, command := range []string{"check", "projects"} {
		out, _ = d.run(command, ".")
		assert.Contains(t, flat(out), `Ola copy is a copy of Ola: both have one identity. to make it a project of its own: vestibula upgrade "Ola copy" client=…`)
		assert.Contains(t, flat(out), "Jun looks like a project of outer.folders, and nothing in it says so any more. to make it one again: vestibula build outer.folders client=Jun --into .")
	}
	d.run("build", "outer", "client=Jun", "--into", ".", "--yes")
	out, status = d.run("upgrade", "Ola copy", "client=Una", "--yes")
	require.Zero(t, status, out)
	out, _ = d.run("check", ".")
	for _, says := range []string{"copy of", "looks like"} {
		assert.NotContains(t, out, says)
	}
	assert.Contains(t, out, "✓ Una")
}

// Which number comes next is one answer, whoever asks: what lies in other projects counts, and what was
// archived from there.
func TestTheNextNumberIsOneAnswer(t *testing.T) {
	t.Parallel()
	for scope, want := range map[string]string{"yes": "003", "project": "005", "everywhere": "018"} {
		d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\nnames:\n  bill: { pattern: \"<n:000> <what:like-this>\", fields: { n: { type: number, next: "+scope+" } }, for: [pdf] }\n---\n<client>\n    Bills | holds: bill\n    Old | holds: bill\n",
			"in/Final.pdf", "a", "in/Final.txt", "no pdf")
		for _, client := range []string{"Ann", "Bob", "Cy"} {
			d.must("build", "t", "client="+client, "--into", "C", "--yes")
		}
		d.write("C/Ann/Bills/002 begin.pdf", "x")
		d.write("C/Ann/Old/004 older.pdf", "x")
		d.write("C/Bob/Bills/011 other.pdf", "x")
		d.write("C/Cy/Bills/017 archived.pdf", "x")
		d.must("archive", "C/Cy", "--into", "Away", "--yes")
		out, _ := d.run("name", "t", "bill", "--in", "C/Ann/Bills", "what=next")
		assert.Contains(t, out, want+" next.pdf", scope)
		out, _ = d.run("put", "in", "--into", "C/Ann/Bills", "--convention", "bill", "what=final", "--preview")
		assert.Contains(t, out, want+" final.pdf", scope)
		d.write("C/Ann/Bills/Final.pdf", "y")
		out, _ = d.run("rename", "bill", "C/Ann/Bills", "--preview")
		assert.Contains(t, out, want+" final.pdf", scope)
	}
}
