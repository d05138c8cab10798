//go:build unix

package main

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A place that is named is meant; what a check would find there is asked, and the answer kept.
func TestAPlaceThatIsNamedIsMeant(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\nnames:\n  bill: { pattern: \"<day:yyyy-mm-dd> bill <n:000>\", fields: { day: { type: date }, n: { type: number } }, for: [pdf] }\n---\n"+
		"<client>\n    00 Arrivals\n    Desk\n        Notes\n    Letters | holds: documents\n    Scripts | holds: documents\n        Birds\n    Weeks\n        <#> Week <n> | each: n in 1..3\n    Bills | holds: bill\n    Essay | due: 2027-04-01\n",
		"in/note.txt", "a", "in/view.jpg", "b", "in/2027-01-01 bill 001.pdf", "c", "essay.docx", "e")
	_, status := d.run("build", "t", "client=Ola", "--into", ".", "--yes")
	require.Zero(t, status)
	for place, well := range map[string]bool{"Desk/Notes": true, "Scripts/Birds": true, "Weeks/01 Week 1": true, "00 Arrivals": true, "Letters": false, "Bills": false} {
		out, _ := d.run("put", "in/view.jpg", "--into", "Ola/"+place, "--preview")
		assert.Equal(t, well, strings.Contains(out, "+ view.jpg   it was named"), "%s\n%s", place, out)
		assert.Equal(t, !well, strings.Contains(out, "if it is meant there:"), "%s\n%s", place, out)
	}
	out, _ := d.run("put", "in/note.txt", "--into", "Ola/Desk/Notes", "--copy", "--yes")
	assert.Contains(t, out, "it was named, and the template has it in Letters")
	out, status = d.run("put", "in/view.jpg", "--into", "Ola/Letters", "--why", "a view of a letter", "--yes")
	require.Zero(t, status, out)
	out, status = d.run("check", "Ola")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "(a view of a letter)")
	d.run("undo", "--yes")
	assert.NotContains(t, d.read("Ola/.vestibula.json"), "accepted")
	w := d.window(120, d.environment(), "put", "in/view.jpg", "--into", "Ola/Bills")
	w.answer("is that meant?", "y")
	w.answer("Put 1 file", "y")
	w.end()
	assert.Contains(t, d.read("Ola/.vestibula.json"), "it was put there on")
	// A folder is put as a folder, and becomes one with one of its name.
	for range 2 {
		out, status = d.run("put", "in", "--into", "Ola/Weeks/01 Week 1", "--yes")
		assert.Zero(t, status, out)
	}
	d.write("in/note.txt", "another")
	d.run("put", "in", "--into", "Ola/Weeks/01 Week 1", "--yes")
	assert.Equal(t, []string{"in/", "in/2027-01-01 bill 001.pdf", "in/note (from in).txt", "in/note.txt", "in/view.jpg"}, d.has("Ola/Weeks/01 Week 1"))
	// What is due is delivered, and a project is known by its own name.
	d.write("C/read me.md", "")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Ola"), filepath.Join(d.dir, "C/Ola")))
	out, status = d.run("put", "essay.docx", "--into", "ola", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "it is due there")
	out, _ = d.run("projects", "Ola")
	assert.Contains(t, out, "1 of 1, 100 %")
	out, status = d.run("check", "Ola")
	assert.Zero(t, status, out)
	require.NoError(t, os.CopyFS(filepath.Join(d.dir, "D/Ola"), os.DirFS(filepath.Join(d.dir, "C/Ola"))))
	out, status = d.run("check", "Ola")
	assert.Equal(t, 2, status)
	assert.Contains(t, flat(out), `name it with its path: C/Ola, D/Ola`)
}

