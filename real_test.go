//go:build unix

package main

import (
	"archive/zip"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhatIsMeantIsKeptInTheProject(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	d.run("build", "commission", "--into", ".", "client=Oriel Pask", "received=2027-03-09", "--yes")
	d.write("2027-03 Oriel Pask BK/Loose ends/x.md", "")
	out, status := d.run("check", "2027-03 Oriel Pask BK", "--accept", "Lose ends", "--why", "x")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "did you mean Loose ends?")
	for _, half := range [][]string{{"--accept", "Loose ends"}, {"--why", "x"}} {
		_, status := d.run(append([]string{"check", "2027-03 Oriel Pask BK"}, half...)...)
		assert.Equal(t, 2, status)
	}
	before := d.read("2027-03 Oriel Pask BK/.vestibula.json")
	out, status = d.run("check", "2027-03 Oriel Pask BK", "--accept", "Loose ends", "--why", "The client asked for it.")
	assert.Zero(t, status, out)
	out, status = d.run("check", "2027-03 Oriel Pask BK", "--strict")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "accepted: Loose ends: “Loose ends” is not one of the folders that belong in the project's own folder (The client asked for it.)")
	// Another build keeps it; another finding at that path is told.
	d.run("build", "commission", "--into", ".", "client=Oriel Pask", "received=2027-03-09", "gilding=yes", "--yes")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "2027-03 Oriel Pask BK/Loose ends"), filepath.Join(d.dir, "2027-03 Oriel Pask BK/Loose ends ")))
	out, _ = d.run("check", "2027-03 Oriel Pask BK")
	assert.Contains(t, out, "ends in a space")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "2027-03 Oriel Pask BK/Loose ends "), filepath.Join(d.dir, "2027-03 Oriel Pask BK/Loose ends")))
	out, status = d.run("check", "2027-03 Oriel Pask BK", "--strict")
	assert.Zero(t, status, out)
	d.run("undo", "--yes")
	d.run("undo", "--yes")
	assert.Equal(t, before, d.read("2027-03 Oriel Pask BK/.vestibula.json"))
}

// A month of ordinary work, after which nothing is found.
func TestOrdinaryWorkIsSilent(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	at := "2027-03 Oriel Pask BK/"
	silent := func(what string) {
		t.Helper()
		for _, folder := range []string{at, at + "01 Agreement", "."} {
			out, status := d.run("check", folder, "--strict")
			assert.Zero(t, status, "%s: %s", what, out)
			assert.Contains(t, out, "All is well", what)
		}
	}
	d.run("build", "commission", "--into", ".", "client=Oriel Pask", "received=2027-03-09", "--yes")
	silent("built")
	d.write(at+"01 Agreement/Agreement.docx", "edited")
	d.write(at+"01 Agreement/Letters/2027-03-11 first letter.odt", "dear")
	d.write(at+"01 Agreement/~$Agreement.docx", "")
	d.write(at+".DS_Store", "")
	silent("edited and written")
	for n := range 3 {
		out, status := d.run("name", "commission", "scan", "--in", at+"02 Condition survey/Photographs", "side=recto", "--create")
		require.Zero(t, status, out)
		assert.Contains(t, out, fmt.Sprintf("recto %03d.tif", n+1))
	}
	d.write(at+"03 Work/01 Survey/notes and more/what I saw.md", "x")
	d.write(at+"90 Settled/anything.pdf", "x")
	silent("photographed and noted")
	out, status := d.run("name", "commission", "invoice", "--in", at+"05 Invoices", "day=2027-03-20", "what=deposit", "--create", "--ext", "pdf")
	if status != 0 { // without gilding, it is the fourth
		out, status = d.run("name", "commission", "invoice", "--in", at+"04 Invoices", "day=2027-03-20", "what=deposit", "--create", "--ext", "pdf")
	}
	require.Zero(t, status, out)
	d.write(at+"plan for april.md", "beside the listed file")
	silent("invoiced")
	d.run("build", "commission", "--into", ".", "client=Oriel Pask", "received=2027-03-09", "stages=survey;repair;sewing;covering;lettering", "--yes")
	silent("one stage more")
	require.NoError(t, os.Rename(filepath.Join(d.dir, at), filepath.Join(d.dir, "moved")))
	require.NoError(t, os.MkdirAll(filepath.Join(d.dir, "Clients"), 0o777))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "moved"), filepath.Join(d.dir, "Clients", at)))
	at = "Clients/" + at
	silent("moved")
}

