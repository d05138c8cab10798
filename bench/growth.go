//go:build unix

package main

import (
	"encoding/csv"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// allowedGrowth is how much longer ten times the work may take in the quick form, which
// runs on busy machines; the design allows eleven.
const allowedGrowth = 15

// A growth is a call of the program whose work can be made ten times as large.
type growth struct {
	name  string
	n     int     // the smaller amount of work
	limit float64 // where it is known to be over what is allowed; else 0
	make  func(b *bench, dir string, n int) (args []string)
}

// known are the growths that are over what is allowed today: none may get worse.
const (
	draftGrows = 25
)

var growths = []growth{
	{"show", 3000, 0, onTemplate("show", "@", "--limit", "9999999")},
	{"show --all", 3000, 0, onTemplate("show", "@", "--all", "--limit", "9999999")},
	{"show --json", 3000, 0, onTemplate("show", "@", "--json", "--limit", "9999999")},
	{"show --sorted", 3000, 0, onTemplate("show", "@", "--sorted", "all", "--limit", "9999999")},
	{"check, lines", 3000, 0, onTemplate("check", "@", "--limit", "9999999")},
	{"check, lines, --json", 3000, 0, onTemplate("check", "@", "--json", "--limit", "9999999")},
	{"compare, lines", 3000, 0, onTemplate("compare", "@", "@", "--limit", "9999999")},
	{"compare, lines, --out", 3000, 0, onTemplate("compare", "@", "@", "--out", "!/page#.html", "--limit", "9999999")},
	{"guide", 300, 0, onTemplate("guide", "@", "--limit", "9999999")},
	{"guide --json", 300, 0, onTemplate("guide", "@", "--json", "--limit", "9999999")},
	{"build --preview", 3000, 0, onTemplate("build", "@", "--into", "!", "--preview", "--limit", "9999999")},
	{"build, alike", 300, 0, onAlike("build", "@", "--into", "!", "--preview", "--limit", "9999999")},
	{"build --json", 3000, 0, onTemplate("build", "@", "--into", "!", "--json", "--preview", "--limit", "9999999")},
	{"build --plan", 3000, 0, onTemplate("build", "@", "--into", "!", "--plan", "!/plan#.csv", "--limit", "9999999")},
	{"build --table", 500, 0, onTable("build", "commission", "--into", "!", "--table", "@", "--preview", "--limit", "9999999")},
	{"build --table --json", 500, 0, onTable("build", "commission", "--into", "!", "--table", "@", "--preview", "--json", "--limit", "9999999")},
	{"check, projects", 300, 0, onProjects("check", "@")},
	{"check, projects, --json", 300, 0, onProjects("check", "@", "--json")},
	{"check, files", 3000, 0, onFiles("check", "@/Ola")},
	{"check, files, --all", 3000, 0, onFiles("check", "@/Ola", "--all")},
	{"check, files, --json", 3000, 0, onFiles("check", "@/Ola", "--json")},
	{"check --fix", 3000, 0, onFiles("check", "@/Ola", "--fix", "--preview")},
	{"check --only twice", 3000, 0, onFiles("check", "@/Ola", "--only", "twice")},
	{"compare, files", 3000, 0, onFiles("compare", "@/Ola", "@/Ola")},
	{"projects", 300, 0, onProjects("projects", "@")},
	{"projects --json", 300, 0, onProjects("projects", "@", "--json")},
	{"projects --out page", 300, 0, onProjects("projects", "@", "--out", "!/page#.html")},
	{"check --out page", 300, 0, onProjects("check", "@", "--out", "!/page#.html")},
	{"guide, projects", 300, 0, onProjects("guide", "@")},
	{"projects --out table", 300, 0, onProjects("projects", "@", "--out", "!/page#.xlsx")},
	{"projects --use", 300, 0, onProjects("projects", "@", "--use", "@/../job.folders")},
	{"projects, files", 3000, 0, onFiles("projects", "@")},
	{"read, projects", 300, 0, onProjects("read", "@")},
	{"read, files", 3000, 0, onFiles("read", "@")},
	{"read, files, --json", 3000, 0, onFiles("read", "@", "--json")},
	{"read --newest", 3000, 0, onFiles("read", "@", "--newest")},
	{"put, files", 1000, 0, onArrivals(1)},
	{"put, projects", 300, 0, onArrivals(-1)},
	{"put, unclear", 300, 0, onArrivals(0)},
	{"put --convention", 1000, 0, onNumbers()},
	{"put --json, files", 1000, 0, onArrivals(1, "--json")},
	{"rename", 3000, 0, onFiles("rename", "note", "@/Ola/Notes", "--from", "old <day:d.m.yyyy> <n:0>", "--preview")},
	{"rename --json", 3000, 0, onFiles("rename", "note", "@/Ola/Notes", "--from", "old <day:d.m.yyyy> <n:0>", "--preview", "--json")},
	{"rename, any shape", 3000, 0, onFiles("rename", "note", "@/Ola/Notes", "--preview")},
	{"rename, together", 1000, 0, onCompany("rename", "note", "@/Ola/Notes", "--preview")},
	{"check --fix, together", 1000, 0, onCompany("check", "@/Ola", "--fix", "--preview")},
	{"put, together", 1000, 0, onCompany("put", "@/Ola/Notes", "--into", "@/Ola", "--move", "--preview")},
	{"check --only links", 3000, 0, onFiles("check", "@/Ola", "--only", "links")},
	{"read, words", 3000, 0, onFiles("read", "@", "letter", "7")},
	{"projects --where", 300, 0, onProjects("projects", "@", "--where", "client~Client")},
	{"name", 3000, 0, onFiles("name", "note", "--in", "@/Ola/Notes", "day=2027-03-09")},
	{"add", 3000, 0, onFiles("add", "@/Ola")},
	{"upgrade, projects", 300, 0, onProjects("upgrade", "@", "--preview")},
	{"upgrade, taken over", 300, 0, onFolders("upgrade", "@", "--template", "@/../job.folders", "--preview")},
	{"upgrade --json", 300, 0, onProjects("upgrade", "@", "--preview", "--json")},
	{"upgrade, files", 3000, 0, onFiles("upgrade", "@/Ola", "client=Other", "--preview")},
	{"next", 3000, 0, onFiles("next", "@/Ola", "month=2027-04", "--preview")},
	{"archive, projects", 300, 0, onProjects("archive", "@", "--where", "client~Client", "--into", "!", "--preview")},
	{"archive, files", 3000, 0, onFiles("archive", "@/Ola", "--into", "!", "--preview")},
	{"backup", 3000, 0, onFiles("backup", "@/Ola", "--into", "!", "--preview")},
	{"draft, files", 3000, draftGrows, onFiles("draft", "!/new", "@/Ola", "--preview")},
	{"draft, folders", 300, 0, onProjects("draft", "!/new", "@/*", "--preview")},
	{"draft, a drive", 300, 0, onProjects("draft", "!/new", "@", "--preview")},
	{"do", 1000, 0, onPlan("do", "@/plan.csv", "--in", "@", "--preview")},
	{"do --json", 1000, 0, onPlan("do", "@/plan.csv", "--in", "@", "--preview", "--json")},
	{"undo", 3000, 0, onRecord("undo", "--preview")},
	{"undo --json", 3000, 0, onRecord("undo", "--preview", "--json")},
	{"history", 3000, 0, onRecord("history", "1")},
	{"history --json", 3000, 0, onRecord("history", "--json")},
	{"templates", 300, 0, onTemplates("templates")},
	{"complete", 300, 0, onProjects("__complete", "check", "@/")},
}

// grows measures all growths, or those that are named, and reports whether each is allowed.
func (b *bench) grows(named []string) bool {
	fmt.Printf("\n%-24s %10s %10s %8s %8s\n", "growth", "seconds", "ten times", "ratio", "allowed")
	well := true
	for i, g := range growths {
		if len(named) > 0 && !slices.Contains(named, g.name) && !slices.Contains(named, "growth") {
			continue
		}
		limit := g.limit
		if limit == 0 {
			limit = allowedGrowth
		}
		var times [2]float64
		var calls [2][]string
		var dirs [2]string
		for k, n := range []int{g.n, 10 * g.n} {
			dirs[k] = filepath.Join(b.dir, fmt.Sprintf("growth-%d-%d", i, k))
			check(os.MkdirAll(filepath.Join(dirs[k], "into"), 0o777))
			calls[k] = g.make(b, dirs[k], n)
		}
		for run := range 7 { // the best of seven, where it needs them
			for k := range times {
				if took := b.grown(dirs[k], calls[k], run); run == 0 || took < times[k] {
					times[k] = took
				}
			}
			if times[1]/times[0] <= limit {
				break
			}
		}
		for _, dir := range dirs {
			check(os.RemoveAll(dir))
		}
		ratio, note := times[1]/times[0], ""
		if ratio > limit {
			well, note = false, "  TOO MUCH"
		}
		fmt.Printf("%-24s %10.3f %10.3f %8.1f %8.0f%s\n", g.name, times[0], times[1], ratio, limit, note)
	}
	return well
}

// grown makes a call once, and returns how many seconds of the processors it took: what else
// the machine does in these seconds counts little in them. What the call ends with does not
// count, as long as it is no crash.
func (b *bench) grown(dir string, args []string, run int) float64 {
	words := slices.Clone(args)
	for i, w := range words {
		words[i] = strings.ReplaceAll(w, "#", fmt.Sprint(run))
	}
	cmd := exec.Command(b.program, words...)
	cmd.Dir = dir
	cmd.Env = append(os.Environ(), "XDG_STATE_HOME="+filepath.Join(dir, "state"))
	out, _ := cmd.CombinedOutput()
	if status := cmd.ProcessState.ExitCode(); status != 0 && status != 1 {
		check(fmt.Errorf("%q ends with %d: %.2000s", words, status, out))
	}
	return (cmd.ProcessState.UserTime() + cmd.ProcessState.SystemTime()).Seconds()
}

// do makes a call that prepares another.
func (b *bench) do(dir string, args ...string) {
	cmd := exec.Command(b.program, args...)
	cmd.Dir = dir
	cmd.Env = append(os.Environ(), "XDG_STATE_HOME="+filepath.Join(dir, "state"))
	if out, err := cmd.CombinedOutput(); err != nil {
		check(fmt.Errorf("%q: %w: %.2000s", args, err, out))
	}
}

// call puts a place and the folder for results into a call: @ and !.
func call(dir, at string, args []string) (out []string) {
	for _, arg := range args {
		arg = strings.ReplaceAll(arg, "!", filepath.Join(dir, "into"))
		if base, all := strings.CutSuffix(arg, "/*"); all {
			found, err := filepath.Glob(filepath.Join(strings.ReplaceAll(base, "@", at), "Client*"))
			check(err)
			out = append(out, found...)
			continue
		}
		out = append(out, strings.ReplaceAll(arg, "@", at))
	}
	return out
}

func write(at, text string) {
	check(os.MkdirAll(filepath.Dir(at), 0o777))
	check(os.WriteFile(at, []byte(text), 0o666))
}

// onTemplate makes a call on a template of so many lines, ten in a folder.
func onTemplate(args ...string) func(*bench, string, int) []string {
	return func(_ *bench, dir string, n int) []string {
		var text strings.Builder
		text.WriteString("---\nrules: { width: off, sorting: off }\n---\nDesk\n")
		for i := range n / 10 {
			fmt.Fprintf(&text, "    Shelf %05d\n", i)
			for k := range 9 {
				fmt.Fprintf(&text, "        Part %05d of %d\n", i, k)
			}
		}
		at := filepath.Join(dir, "large.folders")
		write(at, text.String())
		return call(dir, at, args)
	}
}

// onAlike makes a call on a template of so many folders that say the same.
func onAlike(args ...string) func(*bench, string, int) []string {
	return func(_ *bench, dir string, n int) []string {
		at := filepath.Join(dir, "alike.folders")
		write(at, fmt.Sprintf("Desk\n    Shelf <n:00000> | each: n in 1..%d\n%s", n, strings.Repeat("        <#> Part\n", 19)))
		return call(dir, at, args)
	}
}

func onTable(args ...string) func(*bench, string, int) []string {
	return func(b *bench, dir string, n int) []string {
		file, _ := table(b, n)
		return call(dir, file, args)
	}
}

const growthJob = `---
fields: { client: Who?, month: { type: month } }
names: { note: { pattern: "<day:yyyy-mm-dd> note <n:00000>", fields: { n: { type: number, next: yes, max: 99999 } } } }
---
<client>
    <#> Letters | holds: documents
    <#> Later | later
    Notes/ | holds: note
    Bills/ | holds: tables | carry
`

// job builds so many projects.
func (b *bench) job(dir string, clients ...string) (at string) {
	at = filepath.Join(dir, "C")
	check(os.MkdirAll(at, 0o777))
	write(filepath.Join(dir, "job.folders"), growthJob)
	var rows strings.Builder
	rows.WriteString("client,month\n")
	for _, c := range clients {
		rows.WriteString(c + ",2027-03\n")
	}
	write(filepath.Join(dir, "clients.csv"), rows.String())
	b.do(dir, "build", "job.folders", "--into", "C", "--table", "clients.csv", "--yes", "--limit", "9999999")
	return at
}

// onProjects makes a call on so many projects, each with a file.
func onProjects(args ...string) func(*bench, string, int) []string {
	return func(b *bench, dir string, n int) []string {
		clients := make([]string, n)
		for i := range clients {
			clients[i] = fmt.Sprintf("Client %05d", i)
		}
		at := b.job(dir, clients...)
		for _, c := range clients {
			write(filepath.Join(at, c, "Notes/2027-03-09 note 00001.md"), c)
		}
		return call(dir, at, args)
	}
}

// onFolders makes a call on so many folders that no template made.
func onFolders(args ...string) func(*bench, string, int) []string {
	return func(b *bench, dir string, n int) []string {
		at := b.job(dir, "Client 00000")
		for i := range n {
			for _, name := range []string{"Letters/a.docx", "2 bills/b.csv", "notes/old 9.3.2027 7.md", "Own/c.txt"} {
				write(filepath.Join(at, fmt.Sprintf("Somebody %05d/%s", i, name)), fmt.Sprint(i))
			}
		}
		return call(dir, at, args)
	}
}

// onFiles makes a call on one project with so many files, a few in each folder wrong.
func onFiles(args ...string) func(*bench, string, int) []string {
	return func(b *bench, dir string, n int) []string {
		at := b.job(dir, "Ola")
		for i := range n {
			name := fmt.Sprintf("Notes/2027-03-09 note %05d.md", i)
			switch i % 10 {
			case 0:
				name = fmt.Sprintf("Notes/old 9.3.2027 %d.md", i)
			case 1:
				name = fmt.Sprintf("Bills/bill %d.csv", i)
			case 2:
				name = fmt.Sprintf("01 Letters/%03d/letter %d.pdf", i/500, i)
			}
			write(filepath.Join(at, "Ola", name), fmt.Sprint(i))
		}
		return call(filepath.Dir(at), at, args)
	}
}

// onCompany makes a call on files of which each has another one that belongs to it.
func onCompany(args ...string) func(*bench, string, int) []string {
	return func(b *bench, dir string, n int) []string {
		at := b.job(dir, "Ola")
		for i := range n {
			for _, name := range []string{fmt.Sprintf("letter %d.pdf", i), fmt.Sprintf("old 9.3.2027 %d.md", i)} {
				write(filepath.Join(at, "Ola/Notes", name), name)
				write(filepath.Join(at, "Ola/Notes", name+".xmp"), name)
			}
		}
		return call(filepath.Dir(at), at, args)
	}
}

// onNumbers names so many files by a convention that counts apart for each day, where so many are.
func onNumbers() func(*bench, string, int) []string {
	return func(b *bench, dir string, n int) []string {
		write(filepath.Join(dir, "t.folders"), "---\nnames:\n  scan: { pattern: \"<day:yyyy-mm-dd> <n:0000>\", fields: { n: { next: yes, per: \"<day>\" } } }\n---\nDesk\n    Scans | holds: scan\n")
		b.do(dir, "build", "t.folders", "--into", ".", "--yes")
		for i := range n {
			day := time.Date(2000, 1, 1+i, 12, 0, 0, 0, time.UTC)
			write(filepath.Join(dir, "Desk/Scans", day.Format(time.DateOnly)+" 0001.tif"), "old")
			at := filepath.Join(dir, "in", fmt.Sprintf("IMG_%d.tif", 1000+i))
			write(at, at)
			check(os.Chtimes(at, day, day))
		}
		return []string{"put", filepath.Join(dir, "in"), "--into", filepath.Join(dir, "Desk"), "--convention", "scan", "--preview"}
	}
}

// onArrivals puts so many files into ten projects or, for less than 0, ten files into so
// many; for 0, three hundred that could go to any of so many.
func onArrivals(which int, more ...string) func(*bench, string, int) []string {
	return func(b *bench, dir string, n int) []string {
		files, projects := n, 10
		if which < 0 {
			files, projects = 10, n
		}
		if which == 0 {
			files, projects = 300, n
		}
		clients := make([]string, projects)
		for i := range clients {
			clients[i] = fmt.Sprintf("Client %05d", i)
		}
		at := b.job(dir, clients...)
		for i := range files {
			name := fmt.Sprintf("letter %d.pdf", i)
			if which != 0 {
				name = fmt.Sprintf("Client %05d %s", i%projects, name)
			}
			write(filepath.Join(dir, "in", name), fmt.Sprint(i))
		}
		return append([]string{"put", filepath.Join(dir, "in"), "--into", at, "--preview"}, more...)
	}
}

// onPlan makes a call on a table with so many moves.
func onPlan(args ...string) func(*bench, string, int) []string {
	return func(b *bench, dir string, n int) []string {
		at := filepath.Join(dir, "moves")
		rows := [][]string{{"from", "to"}}
		for i := range n {
			from := fmt.Sprintf("%03d/file %05d.md", i/200, i)
			write(filepath.Join(at, from), "x")
			rows = append(rows, []string{"./" + from, fmt.Sprintf("./new/%05d.md", i)})
		}
		f, err := os.Create(filepath.Join(at, "plan.csv"))
		check(err)
		check(csv.NewWriter(f).WriteAll(rows))
		check(f.Close())
		return call(dir, at, args)
	}
}

// onRecord makes a call about a build of so many folders.
func onRecord(args ...string) func(*bench, string, int) []string {
	return func(b *bench, dir string, n int) []string {
		build := onTemplate("build", "@", "--into", "!", "--yes", "--limit", "9999999")(b, dir, n)
		b.do(dir, build...)
		return call(dir, "", args)
	}
}

// onTemplates makes a call where so many templates lie.
func onTemplates(args ...string) func(*bench, string, int) []string {
	return func(_ *bench, dir string, n int) []string {
		for i := range n {
			write(filepath.Join(dir, fmt.Sprintf("t%05d.folders", i)), "Desk\n    Letters\n")
		}
		return call(dir, "", args)
	}
}
