//go:build unix

package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// gridPlain has no conventions, gridNamed some, and gridOther one that reads a file of
// the second one's projects.
const (
	gridPlain = "---\nfields: { client: Who? }\n---\n<client>\n    <#> Letters | holds: documents\n    <#> Later | later\n    Terms.md | due: 2027-01-01\n"
	gridNamed = `---
fields: { client: Who?, month: { type: month, example: 2027-03 } }
names:
  scan: { pattern: "<day:yyyy-mm-dd> <side> <n:000>", fields: { n: { type: number, next: yes } } }
---
<month:yyyy-mm> <client>
    <#> Scans | holds: scan
    <#> Letters | holds: documents
    notes.md | carry
`
	gridOther = "---\nfields: { client: Who? }\nnames: { page: \"<client> <no:00>\" }\n---\nOther <client>\n    Pages | holds: page\n    More\n"
)

// gridCalls are all commands, in each of their ways of looking at a place @: none of
// them changes anything.
var gridCalls = []string{
	"show @", "show @ --all", "show @ --sorted all",
	"check @", "check @ --all", "check @ --strict", "check @ --fix --preview", "check @ --template named", "check @ --only twice", "check @ --only missing,strays",
	"compare @ named", "compare plain @", "compare @ @", "compare @",
	"build @ --into Out client=x --preview", "build named --into @ client=x month=2027-03 --preview", "build plain --into Out --table @ --preview", "build plain --into Out --values @ --preview",
	"add @", "add @ Later --preview", "upgrade @ --preview", "upgrade @ --template named --preview", "upgrade @ client=Other --preview",
	"next @ --preview", "next @ --count 2 --preview", "next --from @ --template named --convention scan --into New --preview",
	"archive @ --into Out --preview", "archive Good --into @ --preview", "archive @ --copy --into Out --preview", "archive --back @ --preview", "archive @ --where client=x --into Out --preview",
	"backup @ --into Out --preview", "backup @ --into Out --list", "backup Good --into @ --list", "backup Good --into @ --preview", "tick @ nothing",
	"projects @", "projects @ --late", "projects @ --where client=x", "projects @ --by client", "projects @ --use named",
	"do @ --preview", "do moves.csv --in @ --preview",
	"put @ --into Good --preview", "put loose.md --into @ --preview", "put @ --older-into Older --preview", "put @ --into Good --convention scan side=a --preview",
	"rename scan @ --preview", "rename named scan @ --preview", "rename named scan @ --from <x> day=made side=a --preview",
	"name named scan --in @ day=2027-03-09 side=a", "name scan --in @ day=2027-03-09 side=a",
	"read @", "read named @", "read named --in @", "read @ --where client~x", "read @ --newest",
	"draft new @ --preview", "draft --update named @ --preview", "guide @", "history @", "undo @",
	"history --in-place", "undo --in-place --preview", "templates --in-place", "check . --in-place", "projects --in-place", "__complete check @/", "__complete put @ --into ",
}

// A gridPlace is a kind of place: what makes it, below a folder of its name.
type gridPlace struct {
	name string
	path string // of what is looked at, from that folder
	make func(d *desk, at string)
	// other says that the calls are made by somebody who has no right to what is there.
	other bool
}

// project builds a project of a template at a place of the grid.
func (d *desk) project(template, into string, values ...string) {
	require.NoError(d.t, os.MkdirAll(filepath.Join(d.dir, into), 0o777))
	out, status := d.run(append([]string{"build", template, "--into", into, "--yes"}, values...)...)
	require.Zero(d.t, status, out)
}

func (d *desk) instead(path string, make func(full string) error) {
	full := filepath.Join(d.dir, path)
	require.NoError(d.t, os.RemoveAll(full))
	require.NoError(d.t, os.MkdirAll(filepath.Dir(full), 0o777))
	require.NoError(d.t, make(full))
}

// at is the place that is looked at, where it was made below a folder.
func (p *gridPlace) at(below string) string {
	if filepath.IsAbs(p.path) {
		return p.path
	}
	return filepath.Join(below, p.path)
}