func TestHandInsAreCheckedAtOnce(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "hand-in.folders", "---\nfields: { name: Who? }\nnames: { page: { pattern: \"page <n:00>\", for: [pdf] } }\n---\n<name>\n    Pages  | holds: page\n    Sources/\n    Report.odt\n",
		"in/Oriel Pask/Pages/page 01.pdf", "", "in/Oriel Pask/Report.odt", "r", "in/Oriel Pask/Sources/x.txt", "",
		"in/Jun Teague/Pages/one.pdf", "", "in/Jun Teague/report.odt", "r", "in/Jun Teague/Sources/x.txt", "")
	pack := func(name string, entries ...string) {
		f, err := os.Create(filepath.Join(d.dir, name))
		require.NoError(t, err)
		z := zip.NewWriter(f)
		for _, e := range entries {
			_, err := z.Create(e)
			require.NoError(t, err)
		}
		require.NoError(t, z.Close())
		require.NoError(t, f.Close())
	}
	pack("in/dag.zip", "Dag Holm/Pages/page 01.pdf", "Dag Holm/Report.odt", "Dag Holm/Sources/x.txt")
	pack("in/Runa Vik.zip", "Pages/page 01.pdf", "Sources/", "../../out.txt", `..\out.txt`)
	d.write("in/broken.zip", "PK\x03\x04")
	out, status := d.run("check", "in/Oriel Pask", "in/Jun Teague", "in/dag.zip", "in/Runa Vik.zip", "in/broken.zip", "--template", "hand-in")
	assert.Equal(t, 1, status)
	for _, want := range []string{"✓ Oriel Pask    well", "✓ dag.zip       well", "name Dag Holm", "✗ Jun Teague", "error report.odt is spelled differently: it should be “Report.odt”", "error Pages/one.pdf is not named as files in “Pages” are",
		"name Runa Vik", "error Report.odt is missing (a file)", "error ../../out.txt this entry leads out of the archive", "✗ broken.zip    cannot be checked", "5 folders; 2 well"} {
		assert.True(t, strings.Contains(out, want) || strings.Contains(flat(out), want), "%s in\n%s", want, out)
	}
	out, status = d.run("check", "in", "--template", "hand-in")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "below in\nfolder        state                          checked against\n✗ Jun Teague", "a folder in which such projects lie")
	assert.Contains(t, out, "Not checked, as it belongs to none of them: in/Runa Vik.zip, in/broken.zip, in/dag.zip.")
	out, status = d.run("check", "in/broken.zip", "--template", "hand-in")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "it is damaged")
	out, status = d.run("check", "in/dag.zip", "--template", "hand-in", "--fix", "--yes")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "is an archive, and cannot be fixed")
}

