//go:build unix

package main

import (
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

func TestABackupIsAllOfAProject(t *testing.T) {
	t.Parallel()
	d := jobsDesk(t)
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "B"), 0o777))
	old := time.Date(2020, 1, 2, 3, 4, 5, 0, time.UTC)
	for _, at := range []string{"C/2025-03 Ola/Invoices/2025-03-09 invoice 01.pdf", "C/2025-03 Ola/Letters/empty"} {
		require.NoError(t, os.Chtimes(filepath.Join(d.dir, at), old, old))
	}
	day := time.Now().Format(time.DateOnly)
	before := d.whole("C")
	out, status := d.run("backup", "C/2025-03 Ola", "--into", "B")
	require.Zero(t, status, "only new files, which the call names: %s", out)
	name := "2025-03 Ola " + day
	assert.Contains(t, out, "Set aside: B/"+name)
	have, want := d.whole("B/"+name), d.whole("C/2025-03 Ola")
	delete(have, ".vestibula-backup.json")
	for at := range want {
		_, is := have[at]
		assert.True(t, is, at)
		if !strings.HasSuffix(at, "/") { // contents and times; folders that were written in have another
			assert.Equal(t, want[at], have[at], at)
		}
	}
	assert.Len(t, have, len(want))
	assert.Equal(t, want["Letters/empty/"], have["Letters/empty/"])
	assert.Equal(t, before, d.whole("C"))
	_, status = d.run("backup", "C/2025-03 Ola", "--into", "B", "--bag")
	require.Zero(t, status)
	for _, at := range []string{name, name + " 2"} {
		out, status = d.run("check", "B/"+at)
		assert.Zero(t, status, out)
		assert.Contains(t, out, "Whole: ")
	}
	if tool, err := exec.LookPath("sha256sum"); err == nil { // a program that is not ours reads the manifests
		for _, manifest := range []string{"manifest-sha256.txt", "tagmanifest-sha256.txt"} {
			cmd := exec.Command(tool, "--check", "--strict", manifest)
			cmd.Dir = filepath.Join(d.dir, "B", name+" 2")
			said, err := cmd.CombinedOutput()
			assert.NoError(t, err, "%s", said)
		}
	}
	out, _ = d.run("projects", ".")
	assert.Contains(t, out, "3 projects", "a backup is no project")

	// What differs is told, and what was done to a backup.
	d.write("C/2025-03 Ola/Letters/new.md", "new")
	d.write("C/2025-03 Ola/Invoices/2025-03-09 invoice 01.pdf", "two")
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "C/2025-03 Ola/.hidden")))
	out, status = d.run("backup", "C/2025-03 Ola", "--into", "B", "--list")
	require.Zero(t, status)
	assert.Equal(t, 2, strings.Count(out, "1 changed, 1 new, 1 gone since"), out)
	d.must("compare", "C/2025-03 Ola", "B/"+name, "--plan", "back.csv")
	assert.Contains(t, d.read("back.csv"), "copy,./B/"+name+"/.hidden/deep.txt,./C/2025-03 Ola/.hidden/deep.txt,")
	d.must("do", "back.csv", "--yes")
	assert.FileExists(t, filepath.Join(d.dir, "C/2025-03 Ola/.hidden/deep.txt"))
	d.must("undo", "--yes")
	d.write("B/"+name+" 3.unfinished/Letters/half.md", "ha")
	out, _ = d.run("backup", "C/2025-03 Ola", "--into", "B", "--list")
	assert.Contains(t, out, "2 backups in B")
	assert.Regexp(t, name+` 3\.unfinished +left of a run that was cut short, and not whole`, out)
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "B", name+" 3.unfinished")))
	d.write("B/"+name+" 4/.vestibula-backup.json", "{")
	out, _ = d.run("backup", "C/2025-03 Ola", "--into", "B", "--list")
	assert.Regexp(t, name+` 4 +its list is damaged`, out)
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "B", name+" 4")))
	d.write("B/"+name+"/Invoices/2025-03-09 invoice 01.pdf", "evil")
	require.NoError(t, os.Remove(filepath.Join(d.dir, "B", name, ".hidden/deep.txt")))
	d.write("B/"+name+"/Letters/extra.txt", "x")
	out, status = d.run("check", "B/"+name)
	assert.Equal(t, 1, status)
	for _, line := range []string{"missing .hidden/deep.txt", "changed Invoices/2025-03-09 invoice 01.pdf", "extra Letters/extra.txt", "3 problems in the backup"} {
		assert.Contains(t, out, line)
	}
	require.NoError(t, os.Remove(filepath.Join(d.dir, "B", name, "Letters/empty")))
	require.NoError(t, os.Remove(filepath.Join(d.dir, "B", name+" 2", "data/Letters/empty")))
	require.NoError(t, os.Symlink("/", filepath.Join(d.dir, "B", name, "root")))
	out, _ = d.run("check", "B/"+name)
	for _, line := range []string{"missing Letters/empty/", "extra root", "5 problems in the backup"} {
		assert.Contains(t, out, line)
	}
	out, status = d.run("check", "B/"+name+" 2")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "missing data/Letters/empty/")
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "B", name+" 2", "data/Letters/empty"), 0o777))
	out, status = d.run("check", "B/"+name+" 2", "--json")
	assert.Zero(t, status, out)
	assert.Contains(t, out, `"kind": "bag"`)

	// Only the newest stay at hand; that is asked about, and taken back.
	out, status = d.run("backup", "C/2025-03 Ola", "--into", "B", "--keep", "2")
	assert.Equal(t, 1, status, "nobody was asked: %s", out)
	assert.NotContains(t, d.has("B"), "Older/")
	out, status = d.run("backup", "C/2025-03 Ola", "--into", "B", "--keep", "2", "--json")
	assert.Equal(t, 1, status)
	for _, part := range []string{`"done": false`, `"to": "` + name + ` 3"`, `"to": "Older/` + name + `"`} {
		assert.Contains(t, out, part, "what would be done is told")
	}
	out, status = d.run("backup", "C/2025-03 Ola", "--into", "B", "--keep", "2", "--yes")
	require.Zero(t, status, out)
	entries, err := os.ReadDir(filepath.Join(d.dir, "B"))
	require.NoError(t, err)
	assert.Len(t, entries, 3, "two, and the folder of the older ones")
	assert.Contains(t, d.has("B"), "Older/"+name+"/")
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	assert.Contains(t, d.has("B"), name+"/")
	assert.NotContains(t, d.has("B"), name+" 3/")
	for range 4 { // those that went aside keep their names
		out, status = d.run("backup", "C/2025-03 Ola", "--into", "B", "--keep", "1", "--yes")
		require.Zero(t, status, out)
	}
	older, err := os.ReadDir(filepath.Join(d.dir, "B", "Older"))
	require.NoError(t, err)
	assert.Len(t, older, 5)
	for args, want := range map[string]string{"C/2025-03 Ola|--into|C/2025-03 Ola/Letters": "lies in C/2025-03 Ola itself", "C/2025-03 Ola|--into|nowhere": "there is no folder “nowhere”", "C/2025-03 Ola": "into which folder?", "C|--into|B": "holds projects, and is none", "C/2025-03 Ola/Letters|--into|B": "is a folder in the project"} {
		out, status := d.run(append([]string{"backup"}, strings.Split(args, "|")...)...)
		assert.NotZero(t, status, args)
		assert.Contains(t, out, want)
	}
	d.write("B/"+name+"/.vestibula-backup.json", "{")
	out, status = d.run("check", "B/"+name)
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "the list of the backup is damaged")
}