// A no is kept: what was only guessed is not sure in the next run; a former name is a new statement.
func TestNoMeansNo(t *testing.T) {
	t.Parallel()
	text := func(lines string) string {
		return "---\nfields: { client: Who? }\n---\n<client>\n    Notes\n" + lines + "    Plans\n"
	}
	d := newDesk(t, "t.folders", text("    Reports\n"))
	d.run("build", "t", "client=Ola", "--into", ".", "--yes")
	d.write("Ola/Reports/a.md", "x")
	d.write("t.folders", text("    Reporst\n    New\n"))
	out, status := d.run("upgrade", "Ola", "--yes")
	assert.Equal(t, 1, status, "a question is left")
	last := strings.Split(strings.TrimSpace(out), "\n")
	assert.Contains(t, last[len(last)-1], "1 question is left", out)
	assert.Contains(t, d.has("Ola"), "New/")
	w := d.window(120, d.environment(), "upgrade", "Ola")
	w.answer("Reports → Reporst?", "n")
	w.answer("Make 1 change", "y")
	out, status = w.end()
	assert.Zero(t, status, out)
	for _, command := range [][]string{{"upgrade", "Ola", "--yes"}, {"check", "Ola", "--fix", "--yes"}} {
		d.run(command...)
		assert.Equal(t, []string{".vestibula.json", "New/", "Notes/", "Plans/", "Reporst/", "Reports/", "Reports/a.md"}, d.has("Ola"), command)
	}
	out, _ = d.run("check", "Ola")
	assert.Contains(t, flat(out), "somebody said that it is not “Reporst”; if it is now, give it that name")
	require.NoError(t, os.Remove(filepath.Join(d.dir, "Ola/Reporst")))
	d.write("t.folders", text("    Reporst | was: Reports\n    New\n"))
	out, status = d.run("upgrade", "Ola", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "x", d.read("Ola/Reporst/a.md"))
	// The same holds for what check only guesses.
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Ola/Plans"), filepath.Join(d.dir, "Ola/Planz")))
	w = d.window(120, d.environment(), "check", "Ola", "--fix")
	w.answer("Planz → Plans?", "n")
	w.answer("Remember your no, so that it is not asked again?", "y")
	w.end()
	out, _ = d.run("check", "Ola", "--fix", "--preview")
	assert.NotContains(t, out, "Planz →")
}

// An item of a list that gets another name is renamed, with all that lies in it.
func TestAListItemIsRenamed(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who?, rooms: { type: list }, titles: { type: list } }\n---\n<client>\n    Rooms\n        <#> <room> | each: room in rooms\n            Photos\n    Flat\n        <room> | each: room in rooms\n"+
		"    Plates\n        P.<#> Plate - <title> | each: title in titles\n    Docs\n        <room> plan.md | each: room in rooms | blank\n")
	d.run("build", "t", "client=Ola", "rooms=Room 1; Room 2; Room 3", "titles=Owls; Herons", "--into", ".", "--yes")
	for _, at := range []string{"Rooms/02 Room 2/Photos/x.jpg", "Flat/Room 2/y.md", "Plates/P.02 Plate - Herons/d.md", "Docs/Room 2 plan.md"} {
		d.write("Ola/"+at, at)
	}
	out, status := d.run("upgrade", "Ola", "rooms=Room 1; Studio; Room 3", "titles=Owls; Grey herons", "--yes")
	require.Zero(t, status, out)
	for at, was := range map[string]string{"Rooms/02 Studio/Photos/x.jpg": "Rooms/02 Room 2/Photos/x.jpg", "Flat/Studio/y.md": "Flat/Room 2/y.md", "Plates/P.02 Plate - Grey herons/d.md": "Plates/P.02 Plate - Herons/d.md", "Docs/Studio plan.md": "Docs/Room 2 plan.md"} {
		assert.Equal(t, was, d.read("Ola/"+at))
	}
	out, status = d.run("check", "Ola")
	assert.Zero(t, status, out)
	whole := d.whole("Ola")
	for _, rooms := range []string{"Room 1; Room 3; Hall", "Hall; Attic; Room 3", "Attic; Room 1; Room 3", "Room 1; Loft; Room 3; Cellar"} {
		out, status = d.run("upgrade", "Ola", "rooms="+rooms, "--yes")
		assert.Equal(t, 1, status, rooms)
		assert.Contains(t, out, "is only probable", rooms)
	}
	assert.Equal(t, whole, d.whole("Ola"))
	w := d.window(120, d.environment(), "upgrade", "Ola", "rooms=Room 1; Room 3; Hall")
	for _, q := range []string{"Docs/Studio plan.md → Docs/Hall plan.md?", "Flat/Studio → Flat/Hall?", "Rooms/02 Studio → Rooms/03 Hall?", "Make 4 changes"} {
		w.answer(q, "y")
	}
	out, status = w.end()
	assert.Zero(t, status, out)
	assert.Equal(t, "Flat/Room 2/y.md", d.read("Ola/Flat/Hall/y.md"))
	assert.Equal(t, "Rooms/02 Room 2/Photos/x.jpg", d.read("Ola/Rooms/03 Hall/Photos/x.jpg"))
}

