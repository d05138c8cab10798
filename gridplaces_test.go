//go:build unix

package main

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"
)

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
