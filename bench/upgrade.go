//go:build unix

package main

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"
)

// upgradeMany compares bringing a thousand projects of a hundred entries to a template
// in which one folder has another number with a bare loop of as many renames, and with
// reading what has to be read for it: what lies in them, and what labels and texts hold.
func upgradeMany(b *bench) (ours, theirs measure, err error) {
	var table strings.Builder
	table.WriteString("client\n")
	for i := range size(1000) {
		fmt.Fprintf(&table, "Client %04d\n", i)
	}
	file, rows, into := filepath.Join(b.dir, "shelf.folders"), filepath.Join(b.dir, "shelf.csv"), filepath.Join(b.dir, "shelves")
	write := func(number int) {
		var outline strings.Builder
		outline.WriteString("---\nfields: { client: Who?, stages: { type: list, default: [survey, repair, sewing] } }\n---\n<client>\n")
		for i := range 9 {
			fmt.Fprintf(&outline, "    <#> Place %c\n        <#> <stage> | each: stage in stages\n            Notes/\n            list.ods\n        read me.md\n", 'A'+i)
		}
		fmt.Fprintf(&outline, "    <#> Settled | number: %d\n", number)
		check(os.WriteFile(file, []byte(outline.String()), 0o666))
	}
	numbers := [2]int{90, 95}
	write(numbers[0])
	check(os.WriteFile(rows, []byte(table.String()), 0o666))
	check(os.Mkdir(into, 0o777))
	timed(b.program, "build", file, "--into", into, "--table", rows, "--yes", "--limit", "200000")
	turn := func() { numbers[0], numbers[1] = numbers[1], numbers[0] }
	ours = seconds(func() time.Duration {
		turn()
		write(numbers[0])
		return timed(b.program, "upgrade", into, "--template", file, "--yes")
	})
	theirs = seconds(func() time.Duration {
		begin := time.Now()
		check(filepath.WalkDir(into, func(at string, d fs.DirEntry, err error) error {
			if err == nil && !d.IsDir() && (strings.HasSuffix(at, ".md") || d.Name() == ".vestibula.json") {
				_, err = os.ReadFile(at)
			}
			return err
		}))
		for i := range size(1000) {
			at := filepath.Join(into, fmt.Sprintf("Client %04d", i))
			check(syscall.Rename(filepath.Join(at, fmt.Sprintf("%d Settled", numbers[0])), filepath.Join(at, fmt.Sprintf("%d Settled", numbers[1]))))
		}
		took := time.Since(begin)
		for i := range size(1000) { // as the labels have it
			at := filepath.Join(into, fmt.Sprintf("Client %04d", i))
			check(syscall.Rename(filepath.Join(at, fmt.Sprintf("%d Settled", numbers[1])), filepath.Join(at, fmt.Sprintf("%d Settled", numbers[0]))))
		}
		return took
	})
	return ours, theirs, nil
}
