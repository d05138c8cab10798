//go:build unix

package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// gridPlain has no conventions, gridNamed some, and gridOther one that reads a file of
// the second one's projects.
const (
	gridPlain = "---\nfields: { client: Who? }\n---\n<client>\n    <#> Letters | holds: documents\n    <#> Later | later\n    Terms.md | due: 2027-01-01\n"
	gridNamed = `---
fields: { client: Who?, month: { type: month, example: 2027-03 } }
names:
  scan: { pattern: "<day:yyyy-mm-dd> <side> <n:000>", fields: { n: { type: number, next: yes } } }
---
<month:yyyy-mm> <client>
    <#> Scans | holds: scan
    <#> Letters | holds: documents
    notes.md | carry
`
	gridOther = "---\nfields: { client: Who? }\nnames: { page: \"<client> <no:00>\" }\n---\nOther <client>\n    Pages | holds: page\n    More\n"
)

// gridCalls are all commands, in each of their ways of looking at a place @: none of
// them changes anything.
var gridCalls = []string{
	"show @", "show @ --all", "show @ --sorted all",
	"check @", "check @ --all", "check @ --strict", "check @ --fix --preview", "check @ --template named", "check @ --only twice", "check @ --only missing,strays",
	"compare @ named", "compare plain @", "compare @ @", "compare @",
	"build @ --into Out client=x --preview", "build named --into @ client=x month=2027-03 --preview", "build plain --into Out --table @ --preview", "build plain --into Out --values @ --preview",
	"add @", "add @ Later --preview", "upgrade @ --preview", "upgrade @ --template named --preview", "upgrade @ client=Other --preview",
	"next @ --preview", "next @ --count 2 --preview",
	"archive @ --into Out --preview", "archive Good --into @ --preview", "archive @ --copy --into Out --preview", "archive --back @ --preview", "archive @ --where client=x --into Out --preview",
	"backup @ --into Out --preview", "backup @ --into Out --list", "backup Good --into @ --list", "backup Good --into @ --preview", "tick @ nothing",
	"projects @", "projects @ --late", "projects @ --where client=x", "projects @ --by client", "projects @ --use named",
	"do @ --preview", "do moves.csv --in @ --preview",
	"put @ --into Good --preview", "put loose.md --into @ --preview", "put @ --older-into Older --preview", "put @ --into Good --convention scan side=a --preview",
	"rename scan @ --preview", "rename named scan @ --preview", "rename named scan @ --from <x> day=made side=a --preview",
	"name named scan --in @ day=2027-03-09 side=a", "name scan --in @ day=2027-03-09 side=a",
	"read @", "read named @", "read named --in @", "read @ --where client~x", "read @ --newest",
	"draft new @ --preview", "draft --update named @ --preview", "guide @", "history @", "undo @",
	"history --in-place", "undo --in-place --preview", "templates --in-place", "check . --in-place", "projects --in-place", "__complete check @/", "__complete put @ --into ",
}

// goWords are texts of Go, of its library and of systems, which are not for people.
var goWords = regexp.MustCompile(`\b(lstat|fstatat|openat|readlink|getdents|readdirent|mkdirat|EvalSymlinks|EOF|nil|strconv|goroutine|syscall|errno)\b|panic:|runtime error|no such file or directory|permission denied|invalid argument|too many levels|not a directory|is a directory|file exists|unexpected end|invalid character|(?:^|[^.\w])(?:json|yaml|zip|gzip|flate|tar|archive/tar): |%!|\b(open|stat) [^ :]+: `)

// TestNoPlaceIsTooMuch makes every call at every kind of place: each ends in time, with
// 0, 1 or 2, in words for people, without what a terminal obeys, with JSON where that
// was asked for; and nothing is changed. Two calls of three are made at each place, one of them for JSON, unless all are wanted.
func TestNoPlaceIsTooMuch(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "plain.folders", gridPlain, "named.folders", gridNamed, "other.folders", gridOther, "loose.md", "x", "moves.csv", "do,from,to\nmove,./a,./b\n", "Out/x", "")
	for at := d.dir; strings.HasPrefix(at, os.TempDir()) && at != os.TempDir(); at = filepath.Dir(at) {
		require.NoError(t, os.Chmod(at, 0o755))
	}
	d.project("named", ".", "client=Good", "month=2027-01")
	require.NoError(t, os.Rename(filepath.Join(d.dir, "2027-01 Good"), filepath.Join(d.dir, "Good")))
	cells := 0
	places := gridPlaces(t)
	for i, p := range places {
		at := fmt.Sprintf("P%02d", i)
		require.NoError(t, os.Mkdir(filepath.Join(d.dir, at), 0o777))
		p.make(d, at)
	}
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, ".ready")))
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, ".other"), 0o777))
	require.NoError(t, os.Chmod(filepath.Join(d.dir, ".other"), 0o777))
	// What is kept of what was done is of no use to the grid, and slows each call down.
	require.NoError(t, os.Rename(filepath.Join(d.dir, ".state"), filepath.Join(t.TempDir(), "state")))
	t.Run("cells", func(t *testing.T) {
		for i, p := range places {
			cells += 2 * len(gridCalls)
			t.Run(p.name, func(t *testing.T) {
				t.Parallel()
				at := fmt.Sprintf("P%02d", i)
				before := shape(t, filepath.Join(d.dir, at))
				for k, call := range gridCalls {
					for n, asJSON := range []bool{false, true} {
						if os.Getenv("VESTIBULA_GRID") == "all" || (2*i+k)%3 == n {
							gridCell(t, d, p, p.at(at), call, asJSON)
						}
					}
				}
				assert.Equal(t, before, shape(t, filepath.Join(d.dir, at)), "nothing is changed by looking")
			})
		}
	})
	assert.Greater(t, cells, 9_000)
	entries, err := os.ReadDir(d.dir)
	require.NoError(t, err)
	assert.Len(t, entries, len(places)+8, "nothing is left behind")
}