func TestLabelsOfStrangersAreJudgedWithoutHarm(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	for _, name := range []string{"Oriel Pask", "Jun Teague"} {
		d.run("build", "commission", "--into", "work", "client="+name, "received=2027-03-09", "--yes")
		d.run("build", "commission", "--into", ".", "client="+name, "received=2027-03-09", "--yes")
	}
	whole := d.read("2027-03 Oriel Pask BK/.vestibula.json")
	for folder, label := range map[string]string{"cut": whole[:200], "later": strings.Replace(whole, `"vestibula": 2`, `"vestibula": 9`, 1), "text": strings.Replace(whole, "<received:yyyy-mm>", "<received:yyyy-mm", 1),
		"values": strings.Replace(whole, `"received": "2027-03-09"`, `"received": "soon"`, 1), "huge": strings.Repeat(" ", 33<<20), "range": strings.Replace(whole, "stage in stages", "stage in 1..999999999", 1), "null": "null"} {
		d.write("odd/"+folder+"/.vestibula.json", label)
		out, status := d.run("check", "odd/"+folder)
		assert.NotZero(t, status, folder)
		assert.Less(t, len(out), 3000, folder)
		assert.NotContains(t, out, "goroutine", folder)
	}
	require.NoError(t, os.Symlink("..", filepath.Join(d.dir, "odd/cut/circle")))
	out, status := d.run("check", "odd")
	assert.Equal(t, 1, status)
	assert.Equal(t, 7, strings.Count(out, "cannot be checked: "), out)

	// One identity, twice; and a project in a project.
	require.NoError(t, os.CopyFS(filepath.Join(d.dir, "2027-03 copy"), os.DirFS(filepath.Join(d.dir, "2027-03 Oriel Pask BK"))))
	d.run("build", "ledger", "--into", "2027-03 Jun Teague BK/01 Agreement", "year=2027", "--yes")
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "2027-03 Jun Teague BK/01 Agreement/Books 2027/04 Tax return")))
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "odd")))
	out, _ = d.run("check", ".")
	assert.Contains(t, out, "is a copy of")
	assert.Contains(t, out, "✓ 2027-03 Jun Teague BK  ")
	assert.Contains(t, out, "✗ 2027-03 Jun Teague BK/01 Agreement/Books 2027")
	assert.Contains(t, flat(out), "error 04 Tax return is missing (a folder with 1 thing in it)")
}

func TestAFolderAndATemplateOfOneNameAreToldApart(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "card.folders", "Card\n    Pictures\n", "card/x.md", "")
	out, status := d.run("check", "card")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "write card/ for the folder, or card.folders for the template")
	out, _ = d.run("check", "card/")
	assert.Contains(t, out, "Checked against the default rules")
	out, _ = d.run("check", "card.folders")
	assert.Contains(t, out, "All is well with card.folders.")
}

func TestAPartOfAProjectIsJudgedAsInTheWhole(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	d.run("build", "commission", "--into", ".", "client=Oriel Pask", "received=2027-03-09", "--yes")
	at := "2027-03 Oriel Pask BK/"
	d.write(at+"02 Condition survey/Photographs/2027-03-09 jun-teague recto 001.tif", "")
	d.write(at+"03 Work/05 Lettering/x.md", "")
	whole, _ := d.run("check", at)
	part, _ := d.run("check", at+"02 Condition survey/Photographs")
	line := "02 Condition survey/Photographs/2027-03-09 jun-teague recto 001.tif says client jun teague; here it is Oriel Pask [misplaced]"
	assert.Contains(t, flat(whole), line)
	assert.Contains(t, flat(part), line)
	assert.NotContains(t, part, "05 Lettering")
}

func TestTwoValuesThatGiveOneNameAreRefused(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "c.folders", "---\nfields: { client: { ask: Who?, max: 10 }, kind: { default: x } }\n---\n<client>\n    Notes <kind>\n    Letters\n")
	d.run("build", "c", "--into", ".", "client=Oriel Pask Sons", "--yes")
	out, status := d.run("build", "c", "--into", ".", "client=Oriel Pask Daughters", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, `client "Oriel Pask Daughters" and "Oriel Pask Sons", of the project that is there, give one name: Oriel Pask`)
	out, status = d.run("build", "c", "--into", ".", "client=Oriel Pask Sons", "kind=y", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "“Notes x” is there and would be “Notes y”; to rename it: vestibula upgrade \"Oriel Pask\"")
	out, status = d.run("build", "c", "--into", ".", "client=Oriel Pask Sons", "kind=y", "--add", "--yes")
	assert.Zero(t, status)
	assert.Contains(t, out, "this changes the project Oriel Pask: kind from x to y")
}