// A client who gets another name: what lies above and beside the projects comes along as a whole;
// and of a project that was renamed by hand, both ways are told.
func TestAClientGetsAnotherName(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who?, job: Which? }\n---\n<client>\n    Brand\n    <job> | project\n        Tools\n")
	for _, job := range []string{"One", "Two"} {
		d.run("build", "t", "client=Ann Bell", "job="+job, "--into", ".", "--yes")
	}
	d.write("Ann Bell/Brand/logo.svg", "mine")
	out, _ := d.run("upgrade", "Ann Bell/One", "client=Ann/Hart", "--preview")
	assert.Equal(t, 1, strings.Count(out, "in names, the client “Ann/Hart” is written “Ann-Hart”"), out)
	out, _ = d.run("upgrade", "Ann Bell/One", "client=Ann Hart", "--preview")
	assert.NotContains(t, out, "in names, the client")
	assert.Contains(t, out, "What else lies in Ann Bell stays there")
	out, status := d.run("upgrade", "Ann Bell", "client=Ann Hart", "--yes")
	require.Zero(t, status, out)
	assert.NoDirExists(t, filepath.Join(d.dir, "Ann Bell"))
	assert.Equal(t, []string{"Brand/", "Brand/logo.svg", "One/", "One/.vestibula.json", "One/Tools/", "Two/", "Two/.vestibula.json", "Two/Tools/"}, d.has("Ann Hart"))
	out, status = d.run("check", "Ann Hart")
	assert.Zero(t, status, out)
	d.run("undo", "--yes")
	assert.Equal(t, "mine", d.read("Ann Bell/Brand/logo.svg"))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Ann Bell/Two"), filepath.Join(d.dir, "Ann Bell/Deux")))
	out, _ = d.run("check", "Ann Bell/Deux")
	assert.Contains(t, flat(out), `give it that name, or accept it; if its name says what is so now: vestibula upgrade "Ann Bell/Deux" job=Deux`)
	d.run("upgrade", "Ann Bell/Deux", "job=Deux", "--yes")
	out, status = d.run("check", "Ann Bell/Deux")
	assert.Zero(t, status, out)
}

// What a person wrote stays, also where it is what a starter says; what this program wrote follows
// values by itself, and another text after one yes for all projects, or never again after a no.
func TestWhatAPersonWroteStays(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Contract.md | fill: st/contract.md\n    Terms.md | copy: st/terms.md\n    Guide.md | guide\n",
		"st/contract.md", "Contract with <client>\n", "st/terms.md", "terms\n", "Cy/Terms.md", "terms\n")
	for _, client := range []string{"Ann", "Bob", "Cy", "Dee"} {
		d.run("build", "t", "client="+client, "--into", ".", "--yes")
	}
	d.write("Dee/Contract.md", "Contract with Dee, signed\n")
	assert.NotContains(t, d.read("Cy/.vestibula.json"), `"Terms.md":`, "it was there")
	out, status := d.run("upgrade", "Ann", "client=Ann Hart", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "Contract with Ann Hart\n", d.read("Ann Hart/Contract.md"))
	d.write("st/contract.md", "Another contract with <client>\n")
	d.write("st/terms.md", "new terms\n")
	out, status = d.run("upgrade", ".", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "? Contract.md   nobody has touched it, and the template has a new text for it")
	out, _ = d.run("upgrade", "Bob", "client=Bobby", "--yes")
	assert.Contains(t, out, "2 changes")
	assert.Equal(t, "Contract with Bob\n", d.read("Bobby/Contract.md"), "it was sent as it is")
	w := d.window(120, d.environment(), "upgrade", ".")
	w.answer("Write again all 3?", "n")
	w.answer("Write again all 3?", "y")
	w.answer("Make 3 changes in 4 projects?", "y")
	out, status = w.end()
	assert.Zero(t, status, out)
	assert.Equal(t, "Contract with Ann Hart\n", d.read("Ann Hart/Contract.md"))
	assert.Equal(t, "Contract with Dee, signed\n", d.read("Dee/Contract.md"))
	assert.Equal(t, "terms\n", d.read("Cy/Terms.md"), "they have written it themselves")
	assert.Equal(t, "new terms\n", d.read("Dee/Terms.md"))
	out, status = d.run("upgrade", ".", "--yes")
	assert.Zero(t, status, "a no stays a no: %s", out)
	assert.Contains(t, out, "somebody said no to the text that the template has for it now")
	d.write("st/contract.md", "A third contract with <client>\n")
	out, status = d.run("upgrade", ".", "--yes")
	assert.Equal(t, 1, status, "another text is another question: %s", out)
}