// records are ways in which the record of a build, and what lies around it, is not as this
// program wrote it.
var records = map[string]func(d *desk, record string){
	"whole": func(d *desk, record string) {},
	"empty": func(d *desk, record string) { d.write(record, "") },
	"cut":   func(d *desk, record string) { d.write(record, d.read(record)[:len(d.read(record))/2]) },
	"noise": func(d *desk, record string) { d.write(record, "\x00\xff{}[]\n\n{\"op\":") },
	"paths": func(d *desk, record string) {
		d.write(record, regexp.MustCompile(`"path":"[^"]*"`).ReplaceAllString(d.read(record), `"path":"../../../etc"`))
	},
	"places": func(d *desk, record string) {
		d.write(record, regexp.MustCompile(`"places":\[[^]]*\]`).ReplaceAllString(d.read(record), `"places":[null,"","relative","/\u001b[31m"]`))
	},
	"no places": func(d *desk, record string) {
		d.write(record, regexp.MustCompile(`"places":\[[^]]*\]`).ReplaceAllString(d.read(record), `"places":[]`))
	},
	"numbers": func(d *desk, record string) {
		d.write(record, strings.NewReplacer(`"number":1`, `"number":1,"undoes":1,"continues":[1,2,-3],"kept":-1,"format":-7`, `"in":`, `"in":99,"was":`, `"roots":[`, `"roots":[{"in":-1,"path":""},{"in":7,"path":"x"},`).Replace(d.read(record)))
	},
	"work": func(d *desk, record string) {
		d.write(record, regexp.MustCompile(`"work":"[^"]*"`).ReplaceAllString(d.read(record), `"work":"../../.."`))
	},
	"newer": func(d *desk, record string) {
		d.write(record, strings.Replace(d.read(record), `"vestibula":3`, `"vestibula":999`, 1))
	},
	"no end": func(d *desk, record string) {
		d.write(record+".open", d.read(record)[:strings.LastIndex(d.read(record), `{"end"`)])
		os.Remove(filepath.Join(d.dir, record))
	},
	"only a head": func(d *desk, record string) { d.write(record, d.read(record)[:strings.Index(d.read(record), "\n")+1]) },
	"place gone": func(d *desk, record string) {
		require.NoError(d.t, os.Rename(filepath.Join(d.dir, "In"), filepath.Join(d.dir, "Out")))
	},
	"a link": func(d *desk, record string) {
		d.instead(record, func(full string) error { return os.Symlink("/dev/zero", full) })
	},
	"no journal": func(d *desk, record string) { d.instead(filepath.Dir(record), fifo) },
	"no state":   func(d *desk, record string) { d.instead(".state", dangling) },
	"no right":   func(d *desk, record string) { require.NoError(d.t, os.Chmod(filepath.Join(d.dir, record), 0)) },
	"no right to all": func(d *desk, record string) {
		require.NoError(d.t, os.Chmod(filepath.Join(d.dir, filepath.Dir(record)), 0))
	},
}

// TestNoRecordIsTooMuch asks for what was done, and for taking it back, of records that are
// not as they were written: nothing but what a record rightly says is ever touched.
func TestNoRecordIsTooMuch(t *testing.T) {
	t.Parallel()
	for kind, make := range inTheWay {
		records[kind] = func(d *desk, record string) { d.instead(record, make) }
	}
	for kind, change := range records {
		t.Run(kind, func(t *testing.T) {
			t.Parallel()
			d := newDesk(t, "plain.folders", gridPlain)
			d.project("plain", "In", "client=Pask")
			d.write("In/Pask/own.md", "mine")
			change(d, ".state/vestibula/journal/000001.jsonl")
			p := gridPlace{other: strings.HasPrefix(kind, "no right")}
			if p.other {
				for at := d.dir; strings.HasPrefix(at, os.TempDir()) && at != os.TempDir(); at = filepath.Dir(at) {
					require.NoError(t, os.Chmod(at, 0o777))
				}
				require.NoError(t, os.Rename(filepath.Join(d.dir, ".state"), filepath.Join(d.dir, ".other")))
			}
			for _, call := range []string{"history", "history 1", "undo --preview", "undo 1 --preview", "history --forget 1", "upgrade @ client=Other --preview", "undo 1 --yes", "history", "history --forget 1 --yes", "history", "build plain --into @ client=New --yes", "undo --yes", "history --forget 2 --yes"} {
				for _, asJSON := range []bool{false, true} {
					gridCell(t, d, p, "In", call, asJSON)
				}
			}
			at := "In"
			if !isDir(filepath.Join(d.dir, at)) {
				at = "Out"
			}
			assert.Equal(t, "mine", d.read(at+"/Pask/own.md"))
		})
	}
}

