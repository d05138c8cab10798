//go:build unix

package main

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"time"
)

// card makes a folder of 10,000 files, many of them small and some large.
func card(dir string) {
	random := rand.New(rand.NewPCG(1, 2))
	block := make([]byte, 2<<20)
	for i := range block {
		block[i] = byte(random.Uint32())
	}
	for i := range size(10_000) {
		size := 2000 + random.IntN(30_000)
		if i%100 == 0 {
			size = len(block) - 8*(i/100)
		}
		at := filepath.Join(dir, fmt.Sprintf("DCIM/%03d", i/500))
		check(os.MkdirAll(at, 0o777))
		data := append(fmt.Appendf(nil, "%08d", i), block[:size-8]...)
		check(os.WriteFile(filepath.Join(at, fmt.Sprintf("P%05d.jpg", i)), data, 0o666))
	}
}

// putFiles compares putting 10,000 files into a project, copied, synced, read back and
// compared, with copying them, a sync, and checksums of the copies.
func putFiles(b *bench) (ours, theirs measure, err error) {
	from, into, other := filepath.Join(b.dir, "card"), filepath.Join(b.dir, "project"), filepath.Join(b.dir, "copy")
	card(from)
	list := filepath.Join(b.dir, "shoot.folders")
	check(os.WriteFile(list, []byte("---\nfields: { job: Which? }\n---\n<job>\n    Photographs | holds: pictures\n    Sound | holds: sound\n"), 0o666))
	check(os.MkdirAll(into, 0o777))
	ours = seconds(func() time.Duration {
		check(os.RemoveAll(filepath.Join(into, "A")))
		timed(b.program, "build", list, "--into", into, "job=A", "--yes")
		exec.Command("sync").Run()
		return timed(b.program, "put", from, "--into", filepath.Join(into, "A"), "--yes", "--json")
	})
	theirs = seconds(func() time.Duration {
		check(os.RemoveAll(other))
		exec.Command("sync").Run()
		cmd := exec.Command("sh", "-c", `cp -r "$1" "$2" && sync && find "$2" -type f -print0 | xargs -0 sha256sum`, "sh", from, other)
		cmd.Stdout = new(bytes.Buffer)
		begin := time.Now()
		check(cmd.Run())
		return time.Since(begin)
	})
	return ours, theirs, nil
}

// clients makes 1,000 projects with names that a convention reads.
func clients(b *bench, dir string) (list string) {
	list = filepath.Join(b.dir, "client.folders")
	check(os.WriteFile(list, []byte("---\nfields: { client: Who? }\nnames: { bill: { pattern: \"<day:yyyy-mm-dd> <client:like-this> bill <n:000>\", fields: { day: { type: date }, n: { type: number, next: yes } }, for: [pdf] } }\n---\n<client>\n    Bills | holds: bill\n    Letters | holds: documents\n"), 0o666))
	table := "client\n"
	for i := range size(1000) {
		table += fmt.Sprintf("Client %04d Marrow\n", i)
	}
	check(os.WriteFile(filepath.Join(b.dir, "clients.csv"), []byte(table), 0o666))
	check(os.MkdirAll(dir, 0o777))
	timed(b.program, "build", list, "--into", dir, "--table", filepath.Join(b.dir, "clients.csv"), "--yes", "--json")
	return list
}

func bill(client, n int) string {
	return fmt.Sprintf("2027-%02d-%02d client-%04d-marrow bill %03d.pdf", 1+n%12, 1+n%28, client, n)
}

// planPut plans putting 100,000 files into 1,000 projects.
func planPut(b *bench) (ours, theirs measure, err error) {
	dir := filepath.Join(b.dir, "clients")
	clients(b, dir)
	in := filepath.Join(b.dir, "arrivals")
	for i := range size(100_000) {
		at := filepath.Join(in, fmt.Sprintf("%03d", i/1000))
		if i%1000 == 0 {
			check(os.MkdirAll(at, 0o777))
		}
		f, err := os.Create(filepath.Join(at, bill(i%size(1000), i/size(1000)+1)))
		check(err)
		check(f.Truncate(int64(i + 1))) // no two of one size
		check(f.Close())
	}
	ours = seconds(func() time.Duration { return timed(b.program, "put", in, "--into", dir, "--preview") })
	return ours, func() float64 { return 2 / float64(shrink) }, nil
}

// renameNames compares renaming 100,000 files by an older shape with a bare loop of
// renames.
func renameNames(b *bench) (ours, theirs measure, err error) {
	dir := filepath.Join(b.dir, "drifted")
	list := filepath.Join(b.dir, "note.folders")
	check(os.WriteFile(list, []byte("---\nnames: { note: \"<day:yyyy-mm-dd> <topic:like-this> <n:00000>\" }\n---\nA\n"), 0o666))
	older := func(i int) string {
		return fmt.Sprintf("%03d/Notes on oak %d.%d.2027 no %d.jpg", i/1000, 1+i%28, 1+i%12, i)
	}
	newer := func(i int) string {
		return fmt.Sprintf("%03d/2027-%02d-%02d notes-on-oak %05d.jpg", i/1000, 1+i%12, 1+i%28, i)
	}
	for i := range size(100_000) {
		if i%1000 == 0 {
			check(os.MkdirAll(filepath.Join(dir, fmt.Sprintf("%03d", i/1000)), 0o777))
		}
		check(os.WriteFile(filepath.Join(dir, older(i)), nil, 0o666))
	}
	rename := func(from, to func(i int) string) time.Duration {
		begin := time.Now()
		for i := range size(100_000) {
			check(os.Rename(filepath.Join(dir, from(i)), filepath.Join(dir, to(i))))
		}
		return time.Since(begin)
	}
	ours = seconds(func() time.Duration {
		took := timed(b.program, "rename", list, "note", dir, "--from", "<topic> <day:d.m.yyyy> no <n:0>", "--yes")
		rename(newer, older)
		return took
	})
	theirs = seconds(func() time.Duration {
		took := rename(older, newer)
		rename(newer, older)
		return took
	})
	return ours, theirs, nil
}

// readMany compares reading the names of 1,000 projects of 100 files with find.
func readMany(b *bench) (ours, theirs measure, err error) {
	dir := filepath.Join(b.dir, "clients-read")
	clients(b, dir)
	for c := range size(1000) {
		for n := range 100 {
			check(os.WriteFile(filepath.Join(dir, fmt.Sprintf("Client %04d Marrow/Bills", c), bill(c, n+1)), nil, 0o666))
		}
	}
	ours = seconds(func() time.Duration { return timed(b.program, "read", dir, "--where", "n=50", "--csv") })
	theirs = seconds(func() time.Duration { return timed("find", dir, "-printf", `%p %s %T@\n`) })
	return ours, theirs, nil
}

// sameMany compares looking for equal contents among 100,000 files, of which no two have
// one size, with find.
func sameMany(b *bench) (ours, theirs measure, err error) {
	dir := filepath.Join(b.dir, "same")
	for i := range size(100_000) {
		at := filepath.Join(dir, fmt.Sprintf("%03d", i/1000))
		if i%1000 == 0 {
			check(os.MkdirAll(at, 0o777))
		}
		f, err := os.Create(filepath.Join(at, fmt.Sprintf("%05d.txt", i)))
		check(err)
		check(f.Truncate(int64(i + 1)))
		check(f.Close())
	}
	ours = seconds(func() time.Duration { return timed(b.program, "check", dir, "--only", "twice") })
	theirs = seconds(func() time.Duration { return timed("find", dir, "-printf", `%p %s %T@\n`) })
	return ours, theirs, nil
}
