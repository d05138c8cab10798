//go:build unix

package main

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"

	"vestibula/cli"
	"vestibula/core/folder/foldertest"
)

// cutMain is the program with a fault before one of its operations that change something: it is
// killed there, or the operation fails, once or from then on. VESTIBULA_CUT says which, as
// "12 kill", "12 EIO once" or "12 ENOSPC". Behind it, the number of operations is noted.
func cutMain(what string) int {
	words := strings.Fields(what)
	f := &foldertest.Fault{Writes: true}
	f.At, _ = strconv.Atoi(words[0])
	if words[1] == "kill" {
		f.Rival = func() {
			_ = syscall.Kill(os.Getpid(), syscall.SIGKILL)
			select {}
		}
	} else {
		f.Err, f.Once = cutErrors[words[1]], len(words) > 2
	}
	f.Inject()
	status := cli.Main()
	_ = os.WriteFile(os.Getenv("VESTIBULA_CUT_COUNT"), []byte(strconv.Itoa(f.Done)), 0o666)
	return status
}

var cutErrors = map[string]error{"EIO": syscall.EIO, "ENOSPC": syscall.ENOSPC, "EACCES": syscall.EACCES, "EROFS": syscall.EROFS, "ESTALE": syscall.ESTALE, "ENOENT": syscall.ENOENT}

// cutStories are cut short beside those of which records are kept.
var cutStories = map[string][]string{
	"archive-copy":  {"archive C/Ola-2027-03 --copy --into S --yes"},
	"archive-named": {"archive|C/Ola-2027-03|--rename|<client> old|--into|S|--yes"},
	"named-back":    {"archive|C/Ola-2027-03|--rename|<client> old|--into|" + cutDisk + "named-back|--yes", "archive --back C/Ola-2027-03 --yes"},
	"archive-disk":  {"archive|C/Ola-2027-03|--into|" + cutDisk + "archive-disk|--yes"},
	"back-disk":     {"archive|C/Ola-2027-03|--into|" + cutDisk + "back-disk|--yes", "archive --back C/Ola-2027-03 --yes"},
	"part-disk":     {"archive|C/Ola-2027-03|--only|Notes|--into|" + cutDisk + "part-disk|--yes"},
	"backup-disk":   {"backup|C/Ola-2027-03|--into|" + cutDisk + "backup-disk|--yes"},
	"backup-keep":   {"backup C/Ola-2027-03 --into S --yes", "backup C/Ola-2027-03 --keep 1 --into S --yes"},
	"backup-back":   {"backup C/Ola-2027-03 --into S --yes", "do moves.csv --yes", "backup --back C/Ola-2027-03 --into S --yes"},
	"put-disk":      {"put|" + cutDisk + "put-disk|--into|C|--move|--yes"},
	"fix-link":      {"put In --into C --link --yes", "do away.csv --fix-links --yes"},
	"upgrade-table": {"build job --into C --table jobs.csv --mark --yes", "upgrade C --template other --yes"},
}

// cutDisk begins the paths of folders on what is another disk, where there is one.
var cutDisk = fmt.Sprintf("/dev/shm/vestibula-cut-%d-", os.Getpid())

// A cutStory is a desk on which one call is cut short, again and again.
type cutStory struct {
	d             *desk
	disk          string     // the folder on another disk
	first         [][]string // the calls before it, which note what things are known by
	call          []string
	operations    int
	before, whole map[string]string
	process       *os.Process
	mask          func(text string) string // what states do not differ by; nil for nothing more
}

// cutRun runs the call with a fault. It returns what was said.
func (s *cutStory) cutRun(what string) (out string, status int) {
	cmd := exec.Command(os.Args[0], s.call...)
	cmd.Dir = s.d.dir
	count := s.d.dir + ".count"
	cmd.Env = append(s.d.environment(), "VESTIBULA_CUT="+what, "VESTIBULA_CUT_COUNT="+count)
	data, _ := cmd.CombinedOutput()
	if n, err := os.ReadFile(count); err == nil && s.operations == 0 {
		s.operations, _ = strconv.Atoi(string(n))
	}
	return string(data), cmd.ProcessState.ExitCode()
}

