//go:build unix

package main

import (
	"bufio"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// watchTemplate measures how long it takes until a change of a template of 500 lines is
// shown, against a tenth of a second.
func watchTemplate(b *bench) (ours, theirs measure, err error) {
	file := filepath.Join(b.dir, "watched.folders")
	text := func(n int) []byte {
		var s strings.Builder
		s.WriteString("---\nfields: { client: Who? }\n---\n<client>\n")
		for i := range 50 {
			fmt.Fprintf(&s, "    %02d Room %d\n", i+1, n)
			for k := range 9 {
				fmt.Fprintf(&s, "        %02d Shelf of %d\n", k+1, i)
			}
		}
		return []byte(s.String())
	}
	check(os.WriteFile(file, text(0), 0o666))
	cmd := exec.Command(b.program, "show", "--watch", file)
	out, err := cmd.StdoutPipe()
	check(err)
	check(cmd.Start())
	b.after = append(b.after, func() { _ = cmd.Process.Kill() })
	lines := bufio.NewScanner(out)
	shown := func(n int) {
		for lines.Scan() && !strings.Contains(lines.Text(), fmt.Sprintf("Room %d/", n)) {
		}
	}
	shown(0)
	n := 0
	ours = seconds(func() time.Duration {
		n++
		begin := time.Now()
		check(os.WriteFile(file, text(n), 0o666))
		shown(n)
		return time.Since(begin)
	})
	return ours, func() float64 { return 0.1 }, nil
}
