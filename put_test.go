//go:build unix

package main

import (
	"archive/zip"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const shoot = `---
fields: { job: Which job?, client: Who? }
names:
  still: { pattern: "<day:yyyy-mm-dd> <job:like-this> <n:0000>", fields: { day: { type: date }, n: { type: number, next: yes } }, for: [jpg] }
  clip: { pattern: "<job:like-this> clip <n:000>", fields: { n: { type: number, next: yes } }, for: [mp4] }
---
<job>
    Stills   | holds: still
    Clips    | holds: clip
    Proxies  | holds: PROXY/**/*.mp4
    Sound    | holds: *.wav
    Papers   | holds: documents
`

// A card of 400 files of five kinds with 30 duplicates goes to its places in one command;
// a second run does nothing; one undo takes it back.
func TestACardIsEmptied(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "shoot.folders", shoot)
	out, status := d.run("build", "shoot", "--into", ".", "job=Marl quarry", "client=Oriel Pask", "--yes")
	require.Zero(t, status, out)
	kinds := []struct{ dir, form string }{{"DCIM/100", "IMG_%04d.jpg"}, {"CLIP", "C%04d.mp4"}, {"PROXY/sub", "C%04d.mp4"}, {"AUDIO", "T%04d.wav"}, {"DOC", "sheet %d.pdf"}}
	for i := range 370 {
		k := kinds[i%5]
		name := fmt.Sprintf("card/%s/"+k.form, k.dir, i)
		d.write(name, fmt.Sprintf("%s %06d", k.dir, i))
		when := time.Date(2027, 3, 9, 12, 0, 370-i, 0, time.UTC)
		require.NoError(t, os.Chtimes(filepath.Join(d.dir, name), when, when))
	}
	for i := range 30 { // duplicates, under other names
		k := kinds[i%5]
		name := fmt.Sprintf("card/again/"+k.form, 9000+i)
		d.write(name, fmt.Sprintf("%s %06d", k.dir, i))
		later := time.Date(2027, 3, 10, 12, 0, 0, 0, time.UTC)
		require.NoError(t, os.Chtimes(filepath.Join(d.dir, name), later, later))
	}
	d.write("card/.Trash/x", "")
	before, card := d.whole("Marl quarry"), d.whole("card")

	out, status = d.run("put", "card", "--into", "Marl quarry", "--convention", "still", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "Put 296 files where they belong")
	assert.Contains(t, out, "files that end in .mp4 are named by the convention clip here", "a clip has no name yet")
	out, status = d.run("put", "card", "--into", "Marl quarry", "--convention", "clip", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "Put 74 files where they belong")
	assert.Equal(t, card, d.whole("card"), "the source is as it was")
	for folder, n := range map[string]int{"Stills": 74, "Clips": 74, "Proxies": 74, "Sound": 74, "Papers": 74} {
		assert.Len(t, d.has("Marl quarry/"+folder), n, folder)
	}
	assert.Equal(t, "DCIM/100 000365", d.read("Marl quarry/Stills/2027-03-09 marl-quarry 0001.jpg"), "the first that was taken")
	assert.Equal(t, "DCIM/100 000000", d.read("Marl quarry/Stills/2027-03-09 marl-quarry 0074.jpg"))
	out, status = d.run("check", "Marl quarry")
	assert.Zero(t, status, out)

	whole := d.whole("Marl quarry")
	out, status = d.run("put", "card", "--into", "Marl quarry", "--convention", "still", "--yes")
	assert.Zero(t, status)
	assert.Contains(t, out, "Is there already: 400 files")
	assert.Contains(t, out, "Nothing to do")
	assert.Equal(t, whole, d.whole("Marl quarry"))
	for range 2 {
		out, status = d.run("undo", "--yes")
		require.Zero(t, status, out)
	}
	assert.Equal(t, before, d.whole("Marl quarry"))
}