func TestWhatWouldBeFixedIsToldAsJSON(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	d.run("build", "commission", "--into", ".", "client=Oriel Pask", "received=2027-03-09", "--yes")
	at := "2027-03 Oriel Pask BK"
	require.NoError(t, os.Rename(filepath.Join(d.dir, at, "03 Work"), filepath.Join(d.dir, at, "03 Wrok")))
	require.NoError(t, os.Remove(filepath.Join(d.dir, at, "90 Settled")))
	before := d.whole(at)
	out, status := d.run("check", at, "--fix", "--json")
	assert.Equal(t, 1, status)
	for _, want := range []string{`"path": "03 Wrok"`, `"fix": "probable"`, `"to": "03 Work"`, `"fix": "sure"`, `"to": "90 Settled"`} {
		assert.Contains(t, out, want)
	}
	out, _ = d.run("check", at, "--fix", "--preview")
	assert.Contains(t, out, "+ 90 Settled/   missing: a folder")
	assert.Contains(t, out, "A preview: nothing was changed.")
	assert.Equal(t, before, d.whole(at))
	out, status = d.run("check", at, "--fix")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "Nothing was changed yet.")
	// Without a finding that can be fixed, nothing is asked.
	out, status = d.run("check", at, "--only", "unseen", "--fix")
	assert.Zero(t, status)
	assert.Contains(t, out, "Nothing to fix in 2027-03 Oriel Pask BK without a person.")
	// A no changes nothing.
	w := d.window(120, d.environment(), "check", at, "--fix")
	w.answer("03 Wrok → 03 Work?", "n")
	w.answer("Make 1 change?", "n")
	out, status = w.end()
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "Nothing was changed.")
	assert.Equal(t, before, d.whole(at))
}

func TestLaterFoldersWithSlotsAreMatchedAndAdded(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "s.folders", "---\nfields: { shop: Who?, day: { type: date }, spot: { default: \"\" } }\n---\n<shop>\n    Sheets\n        <day:yyyy>/<day:yyyy-mm> | later\n            Checked\n    Spots\n        <spot> | later | note: where it hangs\n    Letters\n")
	out, status := d.run("build", "s", "--into", ".", "shop=Thistlewick", "--yes")
	require.Zero(t, status, out)
	out, _ = d.run("add", "Thistlewick", "--json")
	assert.Contains(t, out, `"needs": [`)
	assert.Contains(t, out, `"note": "where it hangs"`)
	for _, args := range [][]string{{"day=2027-03-09"}, {"day=2026-12-01"}, {"spot=Cove"}} {
		out, status = d.run(append([]string{"add", "Thistlewick", "--yes"}, args...)...)
		require.Zero(t, status, out)
	}
	out, status = d.run("add", "Thistlewick", "day=2027-04-01", "--preview")
	assert.Zero(t, status)
	assert.Contains(t, out, "2027-04/")
	assert.NotContains(t, d.has("."), "Thistlewick/Sheets/2027/2027-04/")
	d.write("Thistlewick/Sheets/2027/2027-03/Checked/own.txt", "")
	d.write("Thistlewick/Spots/Bench by the window/own.txt", "")
	out, status = d.run("check", "Thistlewick", "--strict")
	assert.Zero(t, status, out)
	require.NoError(t, os.MkdirAll(filepath.Join(d.dir, "Thistlewick/Sheets/2027/2026-05"), 0o777))
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "Thistlewick/Sheets/2026/2026-12/Checked")))
	out, _ = d.run("check", "Thistlewick")
	assert.Contains(t, flat(out), "warning Sheets/2027/2026-05 is not one of the folders that belong in “Sheets/2027”")
	assert.Contains(t, flat(out), "error Sheets/2026/2026-12/Checked is missing (a folder)")
}

