//go:build unix

package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
)

// advised is a command that the program tells a person to type: it ends its line.
var advised = regexp.MustCompile(`(?m)(?:^|[\s:])vestibula ((?:--help|[a-z]+)(?: [^\n]*)?)$`)

// followed counts the pieces of advice that were followed, and different ones of them.
var (
	followed  atomic.Int64
	different sync.Map
)

// shapeOf is an advice without what differs from desk to desk.
func shapeOf(command string) string {
	return regexp.MustCompile(`\d+|/[^ "']*`).ReplaceAllString(command, "#")
}

// shell is one that knows all of POSIX; the smallest ones do not know $'…'.
var shell = map[bool]string{true: "bash", false: "sh"}[exec.Command("bash", "-c", "true").Run() == nil]

// follow follows each advice that an output holds, as it was printed, in the state in which
// it was printed: it must not be refused. Each sees a copy of the desk; nothing is left of
// it. What only shows a plan there is carried out as it says next.
func (d *desk) follow(args []string, out string) {
	if len(args) == 0 || args[0] == "demo" || args[0] == "help" || args[len(args)-1] == "--help" || d.following || strings.Contains(out, "\x1b") || slices.Contains(args, "--json") || strings.Contains(out, "note: it lies in ") {
		return
	}
	for _, arg := range args {
		if filepath.IsAbs(arg) && !strings.HasPrefix(arg, d.dir) {
			return // what lies elsewhere is not copied
		}
	}
	for _, found := range advised.FindAllStringSubmatch(out, -1) {
		command := found[1]
		if strings.Contains(command, "…") || strings.ContainsAny(command, "‹›") {
			continue // to be filled in
		}
		followed.Add(1)
		if _, known := different.LoadOrStore(d.t.Name()+shapeOf(command), true); known {
			continue
		}
		d.inACopy(func() { d.do(args, out, command) })
	}
}

// do types an advice, and what it says next.
func (d *desk) do(args []string, out, command string) {
	for range 3 {
		said, status := d.exec(shell, "-c", "vestibula "+command)
		switch {
		case status == 0, status == 1 && strings.HasPrefix(command, "check "), status == 1 && strings.HasPrefix(command, "projects "):
			return // it did, or showed, what it is for
		case status == 1 && strings.HasSuffix(command, "--json") && strings.ContainsAny(said, "{["):
			return // a list of all
		case status == 1 && !strings.Contains(command, "--yes"):
			if next := nextStep(said); next != "" {
				command = next
				continue
			}
		}
		assert.Fail(d.t, "an advice that fails", "%q printed\n%s\nwhich ends in the advice\n  vestibula %s\nwhich ends with %d:\n%s", args, out, command, status, said)
		return
	}
}

// nextStep is the call that a plan ends with, which carries it out.
func nextStep(said string) string {
	if !strings.Contains(said, "Nothing was changed yet.") {
		return ""
	}
	for _, found := range advised.FindAllStringSubmatch(said, -1) {
		if strings.Contains(found[1], "--yes") {
			return found[1]
		}
	}
	return ""
}

// mostCopied is how much a desk may hold that is copied for each advice.
const mostCopied = 1500

// inACopy does something while a copy of the desk, at its own path, stands in its place.
func (d *desk) inACopy(do func()) {
	if len(d.has(".")) > mostCopied {
		return
	}
	away, err := os.MkdirTemp("", "vestibula-aside-") // not beside it, where things that were moved are looked for
	if err != nil {
		return
	}
	defer os.RemoveAll(away)
	aside := filepath.Join(away, "desk")
	if os.Rename(d.dir, aside) != nil {
		return // something is mounted in it
	}
	copied, err := exec.Command("cp", "-a", aside, d.dir).CombinedOutput()
	d.following = true
	defer func() {
		d.following = false
		_ = exec.Command("chmod", "-R", "u+rwx", d.dir).Run()
		assert.NoError(d.t, os.RemoveAll(d.dir))
		assert.NoError(d.t, os.Rename(aside, d.dir))
	}()
	if assert.NoError(d.t, err, "%s", copied) {
		do()
	}
}

func TestAdviceIsFound(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		"to bring it back: vestibula archive --back \"C/Two\"\n": `archive --back "C/Two"`,
		"  vestibula check Cat --fix\n":                          "check Cat --fix",
		"vestibula: that is wrong\n":                             "",
		"vestibula check Cat --fix mends it, after all.\nx":      "check Cat --fix mends it, after all.",
		"the commands: vestibula --help":                         "--help",
	} {
		got := ""
		if m := advised.FindStringSubmatch(text); m != nil {
			got = m[1]
		}
		assert.Equal(t, want, got)
	}
}

// tellFollowed prints how much advice was followed, for bench/README.md.
func tellFollowed() {
	if os.Getenv("VESTIBULA_COUNT") == "" {
		return
	}
	n := 0
	different.Range(func(any, any) bool { n++; return true })
	fmt.Fprintf(os.Stderr, "%d pieces of advice were printed, %d of them followed\n", followed.Load(), n)
}
