//go:build unix

package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/drive/drivetest"
)

// On a drive, no file can be a link, and nothing is shared.
var noDriveStories = []string{"put-link", "backup-share", "links", "fix-link", "draft", "fix-template", "name"}

// onDrive is a call of which all places lie on a drive.
func onDrive(call []string) []string {
	out := slices.Clone(call)
	for i, w := range out {
		for _, top := range []string{"C", "S", "In"} {
			if i > 0 && (w == top || strings.HasPrefix(w, top+"/")) {
				out[i] = "office:" + w
			}
		}
	}
	if out[0] == "do" {
		out = append(out, "--in", "office:")
	}
	return out
}

// driveStory is a story on a desk which is a drive as well.
func driveStory(t *testing.T, name string) (*cutStory, *drivetest.Server) {
	s := newCutStory(t, name)
	server := drivetest.New(s.d.dir)
	t.Cleanup(server.Close)
	s.d.must("drive", "office", server.URL+"/dav")
	require.NoError(t, os.CopyFS(s.d.dir+".kept/.config", os.DirFS(s.d.dir+"/.config")))
	s.again()
	server.Requests()
	return s, server
}

// What is done on a drive is what would be done on a disk.
func TestADriveIsWorkedInAsADisk(t *testing.T) {
	t.Parallel()
	for _, name := range slices.Sorted(maps.Keys(recordStories)) {
		if slices.Contains(noDriveStories, name) {
			continue
		}
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s, _ := driveStory(t, name)
			out, status := s.d.run(onDrive(s.call)...)
			require.Contains(t, []int{0, 1}, status, out)
			s.settled(out, s.driven(s.whole))
			assert.NotContains(t, out, "http:", "the drive is called by its name")
		})
	}
}

// What tells a disk from a drive: where it is, and how exact its times are.
var driveMark = regexp.MustCompile(`"time":\d+|"mode":\d+|http://127\.0\.0\.1:\d+/dav|"lay": "[^"]*",\s*`)

// driven is a state with the drive's settings.
func (s *cutStory) driven(state map[string]string) map[string]string {
	out := maps.Clone(state)
	s.mask = func(text string) string {
		return driveMark.ReplaceAllString(strings.ReplaceAll(text, s.d.dir, "http://127.0.0.1:1/dav"), "")
	}
	for at, is := range out {
		out[at] = s.mask(is)
	}
	for at, is := range s.state() {
		if strings.HasPrefix(at, ".config") {
			out[at] = is
		}
	}
	return out
}

// On a drive, a call meets the line that breaks, a server that is full or locked or fails behind its
// work, and the end of its own process, at any request: it ends where the whole run would have, or
// where it began, by the advice that is printed then. VESTIBULA_KILLS is how many of each are tried.
func TestWhatWasCutShortOnADriveIsFinishedOrTakenBack(t *testing.T) {
	t.Parallel()
	each := 2
	if os.Getenv("VESTIBULA_KILLS") != "" {
		each = kills(t)
	}
	for _, name := range slices.Sorted(maps.Keys(recordStories)) {
		if slices.Contains(noDriveStories, name) || name == "archive-back" || name == "undo" || name == "next-archive" && testing.Short() {
			continue
		}
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s, server := driveStory(t, name)
			whole := s.driven(s.whole)
			s.before = s.driven(s.before)
			s.whole, s.call = whole, onDrive(s.call)
			s.cutShort(server, each)
		})
	}
}

// cutShort makes the call fail so many times, each time in another way, and follows what is said then.
func (s *cutStory) cutShort(server *drivetest.Server, each int) {
	counts := &drivetest.Fault{}
	server.Fault = counts
	said := s.run()
	s.settled(said, s.whole)
	ways := slices.Sorted(maps.Keys(drivetest.Ways))
	for i := range each {
		k := 1 + rand.IntN(counts.Done)
		what, fault := fmt.Sprintf("kill at %d", k), &drivetest.Fault{At: k}
		if i%2 == 1 {
			way := ways[rand.IntN(len(ways))]
			// What fails from then on is tried where more is asked for.
			fault.Way, fault.Once = drivetest.Ways[way], rand.IntN(2) == 0 || way == "busy" || way == "restart" || os.Getenv("VESTIBULA_KILLS") == ""
			what = fmt.Sprintf("%s at %d, once %v", way, k, fault.Once)
		} else {
			fault.Rival = func() { _ = s.process.Kill() }
		}
		s.cutOnDrive(server, fault, fmt.Sprintf("%s of %d", what, counts.Done))
	}
}

// work is the hidden folder of a run in a folder.
func work(dir string) string {
	entries, _ := os.ReadDir(dir)
	for _, e := range entries {
		if cutWork.MatchString(e.Name()) {
			return e.Name()
		}
	}
	return "none"
}