// Files that belong together stay together and keep one number, whoever moves them; and check finds
// what goes along well.
func TestFilesThatBelongTogetherStayTogether(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\nnames:\n  shot: { pattern: \"<client:like-this> <day:yyyy-mm-dd> <n:000>\", fields: { day: { type: date }, n: { type: number, next: yes } }, for: [jpg, arw], was: [\"IMG_<day:yyyymmdd>_<x>\"] }\n---\n"+
		"<client>\n    <#> Photos | holds: shot\n    <#> Models\n        Part A\n    <#> Letters | holds: documents\n    <#> Scans | holds: *.png\n")
	d.run("build", "t", "client=Ola Hart", "--into", ".", "--yes")
	names := []string{"IMG_20270301_a.ARW", "IMG_20270301_a.JPG", "IMG_20270301_a.JPG.xmp", "IMG_20270301_a.xmp", "IMG_20270302_b.JPG", "brief.docx", "brief.docx.sig", "lone.xmp"}
	for _, name := range names {
		d.write("card/"+name, name)
	}
	at := time.Date(2027, 3, 4, 12, 0, 0, 0, time.UTC)
	for _, name := range names {
		require.NoError(t, os.Chtimes(filepath.Join(d.dir, "card", name), at, at))
	}
	out, status := d.run("put", "card", "--into", "Ola Hart", "--convention", "shot", "--yes")
	require.Zero(t, status, out)
	first := []string{"ola-hart 2027-03-04 001.arw", "ola-hart 2027-03-04 001.jpg", "ola-hart 2027-03-04 001.jpg.xmp", "ola-hart 2027-03-04 001.xmp", "ola-hart 2027-03-04 002.jpg"}
	assert.Equal(t, first, d.has("Ola Hart/01 Photos"))
	assert.Equal(t, []string{"brief.docx", "brief.docx.sig"}, d.has("Ola Hart/03 Letters"))
	d.write("Ola Hart/02 Models.meta", "m")
	out, status = d.run("check", "Ola Hart")
	assert.Zero(t, status, out)
	out, _ = d.run("put", "card", "--into", "Ola Hart", "--preview")
	assert.Contains(t, out, "Is there already: 7 files")

	// Names of older shapes; a file that the convention does not speak of; one in another folder.
	for _, at := range []string{"01 Photos/IMG_20270301_a.ARW", "01 Photos/IMG_20270301_a.JPG", "01 Photos/IMG_20270301_a.JPG.xmp", "01 Photos/IMG_20270301_a.txt", "02 Models/Part A/IMG_20270301_a.JPG"} {
		d.write("Ola Hart/"+at, at)
	}
	out, status = d.run("rename", "shot", "Ola Hart", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "1 file is skipped, in folders that do not hold shot.")
	assert.Equal(t, append(slices.Clone(first), "ola-hart 2027-03-01 003.arw", "ola-hart 2027-03-01 003.jpg", "ola-hart 2027-03-01 003.jpg.xmp", "ola-hart 2027-03-01 003.txt"), append(d.has("Ola Hart/01 Photos")[4:], d.has("Ola Hart/01 Photos")[:4]...))
	d.run("undo", "--yes")
	assert.FileExists(t, filepath.Join(d.dir, "Ola Hart/01 Photos/IMG_20270301_a.JPG.xmp"))
	out, _ = d.run("rename", "shot", "Ola Hart/02 Models/Part A", "--preview")
	assert.Contains(t, out, "IMG_20270301_a.JPG → ola-hart 2027-03-01 001.jpg", "a folder that is named is meant")
	for _, at := range d.has("Ola Hart/01 Photos") {
		if strings.HasPrefix(at, "IMG") {
			require.NoError(t, os.Remove(filepath.Join(d.dir, "Ola Hart/01 Photos", at)))
		}
	}

	// A fix, and another template.
	d.write("Ola Hart/03 Letters/plan.png", "p")
	d.write("Ola Hart/03 Letters/plan.xmp", "x")
	out, status = d.run("check", "Ola Hart", "--fix", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, []string{"plan.png", "plan.xmp"}, d.has("Ola Hart/04 Scans"))
	d.write("t.folders", strings.Replace(d.read("t.folders"), "    <#> Models", "    <#> New\n    <#> Models", 1))
	out, status = d.run("upgrade", "Ola Hart", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "it belongs to 02 Models")
	assert.FileExists(t, filepath.Join(d.dir, "Ola Hart/03 Models.meta"))
}