func fifo(full string) error     { return syscall.Mkfifo(full, 0o666) }
func dangling(full string) error { return os.Symlink("gone", full) }
func aFolder(full string) error  { return os.Mkdir(full, 0o777) }

// inTheWay puts something that is no file in the place of one.
var inTheWay = map[string]func(string) error{"a fifo": fifo, "a dangling link": dangling, "a folder": aFolder, "a loop": func(full string) error { return os.Symlink(filepath.Base(full), full) }}

func gridPlaces(t *testing.T) []gridPlace {
	// What many places begin with is made once, and copied.
	once := func(name string, make func(d *desk, at string)) func(d *desk, at string) {
		return func(d *desk, at string) {
			ready := filepath.Join(".ready", name)
			if !isDir(filepath.Join(d.dir, ready)) {
				make(d, ready)
			}
			require.NoError(d.t, os.CopyFS(filepath.Join(d.dir, at), os.DirFS(filepath.Join(d.dir, ready))))
		}
	}
	named := once("named", func(d *desk, at string) {
		d.project("named", at, "client=Pask", "month=2027-03")
		d.write(at+"/2027-03 Pask/01 Scans/2027-03-09 recto 001.tif", "a")
		d.write(at+"/2027-03 Pask/01 Scans/IMG_0001.tif", "a")
		d.write(at+"/2027-03 Pask/loose.md", "[a](01%20Scans/gone.md)")
	})
	labelled := func(change func(label string) string) func(d *desk, at string) {
		return func(d *desk, at string) {
			named(d, at)
			label := at + "/2027-03 Pask/.vestibula.json"
			d.write(label, change(d.read(label)))
		}
	}
	backup := func(args ...string) func(d *desk, at string) {
		return once("backup"+strings.Join(args, ""), func(d *desk, at string) {
			named(d, at)
			require.NoError(d.t, os.Mkdir(filepath.Join(d.dir, at, "B"), 0o777))
			d.must(append([]string{"backup", at + "/2027-03 Pask", "--into", at + "/B", "--yes"}, args...)...)
			entries, err := os.ReadDir(filepath.Join(d.dir, at, "B"))
			require.NoError(d.t, err)
			require.Len(d.t, entries, 1)
			ending := filepath.Ext(entries[0].Name())
			require.NoError(d.t, os.Rename(filepath.Join(d.dir, at, "B", entries[0].Name()), filepath.Join(d.dir, at, "backup"+ending)))
		})
	}
	archived := func(into string) func(d *desk, at string) {
		return func(d *desk, at string) {
			named(d, at)
			require.NoError(d.t, os.Mkdir(filepath.Join(d.dir, at, "Shelf"), 0o777))
			d.must("archive", at+"/2027-03 Pask", "--into", at+"/Shelf"+into, "--yes")
		}
	}
	const p, list = "2027-03 Pask", "backup/.vestibula-backup.json"
	places := []gridPlace{
		{name: "no conventions", path: "Pask", make: func(d *desk, at string) { d.project("plain", at, "client=Pask"); d.write(at+"/Pask/x 1.md", "x") }},
		{name: "conventions", path: p, make: named},
		{name: "two templates", make: func(d *desk, at string) {
			named(d, at)
			d.project("other", at, "client=Pask")
			d.project("plain", at, "client=Pask")
			d.write(at+"/Other Pask/Pages/2027-03-09 recto 001.tif", "b")
			d.write(at+"/"+p+"/01 Scans/Pask 07.tif", "b")
			d.write(at+"/Pask/Pask 07.tif", "b")
		}},
		{name: "in a project", make: func(d *desk, at string) { named(d, at); d.project("plain", at+"/"+p+"/02 Letters", "client=Inner") }},
		{name: "folder of a project", path: p + "/01 Scans", make: named},
		{name: "file of a project", path: p + "/01 Scans/2027-03-09 recto 001.tif", make: named},
		{name: "label broken", path: p, make: labelled(func(l string) string { return l[:len(l)/2] })},
		{name: "label broken below", make: labelled(func(l string) string { return "{}" })},
		{name: "label forged", path: p, make: labelled(func(l string) string {
			return strings.NewReplacer(`"template": "`, `"given": {"../../x": "1", "": "", "/etc/passwd": "zz"}, "done": {"..": "never", "x": "9999-99-99"}, "closed": {"../x": "../../y"}, "accepted": [{"path": "\u001b[31m", "why": "\u202e"}], "handed": [{"to": "/", "day": ""}], "template": "../../../`, `"client": "Pask"`, `"client": "../\u0000/\u001b[2J", "month": "0"`).Replace(l)
		})},
		{name: "label newer", path: p, make: labelled(func(l string) string { return strings.Replace(l, `"vestibula": 2`, `"vestibula": 99`, 1) })},
		{name: "label older", path: p, make: func(d *desk, at string) {
			named(d, at)
			data, err := os.ReadFile("testdata/label-1.json")
			require.NoError(d.t, err)
			d.write(at+"/"+p+"/.vestibula.json", string(data))
		}},
		{name: "label with broken text", path: p, make: labelled(func(l string) string { return strings.Replace(l, "<month:yyyy-mm>", "<mnth:yyyy", 1) })},
		{name: "label with wrong values", path: p, make: labelled(func(l string) string {
			return strings.NewReplacer(`"month": "2027-03"`, `"month": ["a", "b"]`, `"client": "Pask"`, `"client": 7`).Replace(l)
		})},
		{name: "template gone", path: "Gone", make: func(d *desk, at string) {
			d.write(at+"/gone.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n        hello.md | fill: hello.md\n    Post | later\n        a.md | copy: hello.md\n")
			d.write(at+"/hello.md", "<client>")
			d.project(at+"/gone.folders", at, "client=Gone")
			require.NoError(d.t, os.Remove(filepath.Join(d.dir, at, "gone.folders")))
		}},
		{name: "backup", path: "backup", make: backup()},
		{name: "beside a backup", make: backup()},
		{name: "backup shared", path: "backup", make: backup("--share")},
		{name: "backup in a zip", path: "backup.zip", make: backup("--zip")},
		{name: "bag", path: "backup", make: backup("--bag")},
		{name: "bag in a zip", path: "backup.zip", make: backup("--bag", "--zip")},
		{name: "backup cut short", path: "backup", make: func(d *desk, at string) {
			backup()(d, at)
			d.write(at+"/"+list, d.read(at + "/" + list)[:200])
			require.NoError(d.t, os.RemoveAll(filepath.Join(d.dir, at, "backup/01 Scans")))
		}},
		{name: "backup lies", path: "backup", make: func(d *desk, at string) {
			backup()(d, at)
			d.write(at+"/"+list, regexp.MustCompile(`"size": ?\d+`).ReplaceAllString(strings.ReplaceAll(d.read(at+"/"+list), "loose.md", "../../x"), `"size": -99999999999999`))
		}},
		{name: "bag lies", path: "backup", make: func(d *desk, at string) {
			backup("--bag")(d, at)
			d.write(at+"/backup/manifest-sha256.txt", "zz  data/../../x\n\n*\x00\n")
		}},
		{name: "archive in a folder", path: "Shelf", make: archived("")},
		{name: "archived project", path: "Shelf/" + p, make: archived("")},
		{name: "archive in a file", path: "Shelf/old.zip", make: archived("/old.zip")},
		{name: "archived elsewhere", make: archived("")},
		{name: "archived and named", path: p, make: archived("/old.zip")},
		{name: "list of archives broken", make: func(d *desk, at string) {
			archived("")(d, at)
			d.write(at+"/.vestibula-away.json", `{"vestibula-away": 1, "projects": [null, {"name": "../x"}]`)
		}},
		{name: "empty", make: func(d *desk, at string) {}},
		{name: "3,000 files", make: func(d *desk, at string) {
			for i := range 3000 {
				d.write(fmt.Sprintf("%s/f%02d/Pask %d.md", at, i/100, i), "")
			}
		}},
		{name: "odd names", make: func(d *desk, at string) {
			d.project("plain", at, "client=Pask")
			for _, name := range []string{"\x1b[31mred\x07.md", "no\xfftext.tif", strings.Repeat("ä", 125) + ".tif", "new\nline.md", "\u202efdp.exe", " lead", "trail.", "-rf", "--yes", "a\\b.md", "'q\"$(x)`.md", "[x]*?.md"} {
				d.write(at+"/"+name, name)
				d.write(at+"/Pask/"+name, name)
			}
			d.write(at+"/Pask/d\xff/x\xfe.md", "")
		}},
		{name: "no name of text", path: "\xff\x1b", make: func(d *desk, at string) { named(d, at+"/\xff\x1b") }},
		{name: "links and pipes", make: func(d *desk, at string) {
			named(d, at)
			for _, in := range []string{"/", "/" + p + "/", "/" + p + "/01 Scans/"} {
				for name, make := range inTheWay {
					d.instead(at+in+name+".tif", make)
					d.instead(at+in+name, make)
				}
				d.instead(at+in+"up", func(full string) error { return os.Symlink("..", full) })
				d.instead(at+in+"socket", func(full string) error { return syscall.Mknod(full, syscall.S_IFSOCK|0o666, 0) })
			}
		}},
		{name: "pipe", path: "a.folders", make: func(d *desk, at string) { d.instead(at+"/a.folders", fifo) }},
		{name: "template loop", path: "loop.folders", make: func(d *desk, at string) {
			d.instead(at+"/loop.folders", func(full string) error { return os.Symlink("loop.folders", full) })
		}},
		{name: "template loop by name", path: "loop", make: func(d *desk, at string) {
			d.instead(at+"/loop.folders", func(full string) error { return os.Symlink("loop.folders", full) })
		}},
		{name: "link to a folder", path: "link", make: func(d *desk, at string) {
			named(d, at)
			d.instead(at+"/link", func(full string) error { return os.Symlink(p, full) })
		}},
		{name: "not there", path: "nothing/here", make: func(d *desk, at string) {}},
		{name: "below a file", path: "file.md/x", make: func(d *desk, at string) { d.write(at+"/file.md", "x") }},
		{name: "a table", path: "t.csv", make: func(d *desk, at string) { d.write(at+"/t.csv", "client,month\nA,2027-03\nB,soon\n\x1b[31m,\n") }},
		{name: "a plan", path: "t.csv", make: func(d *desk, at string) {
			d.write(at+"/t.csv", "do,from,to\nmove,./a,./b\nmove,../../x,/etc\nerase,./a,\n")
		}},
		{name: "a workbook", path: "t.xlsx", make: func(d *desk, at string) { d.must("projects", "Good", "--out", at+"/t.xlsx") }},
		{name: "a broken workbook", path: "t.xlsx", make: func(d *desk, at string) { d.write(at+"/t.xlsx", "PK\x03\x04\x14\x00\x06\x00") }},
		{name: "a broken zip", path: "t.zip", make: func(d *desk, at string) { d.write(at+"/t.zip", "PK\x05\x06\x00\x00\x00\x00\x01\x00") }},
		{name: "a broken tar", path: "t.tar.gz", make: func(d *desk, at string) { d.write(at+"/t.tar.gz", "\x1f\x8b\x08\x00\x00") }},
		{name: "a list", path: "list.txt", make: func(d *desk, at string) { d.write(at+"/list.txt", "Commission\n    Agreement\n    Survey\n") }},
		{name: "a template", path: "own.folders", make: func(d *desk, at string) { d.write(at+"/own.folders", gridNamed) }},
		{name: "a broken template", path: "own.folders", make: func(d *desk, at string) {
			d.write(at+"/own.folders", "---\nfields: [\n---\n<\x1b[31mx>\n\tA | each: \n")
		}},
		{name: "no text", path: "x.folders", make: func(d *desk, at string) { d.write(at+"/x.folders", "\xff\xfe\x00A\x00\n") }},
		{name: "a device", path: "null.folders", make: func(d *desk, at string) {
			d.instead(at+"/null.folders", func(full string) error { return os.Symlink("/dev/zero", full) })
		}},
		{name: "no right to read", path: p, other: true, make: func(d *desk, at string) { named(d, at); require.NoError(d.t, os.Chmod(filepath.Join(d.dir, at, p), 0)) }},
		{name: "no right below", other: true, make: func(d *desk, at string) {
			named(d, at)
			require.NoError(d.t, os.Chmod(filepath.Join(d.dir, at, p, "01 Scans"), 0))
			require.NoError(d.t, os.Chmod(filepath.Join(d.dir, at, p, "notes.md"), 0))
		}},
		{name: "no right to look into", path: p, other: true, make: func(d *desk, at string) {
			named(d, at)
			require.NoError(d.t, os.Chmod(filepath.Join(d.dir, at, p), 0o444))
		}},
		{name: "no right to write", path: p, other: true, make: named},
		{name: "label without right", path: p, other: true, make: func(d *desk, at string) {
			named(d, at)
			require.NoError(d.t, os.Chmod(filepath.Join(d.dir, at, p, ".vestibula.json"), 0))
		}},
		{name: "label without right below", other: true, make: func(d *desk, at string) {
			named(d, at)
			require.NoError(d.t, os.Chmod(filepath.Join(d.dir, at, p, ".vestibula.json"), 0))
		}},
		{name: "list of a backup without right", path: "backup", other: true, make: func(d *desk, at string) {
			backup()(d, at)
			require.NoError(d.t, os.Chmod(filepath.Join(d.dir, at, list), 0))
		}},
		{name: "backup without right", path: "backup.zip", other: true, make: func(d *desk, at string) {
			backup("--zip")(d, at)
			require.NoError(d.t, os.Chmod(filepath.Join(d.dir, at, "backup.zip"), 0))
		}},
		{name: "template without right", path: "own", other: true, make: func(d *desk, at string) {
			d.write(at+"/own.folders", gridNamed)
			require.NoError(d.t, os.Chmod(filepath.Join(d.dir, at, "own.folders"), 0))
		}},
	}
	if other, err := os.MkdirTemp("/dev/shm", "vestibula-grid-"); err == nil {
		t.Cleanup(func() { os.RemoveAll(other) })
		require.NoError(t, os.Chmod(other, 0o755))
		places = append(places, gridPlace{name: "another disk", path: filepath.Join(other, p), make: func(d *desk, at string) {
			named(d, at)
			require.NoError(t, os.CopyFS(other, os.DirFS(filepath.Join(d.dir, at))))
		}})
	}
	for kind, make := range inTheWay {
		for file, of := range map[string]func(d *desk, at string){p + "/.vestibula.json": named, list: backup(), "backup/manifest-sha256.txt": backup("--bag"), ".vestibula-away.json": archived("")} {
			path := filepath.Dir(file)
			places = append(places, gridPlace{name: kind + " for " + filepath.Base(file), path: path, make: func(d *desk, at string) { of(d, at); d.instead(at+"/"+file, make) }})
		}
		names := []string{"x.zip"}
		if kind == "a fifo" { // which is what hangs
			names = append(names, "x.tar.gz", "x.csv", "x.xlsx", "x.txt")
		}
		for _, name := range names {
			places = append(places, gridPlace{name: kind + " as " + name, path: name, make: func(d *desk, at string) { d.instead(at+"/"+name, make) }})
		}
	}
	return places
}