func TestWhatCannotBeMadeAgainIsNeverMadeEmpty(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "P\n    Letters\n        Letter.md | copy: forms/letter.md\n    Notes\n", "forms/letter.md", "Dear …\n")
	d.run("build", "t", "--into", ".", "--yes")
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "P/Letters")))
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "P/Notes")))
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "forms")))
	require.NoError(t, os.Remove(filepath.Join(d.dir, "t.folders")))
	out, status := d.run("check", "P", "--fix", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "+ Notes/   missing: a folder")
	assert.Contains(t, out, "it cannot be made again: it starts from forms/letter.md, which cannot be found")
	assert.Equal(t, []string{".vestibula.json", "Notes/"}, d.has("P"))
	d.write("t.folders", "P\n    Letters\n        Letter.md | copy: forms/letter.md\n    Notes\n")
	d.write("forms/letter.md", "Dear …\n")
	out, status = d.run("check", "P", "--fix", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, "Dear …\n", d.read("P/Letters/Letter.md"))
}

// Nothing is said to be well that could not be read, or was not looked at; and nothing
// is said to be missing from a folder that only could not be read.
func TestWhatCouldNotBeReadIsNotSaidToBeWell(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "card.folders", "---\nfields: { client: Who? }\n---\n<client>\n    <#> Agreement\n    <#> Work\n        Plans\n    Brief.md\n")
	run := d.run
	if os.Getuid() == 0 { // who may read everything; so somebody else is asked
		for _, dir := range []string{filepath.Dir(program), filepath.Dir(d.dir), d.dir} {
			require.NoError(t, os.Chmod(dir, 0o777))
		}
		run = func(args ...string) (string, int) {
			return d.execAs(&syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}, program, args...)
		}
	}
	for _, client := range []string{"Oriel Pask", "Dag Holm"} {
		out, status := run("build", "card", "--into", ".", "client="+client, "--yes")
		require.Zero(t, status, out)
	}
	d.write("Old things/x.txt", "mine")
	out, status := run("check", ".")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "All is well with 2 projects.\n6 folders and 2 files looked at.\nNot checked, as it belongs to none of them: Old things, card.folders.")

	shut := filepath.Join(d.dir, "Dag Holm/02 Work")
	require.NoError(t, os.Chmod(shut, 0))
	defer os.Chmod(shut, 0o777)
	for _, args := range [][]string{{"check", "."}, {"check", "Dag Holm"}, {"check", "Dag Holm", "--fix", "--yes"}} {
		out, status = run(args...)
		assert.Equal(t, 1, status, out)
		assert.Contains(t, out, "Dag Holm/02 Work cannot be read")
		assert.Contains(t, out, "Nothing was found in what could be read")
		assert.NotContains(t, out, "All is well")
		assert.NotContains(t, out, "is missing")
	}
	require.NoError(t, os.Chmod(shut, 0o777))
	shut = filepath.Join(d.dir, "Old things")
	require.NoError(t, os.Chmod(shut, 0))
	defer os.Chmod(shut, 0o777)
	out, status = run("check", ".", "--json")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "\"unread\": [\n    \"Old things\"\n  ]")
	out, status = run("upgrade", ".", "client=Jun Teague", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "Old things cannot be read, and projects may lie in it: you do not have the right")
}

// What is there more than once is shown in groups, and a plan is made to decide in.
func TestTheSameContentIsShownInGroups(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nnames: { sheet: { pattern: \"<day:yyyy-mm-dd> sheet\", for: [txt] } }\n---\nBooks\n    Inbox\n    Sheets | holds: sheet\n")
	out, status := d.run("build", "t", "--into", ".", "--yes")
	require.Zero(t, status, out)
	for name, text := range map[string]string{"Inbox/a.txt": "one", "Sheets/2027-01-01 sheet.txt": "one", "Inbox/b.txt": "two", "Inbox/c.txt": "two", "Inbox/d.txt": "six", "Inbox/e.txt": "", "Inbox/f.txt": ""} {
		d.write("Books/"+name, text)
	}
	before := d.whole("Books")
	out, status = d.run("check", "Books", "--only", "twice")
	assert.Zero(t, status, "warnings")
	assert.Contains(t, out, "Sheets/2027-01-01 sheet.txt   that one lies where it belongs\n  = Inbox/a.txt\nInbox/b.txt   look which of them is to stay\n  = Inbox/c.txt\n\n2 warnings")
	out, status = d.run("check", "Books", "--only", "twice", "--plan", "same.csv")
	require.Zero(t, status, out)
	filled := regexp.MustCompile(`(?m)^(move,[^,]*),,(.*),probable,([^,\n]*)`).ReplaceAllString(d.read("same.csv"), "$1,$3,$2,probable,$3")
	d.write("same.csv", strings.Join(slices.DeleteFunc(strings.Split(filled, "\n"), func(row string) bool { return strings.Contains(row, "c.txt") }), "\n"))
	out, status = d.run("do", "same.csv", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "one", d.read("Books/Twice/Inbox/a.txt"))
	assert.Equal(t, "two", d.read("Books/Inbox/c.txt"), "that row was taken out")
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, before, d.whole("Books"))
}