// TestSomebodyWithoutAHome keeps what was done where the account says that its home is, and
// never in the root of the disk.
func TestSomebodyWithoutAHome(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	for _, args := range [][]string{{"history"}, {"templates"}, {"undo"}} {
		cmd := exec.Command(program, args...)
		cmd.Dir, cmd.Env = d.dir, []string{"GOCOVERDIR=" + coverage, "PATH=" + os.Getenv("PATH")}
		out, _ := cmd.CombinedOutput()
		assert.NotRegexp(t, goWords, string(out))
	}
	for _, at := range []string{"/.local/state/vestibula", "/.local/share/vestibula"} {
		assert.NoDirExists(t, at)
	}
	if os.Geteuid() != 0 {
		return // who has a home would have this written into it
	}
	for at := d.dir; strings.HasPrefix(at, os.TempDir()) && at != os.TempDir(); at = filepath.Dir(at) {
		require.NoError(t, os.Chmod(at, 0o777))
	}
	cmd := exec.Command(program, "draft", "mine", "--like", "commission")
	cmd.Dir, cmd.Env = d.dir, []string{"GOCOVERDIR=" + coverage, "PATH=" + os.Getenv("PATH")}
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 54321, Gid: 54321}} // an account that nobody has
	out, err := cmd.CombinedOutput()
	assert.Error(t, err)
	assert.Contains(t, string(out), "where your home is cannot be told")
	assert.NoFileExists(t, filepath.Join(d.dir, "mine.folders"))
}

// gridCell makes one call.
func gridCell(t *testing.T, d *desk, p gridPlace, at, call string, asJSON bool) {
	args := strings.Fields(call)
	dir := d.dir
	for i := 0; i < len(args); i++ {
		args[i] = strings.ReplaceAll(args[i], "@", at)
		if args[i] == "--in-place" {
			args = append(args[:i], args[i+1:]...)
			i--
			if dir = at; !filepath.IsAbs(at) {
				dir = filepath.Join(d.dir, at)
			}
			if !isDir(dir) {
				return
			}
		}
	}
	if asJSON {
		if strings.HasPrefix(call, "__complete") {
			return
		}
		args = append(args, "--json")
	}
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	cmd := exec.CommandContext(ctx, program, args...)
	cmd.Dir, cmd.Env = dir, d.environment()
	if p.other && os.Geteuid() == 0 {
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
		cmd.Env = append(cmd.Env, "HOME="+d.dir+"/.other", "XDG_STATE_HOME="+d.dir+"/.other", "XDG_DATA_HOME="+d.dir+"/.other")
	}
	var out, side bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &side
	err := cmd.Run()
	if cmd.ProcessState == nil { // the folder itself cannot be entered
		require.NotEqual(t, d.dir, dir, "%v", err)
		return
	}
	var exit *exec.ExitError
	require.True(t, err == nil || errors.As(err, &exit), "%v", err)
	if !assert.NoError(t, ctx.Err(), "%q hangs", args) {
		return
	}
	status := cmd.ProcessState.ExitCode()
	all := out.String() + side.String()
	assert.Contains(t, []int{0, 1, 2}, status, "%q: %s", args, all)
	assert.NotRegexp(t, goWords, all, "%q", args)
	shown := strings.IndexFunc(all, func(r rune) bool {
		return unicode.IsControl(r) && r != '\n' && r != '\t' || unicode.Is(unicode.Cf, r) && !strings.ContainsRune("\u200d", r)
	})
	assert.Less(t, shown, 0, "%q prints %q", args, all)
	if status != 0 && !asJSON {
		assert.NotEmpty(t, strings.TrimSpace(all), "%q ends with %d and says nothing", args, status)
	}
	if asJSON {
		dec := json.NewDecoder(&out)
		var v any
		err := dec.Decode(&v)
		for err == nil { // with a table, a line for each row
			err = dec.Decode(&v)
		}
		assert.ErrorIs(t, err, io.EOF, "%q: no JSON: %s", args, all)
		assert.NotNil(t, v, "%q prints no JSON, and says %s", args, side.String())
	}
}

func isDir(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.IsDir()
}

// shape is all that lies somewhere, with sizes, rights and times.
func shape(t *testing.T, dir string) (all []string) {
	require.NoError(t, filepath.WalkDir(dir, func(path string, e os.DirEntry, err error) error {
		require.NoError(t, err)
		info, err := e.Info()
		require.NoError(t, err)
		all = append(all, fmt.Sprint(path, info.Mode(), info.Size(), info.ModTime().UnixNano()))
		return nil
	}))
	return all
}