// goWords are texts of Go, of its library and of systems, which are not for people.
var goWords = regexp.MustCompile(`\b(lstat|fstatat|openat|readlink|getdents|readdirent|mkdirat|EvalSymlinks|EOF|nil|strconv|goroutine|syscall|errno)\b|panic:|runtime error|no such file or directory|permission denied|invalid argument|too many levels|not a directory|is a directory|file exists|unexpected end|invalid character|(?:^|[^.\w])(?:json|yaml|zip|gzip|flate|tar|archive/tar): |%!|\b(open|stat) [^ :]+: `)

// TestNoPlaceIsTooMuch makes every call at every kind of place: each ends in time, with
// 0, 1 or 2, in words for people, without what a terminal obeys, with JSON where that
// was asked for; and nothing is changed. Two calls of three are made at each place, one of them for JSON, unless all are wanted.
func TestNoPlaceIsTooMuch(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "plain.folders", gridPlain, "named.folders", gridNamed, "other.folders", gridOther, "loose.md", "x", "moves.csv", "do,from,to\nmove,./a,./b\n", "Out/x", "")
	for at := d.dir; strings.HasPrefix(at, os.TempDir()) && at != os.TempDir(); at = filepath.Dir(at) {
		require.NoError(t, os.Chmod(at, 0o755))
	}
	d.project("named", ".", "client=Good", "month=2027-01")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "2027-01 Good"), filepath.Join(d.dir, "Good")))
	cells := 0
	places := gridPlaces(t)
	for i, p := range places {
		at := fmt.Sprintf("P%02d", i)
		require.NoError(t, os.Mkdir(filepath.Join(d.dir, at), 0o777))
		p.make(d, at)
	}
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, ".ready")))
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, ".other"), 0o777))
	require.NoError(t, os.Chmod(filepath.Join(d.dir, ".other"), 0o777))
	// What is kept of what was done is of no use to the grid, and slows each call down.
	require.NoError(t, os.Rename(filepath.Join(d.dir, ".state"), filepath.Join(t.TempDir(), "state")))
	t.Run("cells", func(t *testing.T) {
		for i, p := range places {
			cells += 2 * len(gridCalls)
			t.Run(p.name, func(t *testing.T) {
				t.Parallel()
				at := fmt.Sprintf("P%02d", i)
				before := shape(t, filepath.Join(d.dir, at))
				for k, call := range gridCalls {
					for n, asJSON := range []bool{false, true} {
						if os.Getenv("VESTIBULA_GRID") == "all" || (2*i+k)%3 == n {
							gridCell(t, d, p, p.at(at), call, asJSON)
						}
					}
				}
				assert.Equal(t, before, shape(t, filepath.Join(d.dir, at)), "nothing is changed by looking")
			})
		}
	})
	assert.Greater(t, cells, 9_000)
	entries, err := os.ReadDir(d.dir)
	require.NoError(t, err)
	assert.Len(t, entries, len(places)+8, "nothing is left behind")
}