// Ten bags of a project that changes are whole to sha256sum and to the text of RFC 8493, and
// spoiled ones are not.
func TestBagsAreBagsToOthers(t *testing.T) {
	t.Parallel()
	if _, err := exec.LookPath("sha256sum"); err != nil {
		t.Skip("sha256sum is not here")
	}
	d := newDesk(t, "job.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n    Invoices\n")
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "B"), 0o777))
	_, status := d.run("build", "job", "client=Ola", "--into", ".", "--yes")
	require.Zero(t, status)
	// RFC 8493: a declaration; manifests of the payload and of the tags, which sha256sum
	// reads; and each file of the payload stands in its manifest.
	valid := func(name string) error {
		dir := filepath.Join(d.dir, "B", name)
		declared, err := os.ReadFile(filepath.Join(dir, "bagit.txt"))
		if err != nil || string(declared) != "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n" {
			return fmt.Errorf("it declares %q", declared)
		}
		for _, manifest := range []string{"manifest-sha256.txt", "tagmanifest-sha256.txt"} {
			sums := exec.Command("sha256sum", "--check", "--strict", "--quiet", manifest)
			sums.Dir = dir
			if out, err := sums.CombinedOutput(); err != nil {
				return fmt.Errorf("%s: %s", manifest, out)
			}
		}
		list, err := os.ReadFile(filepath.Join(dir, "manifest-sha256.txt"))
		if err != nil {
			return err
		}
		return filepath.WalkDir(filepath.Join(dir, "data"), func(at string, e os.DirEntry, err error) error {
			rel, _ := filepath.Rel(dir, at)
			if err == nil && !e.IsDir() && !strings.Contains(string(list), "  "+rel+"\n") {
				err = fmt.Errorf("%s stands in no manifest", rel)
			}
			return err
		})
	}
	name := func(i int) string {
		return strings.TrimSuffix(fmt.Sprintf("Ola %s %d", time.Now().Format(time.DateOnly), i), " 1")
	}
	for i := range 10 {
		d.write(fmt.Sprintf("Ola/Letters/%d-åé-100-of-it.md", i), strings.Repeat("text ", i))
		d.write("Ola/Invoices/.hidden.pdf", fmt.Sprint("one ", i))
		require.NoError(t, os.RemoveAll(filepath.Join(d.dir, fmt.Sprintf("Ola/Letters/%d-åé-100-of-it.md", i-3))))
		out, status := d.run("backup", "Ola", "--into", "B", "--bag")
		require.Zero(t, status, out)
		assert.NoError(t, valid(name(i+1)))
	}
	for i, spoil := range []func(dir string) error{
		func(dir string) error { return os.Remove(filepath.Join(dir, "data/Invoices/.hidden.pdf")) },
		func(dir string) error { return os.WriteFile(filepath.Join(dir, "data/extra.txt"), nil, 0o644) },
		func(dir string) error {
			return os.WriteFile(filepath.Join(dir, "data/Invoices/.hidden.pdf"), []byte("two 1"), 0o644)
		},
	} {
		require.NoError(t, spoil(filepath.Join(d.dir, "B", name(i+1))))
		assert.Error(t, valid(name(i+1)))
		_, status := d.run("check", "B/"+name(i+1))
		assert.Equal(t, 1, status)
	}
}