// Where one file stays, what belongs to it stays: nothing is torn apart by what is only probable, by
// a name that is taken, or by equal contents.
func TestWhatBelongsToAFileThatStaysDoesToo(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who?, day: { type: date, default: \"\" } }\nnames:\n  shot: { pattern: \"<day:yyyy-mm-dd> <what:like-this> <n:000>\", fields: { what: { type: text }, n: { type: number, next: yes } }, for: [jpg, tif] }\n---\n<client>\n    Photos | holds: shot\n")
	d.run("build", "t", "client=Ola", "--into", ".", "--yes")
	d.run("build", "t", "client=Ida", "day=2028-05-06", "--into", ".", "--yes")
	names := []string{"6.5.2028 heron 1.JPG", "6.5.2028 heron 1.JPG.xmp", "6.5.2028 heron 1.tif", "6.5.2028 heron 2.jpg", "6.5.2028 heron 2.jpg.xmp", "6.5.2028 heron 2.tif"}
	for _, name := range names {
		d.write("Ola/Photos/"+name, name)
		d.write("Ida/Photos/"+name, name)
	}
	out, _ := d.run("rename", "shot", "Ola", "--yes")
	assert.Contains(t, out, "1 question is left")
	assert.Equal(t, names, d.has("Ola/Photos"), "in which order the day is written is asked for: "+out)
	d.write("Ida/Photos/2028-05-06 heron 002.tif", "another one")
	out, status := d.run("rename", "shot", "Ida", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "6.5.2028 heron 2.jpg.xmp   it belongs to 6.5.2028 heron 2.jpg, which stays")
	assert.Equal(t, append([]string{"2028-05-06 heron 001.jpg", "2028-05-06 heron 001.jpg.xmp", "2028-05-06 heron 001.tif", "2028-05-06 heron 002.tif"}, names[3:]...), d.has("Ida/Photos"))

	for _, name := range []string{"2028-05-06 wren 001.jpg", "2028-05-06 wren 001.xmp", "2028-05-06 wren 002.jpg", "2028-05-06 wren 002.xmp", "2028-05-06 wren 003.jpg", "2028-05-06 wren 003.xmp"} {
		text := name
		if strings.HasSuffix(name, ".xmp") {
			text = "all alike"
		}
		d.write("card/"+name, text)
	}
	d.write("Ida/Photos/2028-05-06 wren 002.jpg", "another one")
	out, _ = d.run("put", "card", "--into", "Ida", "--preview")
	assert.Contains(t, out, "+ 2028-05-06 wren 003.xmp   it belongs to 2028-05-06 wren 003.jpg")
	assert.Contains(t, out, "~ 2028-05-06 wren 002.xmp   it belongs to 2028-05-06 wren 002.jpg, which stays")
}