// records are ways in which the record of a build, and what lies around it, is not as this
// program wrote it.
var records = map[string]func(d *desk, record string){
	"whole": func(d *desk, record string) {},
	"empty": func(d *desk, record string) { d.write(record, "") },
	"cut":   func(d *desk, record string) { d.write(record, d.read(record)[:len(d.read(record))/2]) },
	"noise": func(d *desk, record string) { d.write(record, "\x00\xff{}[]\n\n{\"op\":") },
	"paths": func(d *desk, record string) {
		d.write(record, regexp.MustCompile(`"path":"[^"]*"`).ReplaceAllString(d.read(record), `"path":"../../../etc"`))
	},
	"places": func(d *desk, record string) {
		d.write(record, regexp.MustCompile(`"places":\[[^]]*\]`).ReplaceAllString(d.read(record), `"places":[null,"","relative","/\u001b[31m"]`))
	},
	"no places": func(d *desk, record string) {
		d.write(record, regexp.MustCompile(`"places":\[[^]]*\]`).ReplaceAllString(d.read(record), `"places":[]`))
	},
	"numbers": func(d *desk, record string) {
		d.write(record, strings.NewReplacer(`"number":1`, `"number":1,"undoes":1,"continues":[1,2,-3],"kept":-1,"format":-7`, `"in":`, `"in":99,"was":`, `"roots":[`, `"roots":[{"in":-1,"path":""},{"in":7,"path":"x"},`).Replace(d.read(record)))
	},
	"work": func(d *desk, record string) {
		d.write(record, regexp.MustCompile(`"work":"[^"]*"`).ReplaceAllString(d.read(record), `"work":"../../.."`))
	},
	"newer": func(d *desk, record string) {
		d.write(record, strings.Replace(d.read(record), `"vestibula":3`, `"vestibula":999`, 1))
	},
	"no end": func(d *desk, record string) {
		d.write(record+".open", d.read(record)[:strings.LastIndex(d.read(record), `{"end"`)])
		os.Remove(filepath.Join(d.dir, record))
	},
	"only a head": func(d *desk, record string) { d.write(record, d.read(record)[:strings.Index(d.read(record), "\n")+1]) },
	"place gone": func(d *desk, record string) {
		require.NoError(d.t, os.Rename(filepath.Join(d.dir, "In"), filepath.Join(d.dir, "Out")))
	},
	"a link": func(d *desk, record string) {
		d.instead(record, func(full string) error { return os.Symlink("/dev/zero", full) })
	},
	"no journal": func(d *desk, record string) { d.instead(filepath.Dir(record), fifo) },
	"no state":   func(d *desk, record string) { d.instead(".state", dangling) },
	"no right":   func(d *desk, record string) { require.NoError(d.t, os.Chmod(filepath.Join(d.dir, record), 0)) },
	"no right to all": func(d *desk, record string) {
		require.NoError(d.t, os.Chmod(filepath.Join(d.dir, filepath.Dir(record)), 0))
	},
}