func TestBackupsShareWhatIsAsItWas(t *testing.T) {
	t.Parallel()
	d := jobsDesk(t)
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "B"), 0o777))
	old := time.Date(2020, 1, 2, 3, 4, 5, 6789, time.UTC)
	steady, edited := "Invoices/2025-03-09 invoice 01.pdf", "Letters/plan.txt"
	d.write("C/2025-03 Ola/"+edited, "one")
	for _, at := range []string{steady, edited} {
		require.NoError(t, os.Chtimes(filepath.Join(d.dir, "C/2025-03 Ola", at), old, old))
	}
	first := "B/2025-03 Ola " + time.Now().Format(time.DateOnly)
	d.must("backup", "C/2025-03 Ola", "--into", "C")
	earlier := d.whole("C")
	d.must("backup", "C/2025-03 Ola", "--into", "C", "--share")
	after := d.whole("C")
	for at, is := range earlier {
		assert.Equal(t, is, after[at], "the files of a backup that was not to be shared bear what they bore")
	}
	d.must("undo", "--yes")
	d.must("undo", "--yes")
	_, status := d.run("backup", "C/2025-03 Ola", "--into", "B", "--share")
	require.Zero(t, status)
	d.write("C/2025-03 Ola/"+edited, "two") // of the same size
	for _, bag := range []string{"", "--bag"} {
		out, status := d.run(append([]string{"backup", "C/2025-03 Ola", "--into", "B", "--share"}, strings.Fields(bag)...)...)
		require.Zero(t, status, out)
		if bag == "" {
			assert.Contains(t, out, "3 files are as in", "the label, the invoice, the hidden one")
			assert.Contains(t, out, "1 file was read back and compared")
		} else {
			assert.Contains(t, out, "All are as in")
			assert.Contains(t, out, "of 1 link, vestibula-backup.json says where")
		}
	}
	look := func(at string) os.FileInfo {
		info, err := os.Stat(filepath.Join(d.dir, at))
		require.NoError(t, err)
		return info
	}
	living := look("C/2025-03 Ola/" + steady)
	assert.EqualValues(t, 1, living.Sys().(*syscall.Stat_t).Nlink)
	assert.NotZero(t, living.Mode()&0o200)
	for _, other := range []string{first + " 2/", first + " 3/data/"} {
		shared := look(other + steady)
		if os.SameFile(shared, look(first+"/"+steady)) { // else it is a clone
			assert.Zero(t, shared.Mode()&0o222, "nobody writes into two backups at once")
		}
		assert.Equal(t, old, shared.ModTime().UTC())
		assert.False(t, os.SameFile(shared, living))
		assert.False(t, os.SameFile(look(first+"/"+edited), look(other+edited)))
	}
	d.write("C/2025-03 Ola/"+steady, "three")
	whole := func(names ...string) {
		for _, at := range names {
			out, status := d.run("check", at)
			assert.Zero(t, status, out)
		}
	}
	whole(first, first+" 2", first+" 3")
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)
	whole(first)
	assert.NotContains(t, d.has("B"), strings.TrimPrefix(first, "B/")+" 2/")
	out, status := d.run("undo", "--yes", "12")
	require.Zero(t, status, out)
	whole(first, first+" 2")

	// A backup whose file somebody made the living one by hand: that is copied.
	require.NoError(t, os.Remove(filepath.Join(d.dir, first+" 2", steady)))
	require.NoError(t, os.Link(filepath.Join(d.dir, "C/2025-03 Ola", steady), filepath.Join(d.dir, first+" 2", steady)))
	list := strings.Replace(d.read(first+" 2/.vestibula-backup.json"), fmt.Sprint(old.UnixNano()), fmt.Sprint(look("C/2025-03 Ola/"+steady).ModTime().UnixNano()), 1)
	d.write(first+" 2/.vestibula-backup.json", strings.Replace(list, `"size": 3,`, `"size": 5,`, 1))
	_, status = d.run("backup", "C/2025-03 Ola", "--into", "B", "--share")
	require.Zero(t, status)
	assert.NotZero(t, look("C/2025-03 Ola/"+steady).Mode()&0o200)
	assert.False(t, os.SameFile(look(first+" 3/"+steady), look("C/2025-03 Ola/"+steady)))
	_, status = d.run("undo", "--yes")
	require.Zero(t, status)

	// What is damaged in the last backup, and looks so, is copied anew.
	d.write(first+" 2/.hidden/deep.txt", "hiddEn!")
	out, status = d.run("backup", "C/2025-03 Ola", "--into", "B", "--share")
	require.Zero(t, status, out)
	whole(first + " 3")
}