// Names that say what a value was before are offered new ones, with one answer for all; the label
// remembers it, and a no. A name that contradicts its place does not fit.
func TestNamesThatSayAFormerValueAreOffered(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\nnames: { letter: \"<client:like-this> <topic>\" }\n---\n<client>\n    <#> Letters | holds: letter\n    <#> Rooms\n        <client> room\n")
	d.run("build", "t", "client=Ann Bell", "--into", ".", "--yes")
	for _, at := range []string{"01 Letters/ann-bell rent.docx", "01 Letters/ann-bell rent.docx.sig", "01 Letters/dag-holm rent.docx", "02 Rooms/Ann Bell room/in/ann-bell plan.pdf"} {
		d.write("Ann Bell/"+at, at)
	}
	out, status := d.run("upgrade", "Ann Bell", "client=Ann Hart", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "1 question is left")
	out, status = d.run("rename", "letter", "Ann Hart", "topic=plan", "--yes")
	assert.Contains(t, out, "ann-bell rent.docx   its name says client ann bell, and that is known to be Ann Hart", status)
	before := d.whole("Ann Hart")
	w := d.window(120, d.environment(), "upgrade", "Ann Hart")
	w.answer("Rename all 3?", "n")
	w.answer("Remember your no, so that it is not asked again?", "y")
	out, _ = w.end()
	assert.Equal(t, before["01 Letters/ann-bell rent.docx"], d.whole("Ann Hart")["01 Letters/ann-bell rent.docx"], out)
	d.run("upgrade", "Ann Hart", "client=Ann Bell", "--yes")
	for range 3 { // of that, of the no, and of the first
		d.run("undo", "--yes")
	}
	assert.FileExists(t, filepath.Join(d.dir, "Ann Bell/01 Letters/ann-bell rent.docx"))
	w = d.window(120, d.environment(), "upgrade", "Ann Bell", "client=Ann Hart")
	w.answer("Rename all 3?", "y")
	w.answer("Make 5 changes", "y")
	out, status = w.end()
	assert.Zero(t, status, out)
	assert.Equal(t, []string{".vestibula.json", "01 Letters/", "01 Letters/ann-hart rent.docx", "01 Letters/ann-hart rent.docx.sig", "01 Letters/dag-holm rent.docx", "02 Rooms/", "02 Rooms/Ann Hart room/", "02 Rooms/Ann Hart room/in/", "02 Rooms/Ann Hart room/in/ann-hart plan.pdf"}, d.has("Ann Hart"))
	out, status = d.run("rename", "letter", "Ann Hart/01 Letters/dag-holm rent.docx", "client=Ann Hart", "--preview")
	assert.Zero(t, status, out)
	assert.NotContains(t, out, "→", "the name that it would get is taken: %s", out)
	require.NoError(t, os.Remove(filepath.Join(d.dir, "Ann Hart/01 Letters/ann-hart rent.docx")))
	out, _ = d.run("rename", "letter", "Ann Hart/01 Letters/dag-holm rent.docx", "client=Ann Hart", "--preview")
	assert.Contains(t, out, "dag-holm rent.docx → ann-hart rent.docx", "what a person says counts")
}

// What is built for a client whose folder was renamed by hand goes there.
func TestAFolderAboveProjectsThatWasRenamedIsKnown(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who?, job: Which? }\n---\n<client>\n    Brand\n    <job> | project\n        Tools\n", "jobs.csv", "client,job\nAnn Bell,Two\nAnn Bell,Three\nOla,Four\n")
	d.run("build", "t", "client=Ann Bell", "job=One", "--into", ".", "--yes")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Ann Bell"), filepath.Join(d.dir, "Bell, Ann")))
	out, status := d.run("build", "t", "--table", "jobs.csv", "--into", ".", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, flat(out), "“Bell, Ann” is what the folder of client=Ann Bell is called now")
	assert.Equal(t, []string{"Brand/", "One/", "One/.vestibula.json", "One/Tools/", "Three/", "Three/.vestibula.json", "Three/Tools/", "Two/", "Two/.vestibula.json", "Two/Tools/"}, d.has("Bell, Ann"))
	assert.NoDirExists(t, filepath.Join(d.dir, "Ann Bell"))
	assert.DirExists(t, filepath.Join(d.dir, "Ola/Four"))
	out, status = d.run("check", ".")
	assert.Zero(t, status, out)
	// Where two bear its projects, nobody can know which is meant.
	require.NoError(t, os.MkdirAll(filepath.Join(d.dir, "Other"), 0o777))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "Bell, Ann/Two"), filepath.Join(d.dir, "Other/Two")))
	d.run("build", "t", "client=Ann Bell", "job=Five", "--into", ".", "--yes")
	assert.DirExists(t, filepath.Join(d.dir, "Ann Bell/Five"))
}