// Arrivals of 60 with 12 strangers and 6 ambiguous ones are sorted among 20 projects.
func TestArrivalsAreSortedAmongProjects(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", `---
fields: { client: Who?, number: { type: number } }
names: { bill: { pattern: "<day:yyyy-mm-dd> <client:like-this> bill <n:00>", fields: { day: { type: date }, n: { type: number, next: yes } }, for: [pdf] } }
---
<client>
    Bills | holds: bill
    Letters | holds: documents
`, "Clients/x.txt", "")
	clients := []string{"Oriel Pask", "Jun Teague", "Runa Marrow", "Åsgerd Ölvane", "Ola Thorne"}
	for i := range 20 {
		client := clients[i%5]
		if i >= 5 {
			client = fmt.Sprintf("%s %c", client, 'A'+i/5)
		}
		out, status := d.run("build", "job", "--into", "Clients", "client="+client, fmt.Sprintf("number=%d", i), "--yes")
		require.Zero(t, status, out)
	}
	for i := range 42 {
		client := strings.ToLower(clients[i%3])
		if i%2 == 0 {
			d.write(fmt.Sprintf("Clients/Arrivals/2027-03-09 %s bill %02d.pdf", strings.ReplaceAll(client, " ", "-"), i+1), fmt.Sprint("bill ", i))
		} else {
			d.write(fmt.Sprintf("Clients/Arrivals/letter %d from %s B.docx", i, clients[i%5]), fmt.Sprint("letter ", i))
		}
	}
	for i := range 12 {
		name := []string{"2027-03-09 nobody-here bill %02d.pdf", "x%d.psd", "2027-3-9 oriel-pask bill %02d.pdf", "README%d"}[i%4]
		d.write("Clients/Arrivals/"+fmt.Sprintf(name, i), fmt.Sprint("stranger ", i))
	}
	for i := range 6 {
		d.write(fmt.Sprintf("Clients/Arrivals/notes %d.txt", i), fmt.Sprint("notes ", i))
	}
	before := d.whole("Clients")
	out, status := d.run("put", "Clients/Arrivals", "--into", "Clients", "--json", "--preview")
	require.Zero(t, status, out)
	var plan struct {
		Steps []struct{ Op, In, From, To, Why string }
		Left  []struct {
			Kind, Path, Why, Help string
			Could                 []string
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &plan))
	assert.Len(t, plan.Steps, 42)
	count := map[string]int{}
	for _, l := range plan.Left {
		if count[l.Kind]++; l.Kind == "several" {
			assert.Len(t, l.Could, 20)
			assert.Contains(t, l.Help, "a name that says the client would tell")
		} else {
			assert.NotEmpty(t, l.Why, l.Path)
		}
	}
	assert.Equal(t, map[string]int{"several": 6, "nowhere": 12}, count)
	for _, s := range plan.Steps {
		assert.Equal(t, "move", s.Op, "it lies within")
		name := filepath.Base(s.From)
		if strings.HasSuffix(name, ".docx") {
			assert.Equal(t, "Clients/"+strings.TrimSuffix(name[strings.Index(name, "from ")+5:], ".docx")+"/Letters "+name, s.In+" "+s.To)
		}
	}
	out, status = d.run("put", "Clients/Arrivals", "--into", "Clients", "--yes")
	require.Zero(t, status, out)
	assert.Len(t, d.has("Clients/Arrivals"), 18)
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, before, d.whole("Clients"))
}

func TestSheetsAreSweptIntoTheirMonths(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "books.folders", "---\nfields: { shop: Which? }\nnames: { day-sheet: { pattern: \"<day:yyyy-mm-dd> till\", for: [txt] } }\n---\n<shop>\n    Sheets\n        <day:yyyy>/<day:yyyy-mm> | later | holds: day-sheet\n            Sums.md | blank\n    Arrivals\n")
	out, status := d.run("build", "books", "--into", ".", "shop=Marl", "--yes")
	require.Zero(t, status, out)
	for day := time.Date(2026, 12, 25, 0, 0, 0, 0, time.UTC); day.Year() < 2028; day = day.AddDate(0, 0, 1) {
		d.write("Marl/Arrivals/"+day.Format("2006-01-02")+" till.txt", day.String())
	}
	before := d.whole("Marl")
	out, status = d.run("put", "Marl/Arrivals", "--yes")
	require.Zero(t, status, out)
	assert.Empty(t, d.has("Marl/Arrivals"))
	assert.Len(t, d.has("Marl/Sheets/2027/2027-02"), 29, "28 days, and what the template has there")
	assert.Len(t, d.has("Marl/Sheets/2026/2026-12"), 8)
	out, status = d.run("check", "Marl")
	assert.Zero(t, status, out)
	out, status = d.run("put", "Marl/Sheets")
	assert.Zero(t, status)
	assert.Contains(t, out, "it is where it belongs")
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, before, d.whole("Marl"))
}

func TestArchivesLinksAndWhatIsInTheWay(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "shoot.folders", shoot)
	d.run("build", "shoot", "--into", ".", "job=Marl", "client=x", "--yes")
	var packed strings.Builder
	z := zip.NewWriter(&packed)
	for _, name := range []string{"in/talk.wav", "in/../../out.wav", "in/offer.pdf", "in/.DS_Store", "/abs.wav"} {
		w, err := z.CreateHeader(&zip.FileHeader{Name: name, Modified: time.Date(2026, 5, 4, 10, 0, 0, 0, time.UTC), Method: zip.Deflate})
		require.NoError(t, err)
		fmt.Fprint(w, name)
	}
	require.NoError(t, z.Close())
	d.write("mail.zip", packed.String())
	out, status := d.run("put", "mail.zip", "--into", "Marl", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "2 names in mail.zip would lead out of it, and are left out")
	assert.Equal(t, "in/talk.wav", d.read("Marl/Sound/talk.wav"))
	info, err := os.Stat(filepath.Join(d.dir, "Marl/Sound/talk.wav"))
	require.NoError(t, err)
	assert.Equal(t, time.Date(2026, 5, 4, 10, 0, 0, 0, time.UTC), info.ModTime().UTC(), "files keep their times")
	out, _ = d.run("put", "mail.zip", "--into", "Marl", "--yes")
	assert.Contains(t, out, "Is there already: 2 files")

	d.write("in/talk.wav", "another one")
	d.write("in/more.wav", "more")
	require.NoError(t, os.Symlink("more.wav", filepath.Join(d.dir, "in/link.wav")))
	out, status = d.run("put", "in", "--into", "Marl", "--link", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "where it belongs, something else has its name: Sound/talk.wav")
	assert.Contains(t, out, "link.wav   it is a link to somewhere else")
	target, err := os.Readlink(filepath.Join(d.dir, "Marl/Sound/more.wav"))
	require.NoError(t, err)
	assert.Equal(t, filepath.Join(d.dir, "in/more.wav"), target)
	assert.Equal(t, "in/talk.wav", d.read("Marl/Sound/talk.wav"), "nothing is overwritten")
	out, status = d.run("put", "in", "--into", "Marl", "--link")
	assert.Zero(t, status)
	assert.Contains(t, out, "a link to it is there: Marl/Sound/")

	// What something is in the way of stays, and the rest is put.
	require.NoError(t, os.Remove(filepath.Join(d.dir, "Marl/Clips")))
	d.write("Marl/Clips", "a file where a folder is meant")
	d.write("two/marl clip 001.mp4", "clip")
	d.write("two/other.wav", "wav")
	out, status = d.run("put", "two", "--into", "Marl", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "marl clip 001.mp4   it cannot go to Clips/marl clip 001.mp4: ")
	assert.Equal(t, "wav", d.read("Marl/Sound/other.wav"))

	for _, tt := range []struct {
		args []string
		want string
	}{
		{[]string{"put"}, "which files?"},
		{[]string{"put", "in"}, "into which project"},
		{[]string{"put", "nowhere", "--into", "Marl"}, `there is no "nowhere"`},
		{[]string{"put", "in", "--into", "in"}, "there is no project at or below"},
		{[]string{"put", "in", "--into", "Marl", "--move", "--copy"}, "one can be meant"},
		{[]string{"put", "in", "--into", "Marl", "side=recto"}, "name it with --convention"},
		{[]string{"put", "in", "--into", "Marl", "--convention", "stil"}, "did you mean still?"},
	} {
		out, status := d.run(tt.args...)
		assert.Equal(t, 2, status, out)
		assert.Contains(t, out, tt.want)
	}
	d.write("bad.zip", "PK no archive")
	out, status = d.run("put", "bad.zip", "--into", "Marl")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "it is damaged, or no ZIP archive")
}

// A folder of 300 names in four old shapes is brought to one convention, 11 unreadable
// ones are listed.
func TestDriftedNamesComeRight(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", `---
fields: { client: Who? }
names:
  letter:
    pattern: "<day:yyyy-mm-dd> <client:like-this> <topic:like-this> <n:000>"
    fields: { day: { type: date }, n: { type: number, next: yes } }
    was: ["<client> <day:d.m.yyyy> <topic:like-this> <n:0>", "<topic:like-this>_<day:dd-mm-yy>_<n:0>"]
---
<client>
    Letters | holds: letter
`)
	out, status := d.run("build", "job", "--into", ".", "client=Oriel Pask", "--yes")
	require.Zero(t, status, out)
	n := 0
	old := func(name string) {
		n++
		d.write("Oriel Pask/Letters/"+name, fmt.Sprint("letter ", n))
	}
	for i := range 72 {
		old(fmt.Sprintf("Oriel Pask %d.%d.2027 offer %d.pdf", i%28+1, i%12+1, i+1))
		old(fmt.Sprintf("reply_%02d-%02d-27_%d.pdf", i%28+1, i%12+1, i+101))
		old(fmt.Sprintf("Mar 2027 thanks no %d.pdf", i+201))
		old(fmt.Sprintf("letter %d (2027%02d%02d).pdf", i+301, i%12+1, i%28+1))
	}
	for i := range 11 {
		old(fmt.Sprintf("something else %c.pdf", 'a'+i))
	}
	old("2027-03-09 oriel-pask done 999.pdf")
	before := d.whole("Oriel Pask")
	args := []string{"rename", "letter", "Oriel Pask/Letters", "--from", "<client> <day:d.m.yyyy> <topic:like-this> <n:0>", "--from", "<topic:like-this>_<day:dd-mm-yy>_<n:0>",
		"--from", "<day:mmm yyyy> <topic:like-this> no <n:0>", "--from", "letter <n:0> (<day:yyyymmdd>)", "topic=note", "day=2027-03-31"}
	out, status = d.run(append(args, "--preview")...)
	require.Zero(t, status, out)
	assert.Contains(t, out, "Left as they are: 11 files")
	assert.Contains(t, out, "1 file is named as letter already")
	out, status = d.run(append(args, "--yes")...)
	require.Zero(t, status, out)
	assert.Contains(t, out, "Renamed 288 files")
	for _, name := range []string{"2027-01-01 oriel-pask offer 001.pdf", "2027-02-02 oriel-pask reply 102.pdf", "2027-03-31 oriel-pask thanks 203.pdf", "2027-04-04 oriel-pask note 304.pdf"} {
		assert.FileExists(t, filepath.Join(d.dir, "Oriel Pask/Letters", name))
	}
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, before, d.whole("Oriel Pask"))

	// What the convention was before, check fixes, and what can be read in one way only.
	out, _ = d.run("check", "Oriel Pask", "--fix", "--yes")
	assert.Contains(t, out, "Fixed 216 things", "and what says the same in another shape")
	assert.FileExists(t, filepath.Join(d.dir, "Oriel Pask/Letters/2027-01-01 oriel-pask offer 001.pdf"))
	d.run("undo", "--yes")

	// A table says what names do not, and names may change places.
	d.write("swap/2027-01-01 ola a 001.txt", "one")
	d.write("swap/b 1 (1.1.2027).txt", "two")
	d.write("t.folders", "---\nnames: { x: { pattern: \"<k:00> <day:yyyy-mm-dd> <who>\", for: [txt] } }\n---\nA\n")
	d.write("who.csv", "file;who\nb 1 (1.1.2027).txt;Jun\n")
	out, status = d.run("rename", "t", "x", "swap", "--from", "b <k:0> (<day:d.m.yyyy>)", "--table", "who.csv", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "two", d.read("swap/01 2027-01-01 Jun.txt"))
	d.write("chain/1 of 2.txt", "one")
	d.write("chain/2 of 1.txt", "two")
	d.write("u.folders", "---\nnames: { y: \"<a:0> of <b:0>\" }\n---\nA\n")
	out, status = d.run("rename", "u", "y", "chain", "--from", "<b:0> of <a:0>", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "2 files are named as y already")
}

func TestOlderVersionsGoAside(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	for _, name := range []string{"Offer v1.docx", "Offer v2.docx", "Offer v10.docx", "Offer.docx", "Plan 02.txt", "plan_2.txt", "B/2027-03-01 x.md", "B/2027-03-02 x.md", "B/alone 1.md", "B/Older/kept.md"} {
		d.write("A/"+name, name)
	}
	before := d.whole("A")
	out, status := d.run("put", "A", "--older-into", "Older", "--yes")
	require.Zero(t, status, out)
	assert.ElementsMatch(t, []string{"B/", "B/2027-03-02 x.md", "B/Older/", "B/Older/2027-03-01 x.md", "B/Older/kept.md", "B/alone 1.md", "Offer v10.docx", "Offer.docx", "Older/", "Older/Offer v1.docx", "Older/Offer v2.docx", "Plan 02.txt", "plan_2.txt"}, d.has("A"))
	assert.Contains(t, out, "Offer.docx   its name does not say whether it is newer: it stays")
	assert.Contains(t, out, "Plan 02.txt   and plan_2.txt: their names do not say which is newer")
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, before, d.whole("A"))
	for _, args := range [][]string{{"put", "A", "--older-into", "../x"}, {"put", "A", "--older-into", "Older", "--move"}, {"put", "A", "--older-into", "CON", "--yes"}, {"put", "A", "--older-into", "a\x1bb", "--yes"}} {
		_, status := d.run(args...)
		assert.Equal(t, 2, status)
	}
	assert.Equal(t, before, d.whole("A"))
	out, status = d.run("put", "A/B", "A", "A", "--older-into", "Older", "--yes") // what lies within another one is looked at once
	require.Zero(t, status, out)
	out, _ = d.run("put", "A", "--older-into", "older", "--json")
	var nothing struct{ Done bool }
	assert.NoError(t, json.Unmarshal([]byte(out), &nothing), out)
}

// What a card or a mail may hold that is no good, and sources that are odd.
func TestOddSources(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "shoot.folders", shoot)
	for _, job := range []string{"Marl", "Chalk"} {
		out, status := d.run("build", "shoot", "--into", "Jobs", "job="+job, "client=x", "--yes")
		if status != 0 {
			require.NoError(t, os.Mkdir(filepath.Join(d.dir, "Jobs"), 0o777))
			out, status = d.run("build", "shoot", "--into", "Jobs", "job="+job, "client=x", "--yes")
		}
		require.Zero(t, status, out)
	}
	d.write("in/a.wav", "a")
	d.write("in/Thumbs.db", "x")
	d.write("in/deep/er/b.wav", "b")
	d.write("in/\xff\xfe.wav", "no text")
	d.write("in/\x1b[31m.pdf", "control")
	require.NoError(t, syscall.Mkfifo(filepath.Join(d.dir, "in/pipe.wav"), 0o666))
	require.NoError(t, os.Symlink("..", filepath.Join(d.dir, "in/deep/up")))
	out, status := d.run("put", "in", "in", "in/deep", "in/a.wav", "--into", "Jobs/Marl", "--yes")
	require.Zero(t, status, out)
	assert.NotContains(t, out, "\x1b")
	assert.ElementsMatch(t, []string{"a.wav", "b.wav", "\xff\xfe.wav"}, d.has("Jobs/Marl/Sound"), out)
	assert.Contains(t, out, "Skipped: ")
	assert.Contains(t, out, "up   it is a link to somewhere else")
	assert.Contains(t, out, "pipe.wav   it is no ordinary file")

	// A project that is swept keeps what the template has made, and what lies right.
	d.write("Jobs/Marl/c.wav", "c")
	whole := d.whole("Jobs/Marl")
	out, status = d.run("put", "Jobs/Marl", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "Put 1 file where it belongs", out)
	assert.Equal(t, "c", d.read("Jobs/Marl/Sound/c.wav"))
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	assert.Equal(t, whole, d.whole("Jobs/Marl"))

	// A folder around projects gives what lies loose in it, and nothing that lies in them.
	d.write("Jobs/marl clip 001.mp4", "clip")
	out, status = d.run("put", "Jobs", "--into", "Jobs", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, out, "in projects, where somebody has put them")
	assert.Equal(t, "clip", d.read("Jobs/Marl/Clips/marl clip 001.mp4"))
	assert.FileExists(t, filepath.Join(d.dir, "Jobs/Marl/c.wav"))

	// Below a folder of a project, and into one that has no place for it.
	out, status = d.run("put", "in/a.wav", "--into", "Jobs/Chalk/Papers", "--yes")
	assert.Zero(t, status)
	assert.Contains(t, out, "is of a kind that lies in “Sound”")
	out, status = d.run("put", "in/a.wav", "--into", "Jobs/Chalk/Sound", "--move", "--yes")
	require.Zero(t, status, out)
	assert.NoFileExists(t, filepath.Join(d.dir, "in/a.wav"))
	assert.Equal(t, "a", d.read("Jobs/Chalk/Sound/a.wav"))

	// The plan as a table, of which nothing was carried out.
	out, status = d.run("put", "in/deep", "--into", "Jobs/Chalk", "--plan", "plan.csv")
	require.Zero(t, status, out)
	assert.Contains(t, d.read("plan.csv"), "copy,./in/deep/er/b.wav,./Jobs/Chalk/Sound/b.wav,\"by its kind, .wav\",sure")
	out, status = d.run("do", "plan.csv", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "b", d.read("Jobs/Chalk/Sound/b.wav"))
	out, status = d.run("put", "in/deep", "--into", "Jobs/Chalk")
	assert.Zero(t, status)
	assert.Contains(t, out, "the same is there")
}

// A call becomes a file for a double click: it does what the call does, in its folder, with its values as they are.
func TestACallBecomesAButton(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "j.folders", "---\nfields: { client: Who? }\n---\nJob\n    <client>\n")
	out, status := d.run("build", "j", "--into", ".", "client=a'b $c `d` 100%", "--yes", "--button", "new.sh")
	require.Zero(t, status, out)
	assert.NotContains(t, d.has("."), "Job/", "nothing else is done")
	d.must("build", "j", "--into", ".", "client=Zoë \\ \"x\"", "--yes", "--button", "again.desktop")
	press := func(args ...string) {
		cmd := exec.Command("sh", args...)
		cmd.Dir, cmd.Env = "/", d.environment()
		said, err := cmd.CombinedOutput()
		assert.Contains(t, string(said), "Built", err)
		assert.Contains(t, string(said), "Return closes this window.")
	}
	press(filepath.Join(d.dir, "new.sh"))
	assert.Contains(t, d.has("Job"), "a'b $c `d` 100%/")
	line := regexp.MustCompile(`Exec=sh -c "(.*)"\n`).FindStringSubmatch(d.read("again.desktop"))
	require.NotNil(t, line)
	text := strings.ReplaceAll(line[1], `\\`, `\`) // what the entry says
	press("-c", strings.ReplaceAll(regexp.MustCompile("\\\\([\"`$\\\\])").ReplaceAllString(text, "$1"), "%%", "%"))
	assert.Contains(t, d.has("Job"), "Zoë - -x-/")
	out, status = d.run("projects", ".", "--button", "x.exe")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "end it in .command for a Mac")
	d.must("put", "x", "--button", "in.cmd")
	assert.Contains(t, d.read("in.cmd"), "\"put\" \"x\"\r\npause\r\n")
}

// Each of several conventions counts by itself, also in one folder.
func TestConventionsCountByThemselves(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nnames:\n  note: { pattern: \"note <n:000>\", for: [txt], fields: { n: { next: yes } } }\n  memo: { pattern: \"memo <n:000>\", for: [md], fields: { n: { next: yes } } }\n---\nTalks\n    Papers | holds: note, memo\n")
	d.run("build", "t", "--into", ".", "--yes")
	d.write("in/a.txt", "1")
	d.write("in/b.txt", "2")
	d.write("in/c.md", "3")
	out, status := d.run("put", "in", "--into", "Talks", "--convention", "note,memo", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, []string{"memo 001.md", "note 001.txt", "note 002.txt"}, d.has("Talks/Papers"))
}