// The same on the servers that others have written, behind a line that breaks and a process that is
// killed.
func TestRealDrivesLoseNothing(t *testing.T) {
	each := 2
	if os.Getenv("VESTIBULA_KILLS") != "" {
		each = kills(t)
	}
	for _, name := range []string{"build", "put-move", "upgrade-text", "rename", "archive", "backup", "apply", "next"} {
		t.Run(name, func(t *testing.T) {
			drivetest.EachReal(t, os.Getenv("VESTIBULA_DRIVES"), func(t *testing.T, r *drivetest.Real) {
				t.Setenv("VESTIBULA_USER", r.Who.User)
				t.Setenv("VESTIBULA_PASSWORD", r.Who.Password)
				s := newCutStory(t, name)
				require.NoError(t, exec.Command("chmod", "-R", "a+rwX", s.d.dir, s.d.dir+".kept").Run())
				require.NoError(t, os.RemoveAll(r.Dir))
				require.NoError(t, os.Symlink(s.d.dir, r.Dir))
				server := drivetest.Before(r)
				t.Cleanup(server.Close)
				s.d.must("drive", "office", server.URL+"/dav")
				require.NoError(t, os.CopyFS(s.d.dir+".kept/.config", os.DirFS(s.d.dir+"/.config")))
				s.again()
				whole := s.driven(s.whole)
				s.before = s.driven(s.before)
				s.whole, s.call = whole, onDrive(s.call)
				s.cutShort(server, each)
			})
		})
	}
}

// run starts the call and waits for its end.
func (s *cutStory) run() string {
	cmd := exec.Command(program, s.call...)
	cmd.Dir, cmd.Env = s.d.dir, s.d.environment()
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &out
	require.NoError(s.d.t, cmd.Start())
	s.process = cmd.Process
	stuck := time.AfterFunc(time.Minute, func() { _ = cmd.Process.Signal(syscall.SIGQUIT) })
	_ = cmd.Wait()
	require.True(s.d.t, stuck.Stop(), "it does not end: %s", &out)
	return out.String()
}

// cutOnDrive makes a call fail, and follows what is said then.
func (s *cutStory) cutOnDrive(server *drivetest.Server, fault *drivetest.Fault, what string) {
	d := s.d
	server.Fault = nil
	running := filepath.Join(d.dir, ".state", "vestibula", "running")
	noted := drivetest.Names(running)
	s.again()
	for name, text := range noted { // a run that was killed has left a lock behind
		if strings.HasPrefix(name, "drive-") {
			d.write(filepath.Join(".state", "vestibula", "running", name), text)
		}
	}
	server.Fault = fault
	out := s.run()
	server.Fault = nil
	said, _ := d.run("history")
	told := what + "\n" + out + "\n" + said
	if !strings.Contains(said, "cut short") {
		if strings.Contains(out, "could not be taken away") {
			for _, in := range []string{"", "C", "S", "C/Ola-2027-03"} {
				_ = os.RemoveAll(filepath.Join(d.dir, in, work(filepath.Join(d.dir, in))))
			}
		}
		s.settled(told, s.before, s.whole)
		return
	}
	ways := ends.FindAllStringSubmatch(said, -1)
	require.NotEmpty(d.t, ways, told)
	way := strings.Fields(ways[rand.IntN(len(ways))][1])
	then, status := d.run(append(way, "--yes")...)
	told += fmt.Sprintf("\n%v (%d)\n%s", way, status, then)
	if status != 0 && strings.Contains(then, "cannot be finished") { // it says how it is taken back
		way = []string{"undo", way[len(way)-1]}
		then, status = d.run(append(way, "--yes")...)
		told += fmt.Sprintf("\n%v (%d)\n%s", way, status, then)
	}
	require.Zero(d.t, status, told)
	if way[0] == "undo" {
		s.settled(told, s.before)
		return
	}
	s.settled(told, s.whole)
}

// realStory lays a desk out on a real drive, as somebody has it who works there.
func (s *cutStory) realStory(r *drivetest.Real) {
	for _, top := range []string{"C", "S", "In"} {
		require.NoError(s.d.t, exec.Command("cp", "-a", filepath.Join(s.d.dir, top), r.Dir+"/").Run())
	}
	for _, file := range []string{"job.folders", "other.folders", "hello.txt"} {
		require.NoError(s.d.t, exec.Command("cp", "-a", filepath.Join(s.d.dir, file), r.Dir+"/").Run())
	}
	require.NoError(s.d.t, exec.Command("chmod", "-R", "a+rwX", r.Dir).Run())
}