// Bags of others are known as well; nothing in them leads out.
func TestBagsOfOthersAreChecked(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "bag/bagit.txt", "BagIt-Version: 0.97\nTag-File-Character-Encoding: UTF-8\n", "bag/data/a.txt", "one\n",
		"bag/manifest-md5.txt", "5bbf5a52328e7439ae6e719dfe712200  data/a.txt\r\n", "secret.txt", "one\n")
	out, status := d.run("check", "bag")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "Whole: the bag bag holds what it held: 1 file")
	for text, want := range map[string]string{
		"5bbf5a52328e7439ae6e719dfe712200  ../secret.txt\n": "leads out of the bag",
		"5bbf5a52328e7439ae6e719dfe712200  data/b.txt\n":    "missing data/b.txt",
		"00bf5a52328e7439ae6e719dfe712200  data/a.txt\n":    "changed data/a.txt",
		"hello": "is no checksum with a path",
	} {
		d.write("bag/manifest-md5.txt", text)
		out, status := d.run("check", "bag")
		assert.Equal(t, 1, status, text)
		assert.Contains(t, out, want)
	}
	d.write("bag/manifest-md5.txt", "5bbf5a52328e7439ae6e719dfe712200  data/link.txt\n")
	require.NoError(t, os.Symlink(filepath.Join(d.dir, "secret.txt"), filepath.Join(d.dir, "bag/data/link.txt")))
	out, status = d.run("check", "bag")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "unread data/link.txt", "no link is followed")
}

