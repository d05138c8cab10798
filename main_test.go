package main

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"syscall"
	"testing"

	"vestibula/core/drive/drivetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// program is the built program that the tests in this folder drive.
var program string

// coverage is the folder in which the built program notes what of it was run; "" for none.
var coverage = os.Getenv("VESTIBULA_COVER")

func TestMain(m *testing.M) {
	if what := os.Getenv("VESTIBULA_CUT"); what != "" {
		os.Exit(cutMain(what))
	}
	dir, err := os.MkdirTemp("", "vestibula-test-")
	if err != nil {
		panic(err)
	}
	if err := os.Chmod(dir, 0o755); err != nil { // some tests run it as somebody else
		panic(err)
	}
	program = filepath.Join(dir, "vestibula")
	build := []string{"build", "-o", program}
	if coverage != "" {
		if err := os.Chmod(coverage, 0o777); err != nil { // some tests run it as somebody else
			panic(err)
		}
		build = append(build, "-cover", "-coverpkg=./...")
	}
	cmd := exec.Command("go", append(build, ".")...)
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := cmd.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "the program does not build: %v\n%s", err, out)
		os.Exit(1)
	}
	code := m.Run()
	if lacking := undocumented(); code == 0 && len(lacking) > 0 {
		fmt.Fprintf(os.Stderr, "docs/json.md does not tell of what was printed:\n  %s\n", strings.Join(lacking, "\n  "))
		code = 1
	}
	tellFollowed()
	os.RemoveAll(dir)
	os.Exit(code)
}

// A desk is a temporary folder in which the program is run.
type desk struct {
	t   *testing.T
	dir string
	in  string // standard input
	// before is what people had on the desk before the change that is being made.
	before map[string]string
	// following says that an advice is being followed just now.
	following bool
}

func newDesk(t *testing.T, files ...string) *desk {
	d := &desk{t: t, dir: t.TempDir()}
	for i := 0; i < len(files); i += 2 {
		d.write(files[i], files[i+1])
	}
	return d
}

func (d *desk) write(name, text string) {
	path := filepath.Join(d.dir, name)
	require.NoError(d.t, os.MkdirAll(filepath.Dir(path), 0o777))
	require.NoError(d.t, os.WriteFile(path, []byte(text), 0o666))
}

func (d *desk) read(name string) string {
	data, err := os.ReadFile(filepath.Join(d.dir, name))
	require.NoError(d.t, err)
	return string(data)
}

// flat is an output as one line, whatever its columns and its breaks.
func flat(out string) string { return strings.Join(strings.Fields(out), " ") }

// has lists all paths below a folder of the desk, folders with a slash.
func (d *desk) has(folder string) (paths []string) {
	base := filepath.Join(d.dir, folder)
	require.NoError(d.t, filepath.WalkDir(base, func(path string, e os.DirEntry, err error) error {
		if rel, _ := filepath.Rel(base, path); rel != "." {
			if rel = filepath.ToSlash(rel); e.IsDir() {
				rel += "/"
			}
			paths = append(paths, rel)
		}
		return err
	}))
	return paths
}

// whole is all that a folder holds: contents, times, and where links lead.
func (d *desk) whole(folder string) map[string]string {
	all := map[string]string{}
	for _, p := range d.has(folder) {
		full := filepath.Join(d.dir, folder, p)
		info, err := os.Lstat(full)
		require.NoError(d.t, err)
		switch {
		case info.IsDir():
			all[p] = fmt.Sprint(info.Mode(), info.ModTime().UnixNano())
		case info.Mode()&os.ModeSymlink != 0:
			all[p], _ = os.Readlink(full)
		default:
			all[p] = fmt.Sprint(info.Mode(), info.ModTime().UnixNano(), d.read(folder+"/"+p))
		}
	}
	return all
}

// run runs the program and returns all that it printed, and its status.
func (d *desk) run(args ...string) (out string, status int) {
	d.t.Helper()
	if d.before = nil; !d.following && slices.Contains(args, "--yes") && len(d.has(".")) <= mostCopied {
		d.before = d.own()
	}
	out, status = d.exec(program, args...)
	d.follow(args, out)
	return out, status
}

