//go:build unix

package main

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"
)

// filled builds a project of 10,000 files.
func filled(b *bench, into string) (project string) {
	list := filepath.Join(b.dir, "filled.folders")
	check(os.WriteFile(list, []byte("---\nfields: { job: Which? }\n---\n<job>\n    Photographs\n"), 0o666))
	check(os.MkdirAll(into, 0o777))
	timed(b.program, "build", list, "--into", into, "job=A", "--yes")
	project = filepath.Join(into, "A")
	card(filepath.Join(project, "Photographs"))
	return project
}

// run times a line of a shell.
func run(line string, args ...string) time.Duration {
	cmd := exec.Command("sh", append([]string{"-c", line, "sh"}, args...)...)
	cmd.Stdout, cmd.Stderr = new(bytes.Buffer), os.Stderr
	begin := time.Now()
	check(cmd.Run())
	return time.Since(begin)
}

// archiveFiles compares archiving a project of 10,000 files on another disk, synced, read
// back and compared, with copying it there, a sync, and checksums of the copy. Neither
// takes anything away; the program does that as well.
func archiveFiles(b *bench) (ours, theirs measure, err error) {
	master := filled(b, filepath.Join(b.dir, "masters"))
	other, err := os.MkdirTemp("", "vestibula-bench-")
	check(err)
	b.after = append(b.after, func() { os.RemoveAll(other) })
	projects, shelf, copied := filepath.Join(b.dir, "live"), filepath.Join(other, "shelf"), filepath.Join(other, "copy")
	ours = seconds(func() time.Duration {
		check(os.RemoveAll(projects))
		check(os.RemoveAll(shelf))
		check(os.MkdirAll(projects, 0o777))
		check(os.MkdirAll(shelf, 0o777))
		run(`cp -a "$1" "$2" && sync`, master, projects)
		return timed(b.program, "archive", filepath.Join(projects, "A"), "--into", shelf, "--yes", "--json")
	})
	theirs = seconds(func() time.Duration {
		check(os.RemoveAll(copied))
		run("sync")
		return run(`cp -r "$1" "$2" && sync && find "$2" -type f -print0 | xargs -0 sha256sum`, master, copied)
	})
	return ours, theirs, nil
}

// shareBackups compares the next backup of a project of 10,000 files, of which 10 changed,
// with a copy by other names and a walk over both.
func shareBackups(b *bench) (ours, theirs measure, err error) {
	project := filled(b, filepath.Join(b.dir, "sharing"))
	into, linked := filepath.Join(b.dir, "backups"), filepath.Join(b.dir, "linked")
	check(os.MkdirAll(into, 0o777))
	timed(b.program, "backup", project, "--into", into, "--share")
	n := 0
	ours = seconds(func() time.Duration {
		for i := range 10 {
			n++
			check(os.WriteFile(filepath.Join(project, "Photographs/DCIM/000", fmt.Sprintf("P%05d.jpg", i*40)), fmt.Append(nil, n), 0o666))
		}
		return timed(b.program, "backup", project, "--into", into, "--share", "--json")
	})
	theirs = seconds(func() time.Duration {
		check(os.RemoveAll(linked))
		return run(`cp -al "$1" "$2" && find "$1" "$2" -printf '%p %s %T@\n'`, project, linked)
	})
	return ours, theirs, nil
}

// checkBag compares checking a bag of 10,000 files with the checksums alone.
func checkBag(b *bench) (ours, theirs measure, err error) {
	project := filled(b, filepath.Join(b.dir, "bagging"))
	into := filepath.Join(b.dir, "bags")
	check(os.MkdirAll(into, 0o777))
	timed(b.program, "backup", project, "--into", into, "--bag")
	list, err := filepath.Glob(filepath.Join(into, "A *"))
	check(err)
	ours = seconds(func() time.Duration { return timed(b.program, "check", list[0]) })
	theirs = seconds(func() time.Duration { return run(`cd "$1" && sha256sum -c manifest-sha256.txt`, list[0]) })
	return ours, theirs, nil
}