// TestNoRecordIsTooMuch asks for what was done, and for taking it back, of records that are
// not as they were written: nothing but what a record rightly says is ever touched.
func TestNoRecordIsTooMuch(t *testing.T) {
	t.Parallel()
	for kind, make := range inTheWay {
		records[kind] = func(d *desk, record string) { d.instead(record, make) }
	}
	for kind, change := range records {
		t.Run(kind, func(t *testing.T) {
			t.Parallel()
			d := newDesk(t, "plain.folders", gridPlain)
			d.project("plain", "In", "client=Pask")
			d.write("In/Pask/own.md", "mine")
			change(d, ".state/vestibula/journal/000001.jsonl")
			p := gridPlace{other: strings.HasPrefix(kind, "no right")}
			if p.other {
				for at := d.dir; strings.HasPrefix(at, os.TempDir()) && at != os.TempDir(); at = filepath.Dir(at) {
					require.NoError(t, os.Chmod(at, 0o777))
				}
				require.NoError(t, os.Rename(filepath.Join(d.dir, ".state"), filepath.Join(d.dir, ".other")))
			}
			for _, call := range []string{"history", "history 1", "undo --preview", "undo 1 --preview", "history --forget 1", "upgrade @ client=Other --preview", "undo 1 --yes", "history", "history --forget 1 --yes", "history", "build plain --into @ client=New --yes", "undo --yes", "history --forget 2 --yes"} {
				for _, asJSON := range []bool{false, true} {
					gridCell(t, d, p, "In", call, asJSON)
				}
			}
			at := "In"
			if !isDir(filepath.Join(d.dir, at)) {
				at = "Out"
			}
			assert.Equal(t, "mine", d.read(at+"/Pask/own.md"))
		})
	}
}

