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
	"github.com/stretchr/testify/require"
)

// advised is a command that the program tells a person to type: it ends its line.
var advised = regexp.MustCompile(`(?m)(?:^|[\s:])vestibula ((?:--help|[a-z]+)(?: [^\n]*)?)$`)

// followed counts the pieces of advice that were followed, and different ones of them.
var (
	followed  atomic.Int64
	takenBack atomic.Int64 // whole desks that were as before
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
	back := d.before != nil && strings.HasPrefix(command, "undo ") && strings.Contains(out, "To take it back: vestibula "+command)
	for range 3 {
		said, status := d.exec(shell, "-c", "vestibula "+command)
		switch {
		case status == 0, status == 1 && strings.HasPrefix(command, "check "), status == 1 && strings.HasPrefix(command, "projects "):
			if back {
				takenBack.Add(1)
				assert.Empty(d.t, differing(d.before, d.own()), "%q is not taken back by %s: %s\n%s", args, command, out, said)
			}
			return // it did, or showed, what it is for
		case status == 1 && strings.HasSuffix(command, "--json") && strings.ContainsAny(said, "{["),
			status == 1 && strings.HasSuffix(command, " --all") && len(said) > len(out):
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
	if _, err := exec.LookPath("cp"); err != nil || len(d.has(".")) > mostCopied {
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
		"vestibula check Cat --fix fixes it, after all.\nx":      "check Cat --fix fixes it, after all.",
		"the commands: vestibula --help":                         "--help",
	} {
		got := ""
		if m := advised.FindStringSubmatch(text); m != nil {
			got = m[1]
		}
		assert.Equal(t, want, got)
	}
}

// tellFollowed writes how much advice was followed into the file that is asked for.
func tellFollowed() {
	file := os.Getenv("VESTIBULA_COUNT")
	if file == "" {
		return
	}
	n := 0
	different.Range(func(any, any) bool { n++; return true })
	_ = os.WriteFile(file, fmt.Appendf(nil, "%d pieces of advice were printed, %d of them followed; %d changes were so taken back, and all was as before\n", followed.Load(), n, takenBack.Load()), 0o666)
}

// Places are taken as they are listed, also those whose names wait for a value.
func TestPlacesAreTakenAsTheyAreListed(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who?, people: { type: list, default: [Ann, Bo] }, topic: What? }\nnames: { memo: \"<topic> memo\" }\n---\n<client>\n    Rooms\n        <person> | each: person in people\n            Trips | later\n            <topic> | later | holds: memo\n    Extra | later\n", "C/x", "")
	d.must("build", "t", "client=Kay", "--into", "C", "--yes")
	out, status := d.run("add", "C/Kay")
	require.Zero(t, status, out)
	listed := 0
	for line := range strings.Lines(out) {
		place, needs, _ := strings.Cut(strings.TrimSpace(line), "/   ")
		args := []string{"add", "C/Kay", place, "--preview"}
		if strings.HasPrefix(needs, "needs topic") {
			args = append(args, "topic=tax")
		}
		out, status := d.run(args...)
		assert.Zero(t, status, "%q: %s", args, out)
		listed++
	}
	assert.Equal(t, 5, listed)
	for _, args := range [][]string{{"add", "C/Kay", "Trips", "--yes"}, {"add", "C/Kay", "topic=tax", "--yes"}} {
		out, status := d.run(args...) // what it advises is followed
		assert.Equal(t, 2, status, out)
		assert.Contains(t, out, "2 folders can be meant")
	}
}

// An edit of a template that is advised does what was said of it, with the upgrade behind it.
func TestAnEditThatIsAdvisedWorks(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "t.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters | holds: documents\n    Drawings\n", "C/x", "", "In/plan.svg", "<svg/>")
	d.must("build", "t", "client=Kay", "--into", "C", "--yes")
	out, status := d.run("put", "In", "--into", "C")
	require.Zero(t, status, out)
	edit := regexp.MustCompile("write `(holds: [^`]*)` behind a folder in (.*), and then: vestibula (.*)").FindStringSubmatch(out)
	require.NotNil(t, edit, out)
	d.write(edit[2], strings.Replace(d.read(edit[2]), "    Drawings\n", "    Drawings | "+edit[1]+"\n", 1))
	out, status = d.exec(shell, "-c", "vestibula "+edit[3]+" --yes")
	require.Zero(t, status, out)
	out, status = d.run("put", "In", "--into", "C", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, d.has("C"), "Kay/Drawings/plan.svg")
}

// Words are quoted so that a shell gives them back, whatever they hold.
func TestWhatIsAdvisedSurvivesTheShell(t *testing.T) {
	t.Parallel()
	for _, name := range []string{"a b", "it's", `say "x"`, "$HOME", "`id`", "a\\b", "!x", "~", "-rf", "a*b?[c]", "x=y z", "#1", "a;b|c&d", "(x)", "ä ö", "no\xfftext", "new\nline", "\u202e", "tab\t", "{a,b}"} {
		d := newDesk(t, name+"/t.folders", "A\n", "C/x", "")
		_, err := os.Lstat(filepath.Join(d.dir, name))
		require.NoError(t, err)
		// Its plan ends with the call that carries it out.
		out, _ := d.run("build", "./"+name+"/t.folders", "--into", "./"+name)
		next := nextStep(out)
		require.NotEmpty(t, next, out)
		out, status := d.exec(shell, "-c", "vestibula "+next)
		assert.Zero(t, status, "%q: %s\n%s", name, next, out)
		assert.DirExists(t, filepath.Join(d.dir, name, "A"))
	}
}

// own is what people have on a desk: their files, and what these hold.
func (d *desk) own() map[string]string {
	all := map[string]string{}
	for _, at := range d.has(".") {
		full := filepath.Join(d.dir, at)
		if strings.HasPrefix(at, ".state") || strings.Contains("/"+at, "/.vestibula-") {
			continue
		}
		target, _ := os.Readlink(full)
		if all[at] = target; target == "" && !strings.HasSuffix(at, "/") {
			if info, err := os.Lstat(full); err == nil && info.Mode().IsRegular() {
				all[at] = fmt.Sprint(info.Size())
				if info.Size() < 1<<20 {
					text, _ := os.ReadFile(full)
					all[at] = string(text)
				}
			}
		}
	}
	return all
}

// differing are the paths at which two desks differ.
func differing(a, b map[string]string) (list []string) {
	for at, text := range a {
		if other, there := b[at]; !there {
			list = append(list, "- "+at)
		} else if other != text {
			list = append(list, "~ "+at+": "+other)
		}
	}
	for at := range b {
		if _, there := a[at]; !there {
			list = append(list, "+ "+at)
		}
	}
	return list
}
