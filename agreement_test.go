package main

import (
	"encoding/json"
	"fmt"
	"math/rand"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// conventions are those that templates of the property have some of.
var conventions = []string{
	`bill: { pattern: "<day:yyyy-mm-dd> bill <n:000>", fields: { day: { type: date }, n: { type: number, next: %s } }, for: [pdf] }`,
	`note: { pattern: "<day:yyyy-mm-dd> <what>", fields: { day: { type: date } }, for: [txt, md] }`,
	`sheet: { pattern: "<month:yyyy-mm> <client:like-this> sheet", fields: { month: { type: month } }, for: [csv] }`,
	`scan: { pattern: "<client:LT> <side> <k:00>", fields: { side: { of: [recto, verso] }, k: { type: number } }, for: [tif, jpg] }`,
	`offer: "offer <client:like-this> <v:0>"`,
}

// lines are those that their outlines have some of, with the convention that each needs.
var lines = []struct{ text, needs string }{
	{"Desk", ""}, {"Arrivals", ""}, {"Bills | holds: bill", "bill"}, {"Accounts/Invoices/ | holds: bill", "bill"}, {"Notes | holds: note", "note"},
	{"Papers | holds: documents", ""}, {"Pictures | holds: pictures", ""}, {"Raw | holds: *.raw", ""}, {"Sheets | holds: sheet, tables", "sheet"},
	{"Mixed | holds: bill, documents", "bill"}, {"Scans | holds: scan", "scan"}, {"Offers | holds: offer", "offer"}, {"Both | holds: scan, note", "scan note"},
	{"Days/<day:yyyy>/<day:yyyy-mm> | later | holds: note", "note"}, {"<topic:L>/<topic> | later | holds: documents", ""}, {"Town/<town>/Plans/ | later | holds: *.dwg", ""},
	{"Months\n        <month:mm mmmm> | each: month in 2027-01..2027-04 | holds: sheet", "sheet"},
	{"Weeks\n        Week <week:ww> | each: week in 2027-W01..2027-W03 | holds: note", "note"},
	{"Rooms\n        <room> | each: room in hall, attic\n            Photographs | holds: pictures", ""},
	{"Work\n        Drafts\n        Signed | holds: *.pdf", ""},
}

// A world is one template with its projects, and the files of somebody.
type world struct {
	t     *testing.T
	r     *rand.Rand
	dir   string
	text  string
	names []string // of the conventions
	given []string // values beside the client
	told  []string // what was done, for whoever reads a failure
}

func (w *world) any(list ...string) string { return list[w.r.Intn(len(list))] }

// run calls the program, and returns what it prints and what it ends with.
func (w *world) run(args ...string) (string, int) {
	cmd := exec.Command(program, args...)
	cmd.Dir = w.dir
	cmd.Env = append(os.Environ(), "XDG_STATE_HOME="+filepath.Join(w.dir, ".state"), "XDG_DATA_HOME="+filepath.Join(w.dir, ".data"))
	var stderr strings.Builder
	cmd.Stderr = &stderr
	out, _ := cmd.Output()
	w.told = append(w.told, fmt.Sprintf("%q (%d) %s", args, cmd.ProcessState.ExitCode(), stderr.String()))
	return string(out), cmd.ProcessState.ExitCode()
}

// json calls the program, and reads the JSON that it prints.
func (w *world) json(into any, args ...string) int {
	out, status := w.run(append(args, "--json")...)
	require.NoError(w.t, json.Unmarshal([]byte(out), into), w.story(out))
	return status
}

func (w *world) story(about any) string {
	return fmt.Sprintf("%v\n\n%s\n%s", about, w.text, strings.Join(w.told, "\n"))
}

func (w *world) write(at string) string {
	full := filepath.Join(w.dir, at)
	require.NoError(w.t, os.MkdirAll(filepath.Dir(full), 0o777))
	if _, err := os.Lstat(full); err == nil {
		return ""
	}
	require.NoError(w.t, os.WriteFile(full, []byte(at+strconv.Itoa(w.r.Int())), 0o666))
	return at
}

// template writes a template, and reports whether it can be built from.
func (w *world) template() bool {
	var text strings.Builder
	yearly := w.r.Intn(3) == 0
	text.WriteString("---\nfields: { client: Who?, topic: { type: text }, town: { default: \"\" }")
	if w.given = nil; yearly {
		text.WriteString(", year: { type: year }")
		w.given = []string{"year=2027"}
	}
	text.WriteString(" }\nrules: { sorting: off, repeats: off }\nnames:\n")
	for _, c := range conventions {
		if name, _, _ := strings.Cut(c, ":"); w.r.Intn(3) > 0 {
			if strings.Contains(c, "%s") {
				c = fmt.Sprintf(c, w.any("yes", "project", "everywhere"))
			}
			w.names = append(w.names, name)
			text.WriteString("  " + c + "\n")
		}
	}
	if len(w.names) == 0 {
		text.WriteString("  plan: \"plan <p:00>\"\n")
		w.names = []string{"plan"}
	}
	text.WriteString("---\n")
	indent := "    "
	if yearly {
		text.WriteString("<client> <year>\n")
	} else if w.r.Intn(4) == 0 {
		text.WriteString("<client>\n    Office | holds: documents\n    Job | project\n")
		indent = "        "
	} else {
		text.WriteString("<client>\n")
	}
	any := false
	for _, i := range w.r.Perm(len(lines))[:2+w.r.Intn(7)] {
		l := lines[i]
		if slices.ContainsFunc(strings.Fields(l.needs), func(n string) bool { return !slices.Contains(w.names, n) }) {
			continue
		}
		number := w.any("", "<#> ")
		if strings.Contains(l.text, "later") {
			number = ""
		}
		any = true
		text.WriteString(indent + number + strings.ReplaceAll(l.text, "\n    ", "\n"+indent) + "\n")
	}
	w.text = text.String()
	require.NoError(w.t, os.WriteFile(filepath.Join(w.dir, "t.folders"), []byte(w.text), 0o666))
	_, status := w.run("check", "t")
	return any && status == 0
}

// file is a name that somebody may give a file.
func (w *world) file() string {
	client := w.any("oriel-pask", "jun", "una")
	day := w.any("2027-01-05", "2027-03-09", "2026-12-31", "2027-02-30", "2027-1-5")
	return w.any(
		day+" bill "+w.any("001", "002", "017", "2")+".pdf", day+" "+w.any("call", "visit to the attic", "minutes")+"."+w.any("txt", "md"),
		w.any("2027-01", "2027-04", "2027-09")+" "+client+" sheet.csv", w.any("OP", "J", "XX")+" "+w.any("recto", "verso", "spine")+" "+w.any("01", "02", "3")+w.any(".tif", ".jpg"),
		"offer "+client+" "+w.any("1", "2")+w.any(".pdf", ".docx", ""), w.any("tax", "hall", "Oriel Pask", "attic")+" "+w.any("letter", "view")+w.any(".docx", ".jpg", ".dwg", ".odt"),
		w.any("IMG_1201", "plan", "brief", "old", "scan")+w.any(".JPG", ".raw", ".pdf", ".docx", ".xyz", ".csv", ""))
}

// A found thing is a finding, as JSON has it.
type foundThing struct{ Rule, Path, Message, Fix, To, Meant string }

// findings are all findings of a check, by the paths of what they are about.
func (w *world) findings() map[string][]foundThing {
	var out struct {
		Subject  string
		Findings []foundThing
		Subjects []struct {
			Subject  string
			Findings []foundThing
		}
	}
	w.json(&out, "check", "P")
	all := map[string][]foundThing{}
	add := func(subject string, list []foundThing) {
		for _, f := range list {
			at := path.Join(subject, f.Path)
			all[at] = append(all[at], f)
		}
	}
	add(out.Subject, out.Findings)
	for _, s := range out.Subjects {
		add(s.Subject, s.Findings)
	}
	return all
}

// same requires that a check finds nothing that it did not find before.
func (w *world) same(before map[string][]foundThing, after string) {
	for at, list := range w.findings() {
		for _, f := range list {
			require.True(w.t, slices.ContainsFunc(before[at], func(b foundThing) bool { return b.Rule == f.Rule }), w.story(fmt.Sprintf("after %s: %s: %s", after, at, f.Message)))
		}
	}
}

// A putting is what put does, as JSON has it.
type putting struct {
	Steps []struct{ Op, In, From, To string }
	Left  []struct{ Kind, Path, Why string }
}

func (w *world) real(at string) string {
	if filepath.IsAbs(at) {
		if rel, err := filepath.Rel(w.dir, at); err == nil {
			at = rel
		}
	}
	return filepath.ToSlash(at)
}

// What one command does, all others find well: of random templates, projects and files. More of
// them are drawn with VESTIBULA_AGREE=10000, others with VESTIBULA_SEED.
func TestAllCommandsAgree(t *testing.T) {
	t.Parallel()
	n, _ := strconv.Atoi(os.Getenv("VESTIBULA_AGREE"))
	first, err := strconv.ParseInt(os.Getenv("VESTIBULA_SEED"), 10, 64)
	if err != nil {
		first = time.Now().UnixNano() % 1_000_000_000
	}
	for i := range int64(max(n, 20)) {
		w := &world{t: t, r: rand.New(rand.NewSource(first + i)), told: []string{fmt.Sprintf("VESTIBULA_SEED=%d", first+i)}}
		w.dir, err = os.MkdirTemp(t.TempDir(), "")
		require.NoError(t, err)
		w.live()
		require.NoError(t, os.RemoveAll(w.dir))
	}
}

// live builds projects, and does in them what people do.
func (w *world) live() {
	if !w.template() {
		return
	}
	require.NoError(w.t, os.Mkdir(filepath.Join(w.dir, "P"), 0o777))
	clients := []string{"Oriel Pask", "Jun", "Una"}[:1+w.r.Intn(3)]
	for _, client := range clients {
		if _, status := w.run(append([]string{"build", "t", "client=" + client, "--into", "P", "--yes"}, w.given...)...); status != 0 {
			w.t.Fatal(w.story("cannot be built"))
		}
	}
	w.same(nil, "build")
	if strings.Contains(w.text, "<topic>") && w.r.Intn(2) == 0 {
		for _, topic := range []string{"tax", "pension"}[:1+w.r.Intn(2)] {
			projects, _ := filepath.Glob(filepath.Join(w.dir, "P", clients[0], "*", ".vestibula.json"))
			at := path.Join("P", strings.TrimSpace(clients[0]+" "+w.year()))
			if len(projects) > 0 {
				at += "/Job"
			}
			_, status := w.run("add", at, "topic="+topic, "--yes")
			require.Zero(w.t, status, w.story("add"))
		}
		w.same(nil, "add")
	}
	if len(clients) > 1 && w.r.Intn(3) == 0 {
		w.archived(clients[1])
	}
	w.arrives()
	w.scattered()
	w.counted()
	w.goesOn()
}

// year is what follows the client in the name of a project.
func (w *world) year() string {
	if w.given == nil {
		return ""
	}
	return "2027"
}

// goesOn names a file, brings the projects to a template with one line more, and carries one of them
// forward: none of it brings about what a check finds.
func (w *world) goesOn() {
	before := w.findings()
	projects, _ := filepath.Glob(filepath.Join(w.dir, "P", "*", ".vestibula.json"))
	if len(projects) == 0 {
		return
	}
	at := w.real(filepath.Dir(projects[w.r.Intn(len(projects))]))
	if strings.Contains(w.text, "holds: note") {
		w.run("name", "note", "--in", at, "day=2027-02-03", "what=plan", "--ext", "txt", "--create")
		w.same(before, "name")
	}
	before = w.findings()
	lines := strings.TrimRight(w.text, "\n")
	w.text = lines + "\n    Added afterwards\n"
	require.NoError(w.t, os.WriteFile(filepath.Join(w.dir, "t.folders"), []byte(w.text), 0o666))
	if _, status := w.run("upgrade", "P", "--yes"); status == 0 {
		w.same(before, "upgrade")
	}
	if w.given == nil {
		return
	}
	before = w.findings()
	if _, status := w.run("next", at, "--yes"); status == 0 {
		w.same(before, "next")
	}
}

// archived archives a project with a bill in it, whose number counts from then on.
func (w *world) archived(client string) {
	require.NoError(w.t, os.MkdirAll(filepath.Join(w.dir, "Away"), 0o777))
	at := path.Join("P", strings.TrimSpace(client+" "+w.year()))
	if _, err := os.Lstat(filepath.Join(w.dir, at, ".vestibula.json")); err != nil {
		return // it shares a folder
	}
	_, status := w.run("archive", at, "--into", "Away", "--yes")
	require.Zero(w.t, status, w.story("archive"))
	w.same(nil, "archive")
}

// arrives puts files that come in: none of those that went is found wrong, and none goes twice.
func (w *world) arrives() {
	for range 1 + w.r.Intn(12) {
		w.write(path.Join("in", w.any("", "card", "post"), w.file()))
	}
	if _, err := os.Stat(filepath.Join(w.dir, "in")); err != nil {
		return
	}
	way := w.any("", "", "--move", "--link")
	call := []string{"put", "in", "--into", "P", "--yes"}
	if way != "" {
		call = append(call, way)
	}
	var p putting
	w.json(&p, call...)
	found := w.findings()
	for _, s := range p.Steps {
		at := path.Join(w.real(s.In), path.Base(s.To))
		_, err := os.Lstat(filepath.Join(w.dir, at))
		require.NoError(w.t, err, w.story(at))
		for _, f := range found[at] {
			if f.Rule == "numbering" {
				continue // two that came have one number, and lie where they belong
			}
			w.t.Fatal(w.story(fmt.Sprintf("put brought %s to %s, and check finds: %s [%s]", s.From, at, f.Message, f.Rule)))
		}
		w.holds(w.real(s.In))
	}
	var again putting
	w.json(&again, call...)
	require.Empty(w.t, again.Steps, w.story("a second put does something"))
}

// holds requires that the guide says of a folder that was put into what it holds.
func (w *world) holds(dir string) {
	own := dir
	for ; own != "." && own != "/"; own = path.Dir(own) {
		if _, err := os.Lstat(filepath.Join(w.dir, own, ".vestibula.json")); err == nil {
			break
		}
	}
	var out struct {
		Tree []struct{ Name, Holds string }
	}
	if own == "." || own == "/" || w.json(&out, "guide", own) != 0 {
		return // what is shared lies beside it
	}
	any := false
	for _, l := range out.Tree {
		any = any || l.Holds != ""
	}
	require.True(w.t, any, w.story("the guide of "+own+" says of no folder what it holds"))
}

// scattered lays files anywhere into projects: what check would move for sure, put would as well,
// and to the same place; and after it was fixed, nothing of it is found.
func (w *world) scattered() {
	var dirs []string
	require.NoError(w.t, filepath.WalkDir(filepath.Join(w.dir, "P"), func(at string, e os.DirEntry, err error) error {
		if err == nil && e.IsDir() && at != filepath.Join(w.dir, "P") {
			dirs = append(dirs, w.real(at))
		}
		return err
	}))
	for range w.r.Intn(8) {
		w.write(path.Join(dirs[w.r.Intn(len(dirs))], w.file()))
	}
	found := w.findings()
	moves := map[string]string{}
	for at, list := range found {
		for _, f := range list {
			if f.Rule == "misplaced" && f.Fix == "sure" {
				moves[at] = path.Join(strings.TrimSuffix(at, "/"+f.Path), f.To)
			}
		}
	}
	for at, to := range moves {
		var p putting
		w.json(&p, "put", at, "--into", "P", "--preview")
		p.Steps = slices.DeleteFunc(p.Steps, func(s struct{ Op, In, From, To string }) bool { return path.Base(s.From) != path.Base(at) }) // what belongs to it goes along
		require.Len(w.t, p.Steps, 1, w.story(fmt.Sprintf("check would move %s to %s, and put says %+v", at, to, p.Left)))
		require.Equal(w.t, to, path.Join(w.real(p.Steps[0].In), path.Base(p.Steps[0].To)), w.story(at))
	}
	if len(moves) == 0 {
		return
	}
	_, status := w.run("check", "P", "--fix", "--yes", "--only", "misplaced")
	require.NotEqual(w.t, 2, status, w.story("fix"))
	after := w.findings()
	for at, to := range moves {
		if _, err := os.Lstat(filepath.Join(w.dir, to)); err != nil {
			w.t.Fatal(w.story("it was not moved: " + at))
		}
		for _, f := range after[to] {
			if f.Rule == "numbering" {
				continue
			}
			w.t.Fatal(w.story(fmt.Sprintf("check brought %s to %s, and finds: %s [%s]", at, to, f.Message, f.Rule)))
		}
	}
}

// counted reads all names, each once, and makes one whose number no other has.
func (w *world) counted() {
	var out struct {
		Read int
		Fit  []struct{ Path, Convention string }
	}
	w.json(&out, "read", "P")
	seen := map[string]bool{}
	for _, f := range out.Fit {
		require.False(w.t, seen[f.Path], w.story("read twice: "+f.Path))
		seen[f.Path] = true
	}
	files := 0
	require.NoError(w.t, filepath.WalkDir(filepath.Join(w.dir, "P"), func(at string, e os.DirEntry, err error) error {
		if err == nil && e.Type().IsRegular() && !strings.HasPrefix(e.Name(), ".vestibula") {
			files++
		}
		return err
	}))
	require.LessOrEqual(w.t, len(out.Fit), files, w.story("read counts more than there is"))
	if !slices.Contains(w.names, "bill") {
		return
	}
	dirs, _ := filepath.Glob(filepath.Join(w.dir, "P", "*", "*Bills"))
	if len(dirs) == 0 {
		return
	}
	var name struct{ Names []string }
	text, status := w.run("name", "bill", "day=2027-05-05", "--in", w.real(dirs[0]))
	if status != 0 {
		return // its number has too many digits, or the place says another day
	}
	name.Names = strings.Fields(text)
	number := name.Names[len(name.Names)-1]
	require.NoError(w.t, filepath.WalkDir(filepath.Dir(dirs[0]), func(at string, e os.DirEntry, err error) error {
		if err == nil && strings.Contains(w.text, "next: project") && strings.HasSuffix(strings.TrimSuffix(e.Name(), ".pdf"), " bill "+number) {
			w.t.Fatal(w.story("the number is that of " + at))
		}
		return err
	}))
}