// Of many findings that are alike a few are shown, with how many more there are and how to see
// them; each says how bad it is, and what was asked for is all there.
func TestManyFindingsAreCappedAndCounted(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who? }\nnames: { bill: { pattern: \"<day:yyyy-mm-dd> bill <n:00>\", for: [pdf] } }\n---\n<client>\n    Bills | holds: bill\n    Plans\n")
	d.run("build", "job", "--into", ".", "client=Ola", "--yes")
	for i := range 9 {
		d.write(fmt.Sprintf("Ola/Bills/scan %d.pdf", i), fmt.Sprint(i))
		d.write(fmt.Sprintf("Ola/loose %d.txt", i), fmt.Sprint(i))
	}
	require.NoError(t, os.Remove(filepath.Join(d.dir, "Ola/Plans")))
	out, status := d.run("check", "Ola")
	assert.Equal(t, 1, status)
	count := func(prefix string) (n int) {
		for line := range strings.Lines(out) {
			if strings.HasPrefix(line, prefix) {
				n++
			}
		}
		return n
	}
	assert.Equal(t, []int{shownOfAlike + 1, shownOfAlike}, []int{count("error    "), count("warning  ")}, out)
	assert.Equal(t, 2, strings.Count(out, "… and 5 more like this, in one folder; all of them: vestibula check"))
	assert.Contains(t, out, "10 errors, 9 warnings in Ola.")
	assert.Equal(t, 1, strings.Count(out, "they look like"), "advice stands once for all of a kind")
	at := map[string]int{}
	for _, rule := range []string{"[holds]", "[missing]", "[strays]"} {
		at[rule] = strings.Index(out, rule)
		last := strings.LastIndex(out, rule)
		for other, i := range at {
			assert.True(t, other == rule || i < at[rule] || i > last, "those of one rule stand together")
		}
	}
	out, _ = d.run("check", "Ola", "--all")
	assert.Equal(t, []int{10, 9}, []int{count("error    "), count("warning  ")})
	assert.NotContains(t, out, "--all lists them")
	out, status = d.run("check", "Ola", "--only", "missing,strays", "--strict")
	assert.Equal(t, 1, status)
	assert.NotContains(t, out, "[holds]")
	assert.Contains(t, out, "1 of them can be fixed; to see how: vestibula check Ola")
	out, _ = d.run("check", "Ola", "--fix", "--yes")
	assert.Contains(t, out, "Fixed 1 thing")
	assert.Contains(t, d.has("."), "Ola/Plans/")
}

func TestManyFindingsOfATemplateAreCapped(t *testing.T) {
	t.Parallel()
	text := "Studio\n"
	for i := range 31 {
		text += fmt.Sprintf("    Place %02d\n        Misc\n", i)
	}
	d := newDesk(t, "t.folders", text)
	out, _ := d.run("check", "t")
	assert.Equal(t, 8, strings.Count(out, "“Misc” says nothing"))
	assert.Contains(t, out, "… and 23 more of vague-names; all of them: vestibula check")
	assert.Contains(t, out, "31 warnings in t.folders.")
	out, _ = d.run("check", "t", "--all")
	assert.Equal(t, 31, strings.Count(out, "“Misc” says nothing"))
}

// shownOfAlike is how many findings of one kind are shown.
const shownOfAlike = 4
