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
	for i := range 10_000 {
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