// again lays the desk out as it was.
func (s *cutStory) again() {
	_ = exec.Command("chmod", "-R", "u+rwx", s.d.dir).Run()
	require.NoError(s.d.t, os.RemoveAll(s.d.dir))
	require.NoError(s.d.t, exec.Command("cp", "-a", s.d.dir+".kept", s.d.dir).Run())
	require.NoError(s.d.t, os.RemoveAll(s.disk))
	require.NoError(s.d.t, os.MkdirAll(s.disk, 0o777))
	require.NoError(s.d.t, os.WriteFile(filepath.Join(s.disk, "Ola letter 2.pdf"), []byte("another"), 0o640))
	for _, call := range s.first {
		s.d.must(call...)
	}
}

// What differs from one run to another, and whether it was cut short or not.
var (
	cutWork  = regexp.MustCompile(`\.vestibula-[0-9a-z]{12}`)
	cutStamp = regexp.MustCompile(`"id": "[^"]*"|"(?:built|on|when|at)": "[^"]*"|20\d\d-\d\d-\d\d[ T]\d\d[:.]\d\d(?:[:.]\d\d)?(?:\.\d+)?(?:Z|[+-]\d\d:\d\d)?|(?m),[0-9a-z]{12}$`)
)

// state is all that lies on the desk beside what the program remembers.
func (s *cutStory) state() map[string]string {
	all := map[string]string{}
	_ = filepath.WalkDir(s.disk, func(at string, e os.DirEntry, err error) error {
		all[cutWork.ReplaceAllString(at, ".vestibula-")] = ""
		if data, err := os.ReadFile(at); err == nil {
			all[cutWork.ReplaceAllString(at, ".vestibula-")] = cutStamp.ReplaceAllString(string(data), "")
		}
		return nil
	})
	for _, at := range s.d.has(".") {
		if strings.HasPrefix(at, ".state/") {
			if strings.HasSuffix(at, ".contents") || strings.HasSuffix(at, ".open") && strings.Contains(s.d.read(at), "\n") { // else nothing was ever written
				all[at] = "left over"
			}
			continue
		}
		name := cutStamp.ReplaceAllString(cutWork.ReplaceAllString(at, ".vestibula-"), "")
		if full := filepath.Join(s.d.dir, at); strings.HasSuffix(at, "/") {
			all[name] = ""
		} else if to, err := os.Readlink(full); err == nil {
			all[name] = to
		} else if strings.HasSuffix(at, ".zip") || strings.Contains(at, "tagmanifest") { // sums of what holds times
			all[name] = "there"
		} else {
			all[name] = cutStamp.ReplaceAllString(s.d.read(at), "")
		}
	}
	if s.mask != nil {
		for at, is := range all {
			all[at] = s.mask(is)
		}
	}
	return all
}

// dress is what all on the desk bears beside its contents: rights and times.
func (s *cutStory) dress() map[string]string {
	all := s.d.whole(".")
	maps.DeleteFunc(all, func(at, _ string) bool { return strings.HasPrefix(at, ".state") })
	return all
}

func newCutStory(t *testing.T, name string) *cutStory {
	calls := slices.Concat(recordStories[name], cutStories[name])
	whose := strings.ReplaceAll(strings.TrimSuffix(strings.TrimPrefix(t.Name(), "Test"), "/"+name), "/", "-")
	d := recordDesk(t, fmt.Sprintf("cut-%d-%s-%s", os.Getpid(), strings.ToLower(whose), name))
	t.Cleanup(func() {
		_ = exec.Command("chmod", "-R", "u+rwx", d.dir+".kept").Run()
		_ = os.RemoveAll(d.dir + ".kept")
		_ = os.Remove(d.dir + ".count")
	})
	words := func(call string) []string {
		if strings.Contains(call, "|") {
			return strings.Split(call, "|")
		}
		return strings.Fields(call)
	}
	d.write("away.csv", "from,to\n./In/Ola letter.pdf,./In/letter of Ola.pdf\n")
	disk := d.dir + ".disk"
	if strings.HasSuffix(name, "-disk") || strings.HasSuffix(name, "named-back") {
		disk = cutDisk + name
	}
	t.Cleanup(func() { _ = os.RemoveAll(disk) })
	s := &cutStory{d: d, disk: disk, call: words(calls[len(calls)-1])}
	for _, call := range calls[:len(calls)-1] {
		s.first = append(s.first, words(call))
	}
	require.NoError(t, exec.Command("cp", "-a", d.dir, d.dir+".kept").Run())
	s.again()
	s.before = s.state()
	out, status := s.cutRun("0 none")
	require.Contains(t, []int{0, 1}, status, out) // what is left is told with 1
	s.whole = s.state()
	require.NotEqual(t, s.before, s.whole, out)
	return s
}