// TestSomebodyWithoutAHome keeps what was done where the account says that its home is, and
// never in the root of the disk.
func TestSomebodyWithoutAHome(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	for _, args := range [][]string{{"history"}, {"templates"}, {"undo"}} {
		cmd := exec.Command(program, args...)
		cmd.Dir, cmd.Env = d.dir, []string{"GOCOVERDIR=" + coverage, "PATH=" + os.Getenv("PATH")}
		out, _ := cmd.CombinedOutput()
		assert.NotRegexp(t, goWords, string(out))
	}
	for _, at := range []string{"/.local/state/vestibula", "/.local/share/vestibula"} {
		assert.NoDirExists(t, at)
	}
	if os.Geteuid() != 0 {
		return // who has a home would have this written into it
	}
	for at := d.dir; strings.HasPrefix(at, os.TempDir()) && at != os.TempDir(); at = filepath.Dir(at) {
		require.NoError(t, os.Chmod(at, 0o777))
	}
	cmd := exec.Command(program, "draft", "mine", "--like", "commission")
	cmd.Dir, cmd.Env = d.dir, []string{"GOCOVERDIR=" + coverage, "PATH=" + os.Getenv("PATH")}
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 54321, Gid: 54321}} // an account that nobody has
	out, err := cmd.CombinedOutput()
	assert.Error(t, err)
	assert.Contains(t, string(out), "where your home is cannot be told")
	assert.NoFileExists(t, filepath.Join(d.dir, "mine.folders"))
}