// A project comes back from its backups, of whatever form: what is missing as it was, what differs with
// a yes, today's beside it; also where nothing of it is there any more. One undo takes it back.
func TestAProjectComesBackFromItsBackup(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Notes\n    Photos\n", "B/own.txt", "mine")
	for _, client := range []string{"Ann", "Bob"} {
		d.run("build", "t", "client="+client, "--into", ".", "--yes")
		for _, name := range []string{"1", "2", "3"} {
			d.write(client+"/Notes/"+name+".txt", client+name)
		}
	}
	require.NoError(t, os.Symlink("../Notes", filepath.Join(d.dir, "Ann/Photos/link")))
	before := d.whole("Ann")
	for _, form := range [][]string{{"--share"}, {"--share"}, {"--zip"}, {"--bag"}} {
		out, status := d.run(append([]string{"backup", "Ann", "Bob", "--into", "B"}, form...)...)
		require.Zero(t, status, out)
	}
	require.NoError(t, os.Remove(filepath.Join(d.dir, "Ann/Notes/1.txt")))
	d.write("Ann/Notes/2.txt", "another")
	d.write("Ann/Notes/new.txt", "new")
	whole := d.whole("Ann")
	out, status := d.run("backup", "--back", "Ann", "--into", "B", "--yes")
	assert.Equal(t, 1, status, "a question is left: %s", out)
	assert.Contains(t, out, "+ Notes/1.txt")
	assert.Contains(t, out, "? Notes/2.txt   today it holds something else, which stays as 2 (from ")
	assert.Equal(t, "another", d.read("Ann/Notes/2.txt"))
	d.run("undo", "--yes")
	assert.Equal(t, whole, d.whole("Ann"))
	w := d.window(140, d.environment(), "backup", "--back", "Ann", "--into", "B")
	w.answer("Bring back ", "y")
	w.answer("Bring 2 files of Ann back?", "y")
	out, status = w.end()
	assert.Zero(t, status, out)
	assert.Equal(t, "Ann2", d.read("Ann/Notes/2.txt"))
	aside, err := filepath.Glob(filepath.Join(d.dir, "Ann/Notes/2 (from *).txt"))
	require.NoError(t, err)
	assert.Len(t, aside, 1, "today's stays beside it")

	backups, err := filepath.Glob(filepath.Join(d.dir, "B/Ann*"))
	require.NoError(t, err)
	require.Len(t, backups, 4)
	for _, at := range backups {
		require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "Ann")))
		out, status = d.run("backup", "--back", "Ann", at, "--yes")
		require.Zero(t, status, out)
		back := d.whole("Ann")
		for at, what := range before {
			if !strings.HasSuffix(at, "/") { // folders have times of their own
				assert.Equal(t, what, back[at], at)
			}
		}
		out, status = d.run("check", "Ann")
		assert.Zero(t, status, out)
	}
	// A part; another project's; one that is not whole any more.
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, "Ann/Notes")))
	out, status = d.run("backup", "--back", "Ann", "--into", "B", "--only", "Notes/3.txt", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, []string{"3.txt"}, d.has("Ann/Notes"))
	bobs, err := filepath.Glob(filepath.Join(d.dir, "B/Bob*"))
	require.NoError(t, err)
	out, status = d.run("backup", "--back", "Ann", bobs[0], "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "is of another project, Bob")
	notes := filepath.Join(backups[0], "Notes/1.txt")
	require.NoError(t, os.Chmod(notes, 0o666))
	require.NoError(t, os.WriteFile(notes, []byte("spoilt"), 0o666))
	out, status = d.run("backup", "--back", "Ann", backups[0], "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "holds no longer what it held: nothing was brought back.")

	// Backups are checked as backups, wherever they stand.
	out, status = d.run(append([]string{"check", "Bob"}, backups...)...)
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "backup, 4 files compared")
	assert.Contains(t, out, "Notes/1.txt  is changed: it holds something else [whole]")
	assert.Contains(t, out, "2 errors in 5 folders; 3 well.", "two of them share what they hold")
	out, status = d.run("check", "B")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "archive, 4 files compared")
	out, _ = d.run("check", ".")
	assert.Contains(t, out, "backups were not compared; to do that: vestibula check \"B/Ann")
	out, _ = d.run("projects", "B")
	assert.Contains(t, out, "6 backups, and no project")
	out, _ = d.run("compare", "Ann", backups[0])
	assert.Contains(t, out, "holds no longer all that it held: 1 problem")
}