// What build refuses, everything else that makes names refuses by the same judgement; and starters
// that are not at hand stop what would be made of them.
func TestWhatBuildRefusesIsRefusedEverywhere(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who?, month: { type: month, default: 2027-01 } }\nnames:\n  shot: { pattern: \"<topic> <n:000>\", fields: { n: { type: number } }, for: [jpg] }\nrules:\n  name-style: { folders: like-this }\n---\n"+
		"<month:yyyy-mm>-<client>\n    notes\n    <topic> | later | holds: shot\n    start.md | fill: st/start.md\n", "st/start.md", "for <client>\n", "in/Big Thing 001.jpg", "p", "p.csv", "from,to\n2027-01-ann/notes,2027-01-ann/My Notes\n")
	refused := func(says string, args ...string) {
		t.Helper()
		out, status := d.run(args...)
		assert.Equal(t, 1, status, out)
		assert.Contains(t, out, says)
	}
	style := "is not written like-this"
	refused(style, "build", "t", "client=Ann Bell", "--into", ".", "--yes")
	_, status := d.run("build", "t", "client=ann", "--into", ".", "--yes")
	require.Zero(t, status)
	before := d.whole("2027-01-ann")
	refused(style, "upgrade", "2027-01-ann", "client=Ann Bell", "--yes")
	refused(style, "next", "2027-01-ann", "client=Ann Bell", "--yes")
	refused(style, "add", "2027-01-ann", "topic=Big Thing", "--yes")
	refused("row 2: 2027-01-ann/My Notes", "do", "p.csv", "--yes")
	out, _ := d.run("put", "in", "--into", "2027-01-ann", "--yes")
	assert.Contains(t, out, "it cannot go to Big Thing/Big Thing 001.jpg: “Big Thing” "+style)
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "st")))
	refused("start.md, which cannot be found", "next", "2027-01-ann", "--yes")
	refused("start.md, which cannot be found", "upgrade", "2027-01-ann", "client=bob", "--yes")
	require.NoError(t, os.Remove(filepath.Join(d.dir, "2027-01-ann/start.md")))
	refused("start.md, which cannot be found", "upgrade", "2027-01-ann", "--yes")
	delete(before, "start.md")
	for at := range d.whole("2027-01-ann") {
		assert.Contains(t, before, at)
	}
}

// Two clients that become one, and an item that is there already, are refused as a whole.
func TestWhatCannotBecomeOneIsRefused(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who?, job: Which?, rooms: { type: list } }\n---\n<client>\n    Brand\n    <job> | project\n        <room> | each: room in rooms\n")
	for _, client := range []string{"Ann", "Bob"} {
		d.run("build", "t", "client="+client, "job=One", "rooms=A; B", "--into", ".", "--yes")
	}
	before := d.whole(".")
	for _, c := range [][2]string{{"client=Bob", "“Bob/One” is there already, or another one goes there"}, {"rooms=A; A", "“A” would be made twice in one place"}} {
		out, status := d.run("upgrade", "Ann/One", c[0], "--yes")
		assert.Equal(t, 1, status, out)
		assert.Contains(t, out, c[1])
		assert.Equal(t, before, d.whole("."))
	}
	out, status := d.run("upgrade", "Ann/One", "client=", "--yes")
	assert.NotZero(t, status, out)
	assert.Equal(t, before, d.whole("."))
}