// What is done on the servers that others have written is what would be done on a disk.
func TestRealDrivesAreWorkedInAsADisk(t *testing.T) {
	drivetest.EachReal(t, os.Getenv("VESTIBULA_DRIVES"), func(t *testing.T, r *drivetest.Real) {
		for _, name := range slices.Sorted(maps.Keys(recordStories)) {
			if slices.Contains(noDriveStories, name) || name == "archive-back" || name == "undo" {
				continue
			}
			t.Run(name, func(t *testing.T) {
				s := newCutStory(t, name)
				s.again()
				t.Setenv("VESTIBULA_USER", r.Who.User)
				t.Setenv("VESTIBULA_PASSWORD", r.Who.Password)
				require.NoError(t, os.RemoveAll(r.Dir+"/C"))
				require.NoError(t, os.RemoveAll(r.Dir+"/S"))
				require.NoError(t, os.RemoveAll(r.Dir+"/In"))
				s.realStory(r)
				s.d.must("drive", "office", r.URL)
				out, status := s.d.run(onDrive(s.call)...)
				require.Contains(t, []int{0, 1}, status, out)
				for _, top := range []string{"C", "S", "In"} {
					require.NoError(t, os.RemoveAll(filepath.Join(s.d.dir, top)))
					require.NoError(t, exec.Command("cp", "-a", filepath.Join(r.Dir, top), s.d.dir+"/").Run())
				}
				s.settled(out, s.driven(s.whole))
				back, status := s.d.run("undo", "--yes", fmt.Sprint(lastNumber(s.d)))
				require.Zero(t, status, back)
				for _, top := range []string{"C", "S", "In"} {
					require.NoError(t, os.RemoveAll(filepath.Join(s.d.dir, top)))
					require.NoError(t, exec.Command("cp", "-a", filepath.Join(r.Dir, top), s.d.dir+"/").Run())
				}
				s.settled(back, s.driven(s.before))
			})
		}
	})
}

// lastNumber is that of what was done last.
func lastNumber(d *desk) int {
	out, _ := d.run("history", "--json")
	var all struct {
		Records []struct{ Number int }
	}
	if json.Unmarshal([]byte(out), &all) != nil || len(all.Records) == 0 {
		var list []struct{ Number int }
		require.NoError(d.t, json.Unmarshal([]byte(out), &list), out)
		return list[len(list)-1].Number
	}
	return all.Records[len(all.Records)-1].Number
}

// Two people work on one drive at once, each at a computer of their own: nothing is overwritten, nothing
// is there twice, and a number is given once.
func TestTwoPeopleWorkOnOneDrive(t *testing.T) {
	t.Parallel()
	for name, keeps := range map[string]bool{"conditions": true, "none": false} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			server := drivetest.New(t.TempDir())
			t.Cleanup(server.Close)
			server.Keeps = keeps
			var people [2]*desk
			for i := range people {
				d := newDesk(t, "job.folders", recordJob, "hello.txt", "Dear <client>,\n", "In/Ola letter.pdf", fmt.Sprintf("a letter of %d", i), fmt.Sprintf("In/Ola %d.pdf", i), "x")
				d.following = true
				d.must("drive", "office", server.URL+"/dav")
				people[i] = d
			}
			people[0].must("build", "job", "client=Ola", "--into", "office:C", "--yes")
			require.NoError(t, os.WriteFile(filepath.Join(server.Dir, "C", "mine.txt"), []byte("mine"), 0o666))
			given := map[string]string{} // numbers, by who was told that they have them
			var mutex sync.Mutex
			for range 3 {
				var both sync.WaitGroup
				for i, d := range people {
					both.Go(func() {
						for _, call := range []string{
							fmt.Sprintf("name|note|--in|office:C/Ola-2027-03/Notes|day=2027-03-2%d|--create|--ext|md", i),
							"build|job|client=Both|--into|office:C|--yes",
							"put|In|--into|office:C|--yes",
							fmt.Sprintf("build|job|client=Only %d|--into|office:C|--yes", i),
							"upgrade|office:C|--template|job|--yes",
						} {
							out, status := d.run(strings.Split(call, "|")...)
							mutex.Lock()
							assert.Contains(t, []int{0, 1}, status, out)
							if made := regexp.MustCompile(`note (\d{3})\.md`).FindStringSubmatch(out); status == 0 && made != nil && strings.HasPrefix(call, "name") {
								assert.Empty(t, given[made[1]], "the number %s is given twice", made[1])
								given[made[1]] = out
							}
							mutex.Unlock()
						}
					})
				}
				both.Wait()
			}
			all := drivetest.Names(server.Dir)
			assert.Equal(t, "mine", all["C/mine.txt"])
			numbers := map[string]string{}
			letters := map[string]bool{}
			for at, text := range all {
				if n := regexp.MustCompile(`note (\d{3})\.md$`).FindStringSubmatch(at); n != nil {
					assert.Empty(t, numbers[n[1]], "%s and %s", at, numbers[n[1]])
					numbers[n[1]] = at
				}
				if strings.Contains(at, "Ola letter") {
					letters[text] = true
				}
				assert.NotContains(t, at, ".vestibula-", "a run has left something")
			}
			assert.LessOrEqual(t, len(letters), 2)
			assert.NotEmpty(t, letters)
			for _, d := range people {
				out, status := d.run("check", "office:C")
				assert.Contains(t, []int{0, 1}, status, out)
				out, _ = d.run("history")
				assert.NotContains(t, out, "cut short")
			}
		})
	}
}