// Older backups are removed for ever only by an answer of its own; where the clock went back, none
// is moved aside.
func TestRoomOfOlderBackupsIsFreedWhereItIsAsked(t *testing.T) {
	t.Parallel()
	d := jobsDesk(t)
	d.write("B/own.txt", "mine")
	name := "2025-03 Ola " + time.Now().Format(time.DateOnly)
	d.must("backup", "C/2025-03 Ola", "--into", "B")
	d.write("C/2025-03 Ola/Letters/long.txt", strings.Repeat("words ", 40_000))
	d.must("backup", "C/2025-03 Ola", "--into", "B")
	d.must("backup", "C/2025-03 Ola", "--into", "B", "--keep", "1", "--yes")
	require.DirExists(t, filepath.Join(d.dir, "B/Older", name+" 2"))
	out, status := d.run("backup", "C/2025-03 Ola", "--into", "B", "--free", "--yes")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "only where somebody can be asked")
	for _, yes := range []string{"n", "y"} {
		require.DirExists(t, filepath.Join(d.dir, "B/Older", name+" 2"))
		w := d.window(100, []string{"XDG_STATE_HOME=" + filepath.Join(d.dir, ".state")}, "backup", "C/2025-03 Ola", "--into", "B", "--free")
		w.answer("cannot be taken back", yes)
		out, _ = w.end()
	}
	assert.Contains(t, out, "Freed")
	assert.NotContains(t, d.has("B"), "Older/"+name+"/")
	for _, at := range d.has("B") {
		assert.NotContains(t, at, ".vestibula-0", "nothing of it is kept")
	}
	out, status = d.run("undo", "--yes", "--preview")
	assert.Zero(t, status)
	assert.NotContains(t, out, "Older/"+name)

	list := d.read("B/" + name + " 3/.vestibula-backup.json")
	d.write("B/"+name+" 3/.vestibula-backup.json", regexp.MustCompile(`"made": "20`).ReplaceAllString(list, `"made": "21`))
	out, status = d.run("backup", "C/2025-03 Ola", "--into", "B", "--keep", "1", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "the clock went back")
	assert.DirExists(t, filepath.Join(d.dir, "B", name+" 3"))
}