// must runs the program, which has to do what it was told.
func (d *desk) must(args ...string) {
	out, status := d.run(args...)
	require.Zero(d.t, status, "%v: %s", args, out)
}

func (d *desk) exec(name string, args ...string) (string, int) {
	d.t.Helper()
	return d.execAs(nil, name, args...)
}

// execAs runs a program as somebody else.
func (d *desk) execAs(who *syscall.SysProcAttr, name string, args ...string) (string, int) {
	d.t.Helper()
	cmd := exec.Command(name, args...)
	cmd.SysProcAttr = who
	cmd.Dir = d.dir
	cmd.Stdin = strings.NewReader(d.in)
	cmd.Env = d.environment()
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &out
	if err := cmd.Run(); err != nil {
		if _, exited := err.(*exec.ExitError); !exited {
			require.NoError(d.t, err)
		}
	}
	if name == program {
		noteJSON(args, out.String())
	}
	return out.String(), cmd.ProcessState.ExitCode()
}

func (d *desk) environment() []string {
	return append(os.Environ(), "GOCOVERDIR="+coverage, "HOME="+d.dir, "XDG_DATA_HOME="+filepath.Join(d.dir, ".data"), "XDG_STATE_HOME="+filepath.Join(d.dir, ".state"),
		"PATH="+filepath.Dir(program)+string(filepath.ListSeparator)+os.Getenv("PATH"))
}

// A fence is a block of code in a document: ```INFO … ```.
var fence = regexp.MustCompile("(?ms)^```([^\n]+)\n(.*?)^```$")

// TestTheDocumentsAreTrue plays the documents: a block ```folders NAME is saved
// as that file, and in a block ```console each line behind a $ is run in a
// shell and must print the lines below it. A line of … stands for any lines.
func TestTheDocumentsAreTrue(t *testing.T) {
	t.Parallel()
	docs, _ := filepath.Glob("docs/*.md")
	commands := 0
	for _, doc := range append(docs, "README.md") {
		t.Run(doc, func(t *testing.T) {
			text, err := os.ReadFile(doc)
			require.NoError(t, err)
			d := newDesk(t)
			shown, real := "https://drive.example.org/dav", "" // the drive of the documents
			if strings.Contains(string(text), shown) {
				server := drivetest.Start(t)
				real = server.URL + "/dav"
				require.NoError(t, os.Mkdir(filepath.Join(server.Dir, "Clients"), 0o777))
			}
			for _, block := range fence.FindAllStringSubmatch(string(text), -1) {
				kind, name, _ := strings.Cut(block[1], " ")
				switch {
				case name != "":
					d.write(name, block[2])
				case kind == "console":
					for _, call := range strings.Split("\n"+block[2], "\n$ ")[1:] {
						command, want, _ := strings.Cut(call, "\n")
						if strings.HasPrefix(command, "go ") || strings.HasPrefix(command, "git ") || strings.HasPrefix(command, "cd ") {
							continue
						}
						commands++
						if real != "" {
							command = strings.ReplaceAll(command, shown, real)
						}
						got, status := d.exec("sh", "-c", command)
						if real != "" {
							got = strings.ReplaceAll(got, real, shown)
						}
						assert.Less(t, status, 3, "%s\n%s", command, got)
						if strings.TrimSpace(want) != "" {
							assert.Regexp(t, likeOutput(want), strings.TrimSpace(got)+"\n", "$ %s prints\n%s", command, got)
						}
					}
				}
			}
		})
	}
	assert.Greater(t, commands, 10)
}

var undoneNumber = regexp.MustCompile(`(vestibula (?:undo|history --forget)) \d+`)

// likeOutput turns the output that a document shows into an expression.
func likeOutput(want string) string {
	var b strings.Builder
	b.WriteString(`\A`)
	for line := range strings.SplitSeq(strings.TrimSpace(want), "\n") {
		if strings.TrimSpace(line) == "…" {
			b.WriteString(`(?:.*\n)*?`)
			continue
		}
		// The numbers of what was done are any.
		b.WriteString(undoneNumber.ReplaceAllString(regexp.QuoteMeta(strings.TrimRight(line, " ")), `$1 \d+`) + ` *\n`)
	}
	return b.String() + `\z`
}