// ends are the ways out that were printed, each as the words behind the program's name.
var ends = regexp.MustCompile(`vestibula ((?:undo|history --finish) \d+)`)

// settled requires that the desk is as the whole run leaves it, or as it was.
func (s *cutStory) settled(what string, states ...map[string]string) {
	now := s.state()
	var unlike []string
	for _, state := range states {
		unlike = append(unlike, "\nunlike a state that it may have:")
		differs := false
		for at := range state {
			if _, there := now[at]; !there {
				unlike, differs = append(unlike, "- "+at), true
			}
		}
		for at, is := range now {
			if was, there := state[at]; !there || was != is {
				unlike, differs = append(unlike, fmt.Sprintf("+ %s\n    %q\n    %q", at, was, is)), true
			}
		}
		if !differs {
			return
		}
	}
	require.Fail(s.d.t, "not whole, and not as before", what+strings.Join(unlike, "\n"))
}

// Whatever command is killed before any of its changes of a disk, or any of these fails: the advice
// that is printed then is followed, and ends where the whole run would have, or where it began.
// VESTIBULA_KILLS is how many of each command are tried.
func TestWhatWasCutShortIsFinishedOrTakenBack(t *testing.T) {
	t.Parallel()
	each := 2
	if os.Getenv("VESTIBULA_KILLS") != "" {
		each = kills(t)
	}
	var mutex sync.Mutex
	tried := map[string]int{}
	names := slices.Concat(slices.Collect(maps.Keys(recordStories)), slices.Collect(maps.Keys(cutStories)))
	if _, err := os.Stat(filepath.Dir(cutDisk)); err != nil {
		names = slices.DeleteFunc(names, func(name string) bool { return strings.HasSuffix(name, "-disk") })
	}
	for _, name := range names {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := newCutStory(t, name)
			points := rand.Perm(s.operations)
			for i, k := range points[:min(each, len(points))] {
				what := fmt.Sprintf("%d kill", k+1)
				if i%2 == 1 {
					what = fmt.Sprintf("%d %s", k+1, []string{"EIO", "ENOSPC", "EACCES", "EROFS", "ESTALE", "ENOENT"}[rand.IntN(6)])
					if rand.IntN(2) == 0 {
						what += " once"
					}
				}
				how := s.try(what)
				mutex.Lock()
				tried[how]++
				mutex.Unlock()
			}
		})
	}
	t.Cleanup(func() { t.Logf("%v", tried) })
}

// try cuts the call short, and follows what is said then.
func (s *cutStory) try(what string) (how string) {
	d := s.d
	s.again()
	dress := s.dress()
	out, _ := s.cutRun(what)
	said, _ := d.run("history")
	told := fmt.Sprintf("%s of %d\n%s\n%s", what, s.operations, out, said)
	for _, look := range [][]string{{"check", "C"}, {"projects", "C"}, {"projects", "S"}, {"read", "C"}} {
		_, status := d.run(look...)
		require.NotEqual(d.t, -1, status, "%v %s", look, told)
	}
	ways := ends.FindAllStringSubmatch(said, -1)
	if !strings.Contains(said, "cut short") {
		s.settled(told, s.before, s.whole)
		return "over"
	}
	require.NotEmpty(d.t, ways, told)
	var words []string
	for _, w := range ways {
		words = append(words, w[1])
	}
	if finish := slices.IndexFunc(words, func(w string) bool { return strings.Contains(w, "finish") }); finish >= 0 && rand.IntN(2) == 0 {
		words = []string{words[finish]}
		if rand.IntN(2) == 0 {
			words = []string{strings.Join(s.call, "|")}
		}
	} else if s.call[0] != "undo" {
		words = slices.DeleteFunc(words, func(w string) bool { return strings.Contains(w, "finish") })
	}
	call := strings.Split(words[0], "|")
	if len(call) == 1 {
		call = strings.Fields(words[0])
	}
	if !slices.Contains(call, "--yes") && (call[0] == "undo" || call[0] == "history") {
		call = append(call, "--yes")
	}
	then, status := d.run(call...)
	told += fmt.Sprintf("\n%v (%d)\n%s", call, status, then)
	require.Zero(d.t, status, told)
	if after, _ := d.run("history"); strings.Contains(after, "cut short") {
		require.Fail(d.t, "still cut short", told+after)
	}
	if call[0] == "undo" && s.call[0] != "undo" {
		s.settled(told, s.before)
		require.Equal(d.t, dress, s.dress(), told)
		return "taken back"
	}
	s.settled(told, s.whole)
	return "finished"
}