// gridCell makes one call.
func gridCell(t *testing.T, d *desk, p gridPlace, at, call string, asJSON bool) {
	args := strings.Fields(call)
	dir := d.dir
	for i := 0; i < len(args); i++ {
		args[i] = strings.ReplaceAll(args[i], "@", at)
		if args[i] == "--in-place" {
			args = append(args[:i], args[i+1:]...)
			i--
			if dir = at; !filepath.IsAbs(at) {
				dir = filepath.Join(d.dir, at)
			}
			if !isDir(dir) {
				return
			}
		}
	}
	if asJSON {
		if strings.HasPrefix(call, "__complete") {
			return
		}
		args = append(args, "--json")
	}
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	cmd := exec.CommandContext(ctx, program, args...)
	cmd.Dir, cmd.Env = dir, d.environment()
	if p.other && os.Geteuid() == 0 {
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
		cmd.Env = append(cmd.Env, "HOME="+d.dir+"/.other", "XDG_STATE_HOME="+d.dir+"/.other", "XDG_DATA_HOME="+d.dir+"/.other")
	}
	var out, side bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &side
	err := cmd.Run()
	if cmd.ProcessState == nil { // the folder itself cannot be entered
		require.NotEqual(t, d.dir, dir, "%v", err)
		return
	}
	var exit *exec.ExitError
	require.True(t, err == nil || errors.As(err, &exit), "%v", err)
	if !assert.NoError(t, ctx.Err(), "%q hangs", args) {
		return
	}
	status := cmd.ProcessState.ExitCode()
	all := out.String() + side.String()
	assert.Contains(t, []int{0, 1, 2}, status, "%q: %s", args, all)
	assert.NotRegexp(t, goWords, all, "%q", args)
	shown := strings.IndexFunc(all, func(r rune) bool {
		return unicode.IsControl(r) && r != '\n' && r != '\t' || unicode.Is(unicode.Cf, r) && !strings.ContainsRune("\u200d", r)
	})
	assert.Less(t, shown, 0, "%q prints %q", args, all)
	if status != 0 && !asJSON {
		assert.NotEmpty(t, strings.TrimSpace(all), "%q ends with %d and says nothing", args, status)
	}
	if asJSON {
		dec := json.NewDecoder(&out)
		var v any
		err := dec.Decode(&v)
		for err == nil { // with a table, a line for each row
			err = dec.Decode(&v)
		}
		assert.ErrorIs(t, err, io.EOF, "%q: no JSON: %s", args, all)
		assert.NotNil(t, v, "%q prints no JSON, and says %s", args, side.String())
	}
}

func isDir(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.IsDir()
}

// shape is all that lies somewhere, with sizes, rights and times.
func shape(t *testing.T, dir string) (all []string) {
	require.NoError(t, filepath.WalkDir(dir, func(path string, e os.DirEntry, err error) error {
		require.NoError(t, err)
		info, err := e.Info()
		require.NoError(t, err)
		all = append(all, fmt.Sprint(path, info.Mode(), info.Size(), info.ModTime().UnixNano()))
		return nil
	}))
	return all
}
