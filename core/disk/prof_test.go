package disk

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"vestibula/core/change"
	"vestibula/core/journal"
)

func BenchmarkMove(b *testing.B) {
	top, _ := os.MkdirTemp("/dev/shm", "mv")
	defer os.RemoveAll(top)
	place := filepath.Join(top, "p")
	name := func(f, i int, s string) string {
		return fmt.Sprintf("Project %04d/2027-03-09 photograph %03d%s.jpg", f, i, s)
	}
	for f := range 1000 {
		os.MkdirAll(filepath.Join(place, fmt.Sprintf("Project %04d", f)), 0o777)
		for i := range 100 {
			os.WriteFile(filepath.Join(place, name(f, i, "")), nil, 0o666)
		}
	}
	from, to := "", " moved"
	for b.Loop() {
		t0 := time.Now()
		set := &change.Set{Places: []string{place}}
		for f := range 1000 {
			for i := range 100 {
				set.Changes = append(set.Changes, change.Change{Op: change.Move, From: name(f, i, from), Path: name(f, i, to)})
			}
		}
		t1 := time.Now()
		p, err := Prepare(set)
		t2 := time.Now()
		if err != nil || len(p.Blocked) > 0 {
			b.Fatal(err, p.Blocked[:1])
		}
		w := &Writer{Dir: filepath.Join(top, "state")}
		if _, err = w.Apply(p, journal.Head{}); err != nil {
			b.Fatal(err)
		}
		fmt.Println(t1.Sub(t0), t2.Sub(t1), time.Since(t2))
		from, to = to, from
	}
}
