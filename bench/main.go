//go:build unix

// Bench measures the program against plain alternatives, in turn and in one
// run, and prints the ratios. Each figure is the median of several runs.
//
//	go run ./bench [-runs 5] [-dir /dev/shm] [name …]
//
// With -quick each line is measured with a tenth of the work, once, and for every command
// how its time grows from one to ten: that alone fails, since it needs no quiet machine.
package main

import (
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"
	"syscall"
	"time"
)

// A contest measures the program and one alternative: the seconds that they
// take, or the bytes.
type contest struct {
	name    string
	against string
	limit   float64 // the ratio that the design allows
	setup   func(b *bench) (ours, theirs measure, err error)
}

// A measure is one run of a side.
type measure func() float64

// seconds measures how long something takes.
func seconds(run func() time.Duration) measure {
	return func() float64 { return run().Seconds() }
}

type bench struct {
	dir     string // on a memory file system
	program string
	after   []func() // what is to be cleared away in the end
}

var contests = []contest{
	{"start", "an empty Go program", 4, start},
	{"build-100k", "a bare loop of mkdir", 1, buildAgainst(loop)},
	{"build-xargs", "the same by xargs mkdir -p", 1, buildAgainst(xargs)},
	{"build-copy", "cp -r of the folders ready-made", 1, buildAgainst(copied)},
	{"build-memory", "500 bytes a node, a million nodes", 1, buildMemory},
	{"table-100k-rows", "two seconds", 1.25, tableTime},
	{"table-growth", "the same with a tenth of the rows", 11, tableGrowth},
	{"table-kept-100k", "three seconds", 1, tableKept},
	{"kept-growth", "the same with a tenth of the rows", 11, keptGrowth},
	{"table-memory", "500 bytes a node, 1.2 million nodes", 1, tableMemory},
	{"move-100k", "a bare loop of rename calls", 1.5, moveFiles},
	{"read-1M-names", "regexp with the equal expression", 1.0 / 3, readNames},
	{"check-1M-nodes", "the same with a tenth of the nodes", 11, checkTemplate},
	{"check-1M-entries", "find, which only lists them", 1.5, checkFolder},
	{"match-1M-entries", "find -printf of path, size and time", 1.5, matchProject},
	{"projects-1000", "find -printf of path, size and time", 1.5, matchMany},
	{"put-10k", "cp -r, sync, and sha256sum of the copy", 1.2, putFiles},
	{"archive-10k", "cp -r, sync, and sha256sum of the copy", 1.2, archiveFiles},
	{"backup-share-10k", "cp -al, and find over both", 1.3, shareBackups},
	{"bag-check-10k", "sha256sum -c", 0.6, checkBag},
	{"learn-exactly", "one folder of a hundred that is not given back", 0, learnExactly},
	{"learn-noise", "two of a hundred entries unexplained, at 5 % noise", 1, learnNoise},
	{"learn-length", "the outlines that were meant", 1.2, learnLength},
	{"learn-100", "find -printf of path and kind", 2, learnMany},
	{"watch-500", "a tenth of a second", 1, watchTemplate},
	{"put-plan-100k", "two seconds", 1, planPut},
	{"rename-100k", "a bare loop of renames", 1.5, renameNames},
	{"read-1000", "find -printf of path, size and time", 1.5, readMany},
	{"twice-100k", "find -printf of path, size and time", 2, sameMany},
	{"upgrade-1000", "as many renames, and reading names, labels and texts", 2, upgradeMany},
	{"drive-build", "the same requests, one after the other", 1, buildOnDrive},
	{"drive-slow", "the same with 20 ms for each answer, one after the other", 1.0 / 8, buildOnSlowDrive},
	{"drive-check", "folders that are there: asked for each once", 1.01, askedOnce(func(d *driven) []string { return []string{"check", d.server.URL + "/dav"} })},
	{"drive-again", "folders that are there: asked for each once", 1.01, askedOnce(func(*driven) []string { return nil })},
	{"sort-100k-names", "a second for each of five orders", 1, sortSiblings},
	{"write-1M-names", "fmt.Sprintf with the equal verbs", 1, writeNames},
}

func main() {
	runs := flag.Int("runs", 5, "counted runs of each side")
	dir := flag.String("dir", "/dev/shm", "a folder on a memory file system")
	quick := flag.Bool("quick", false, "a tenth of the work, and how each command grows")
	flag.Parse()
	if *quick {
		shrink, million = 10, million/10
		if *runs == 5 {
			*runs = 1
		}
	}
	debug.SetGCPercent(1000) // the program itself collects garbage seldom as well
	tmp, err := os.MkdirTemp(*dir, "vestibula-bench-")
	check(err)
	defer os.RemoveAll(tmp)
	b := &bench{dir: tmp, program: compile(tmp, "vestibula", ".")}
	defer b.clear()
	fmt.Printf("%-17s %12s %12s %8s %8s  %s\n", "", "vestibula", "other", "ratio", "allowed", "against")
	for _, c := range contests {
		if flag.NArg() > 0 && !slices.Contains(flag.Args(), c.name) || *quick && flag.NArg() == 0 && strings.HasPrefix(c.name, "learn-") && c.name != "learn-100" {
			continue
		}
		ours, theirs, err := c.setup(b)
		check(err)
		var mine, other, ratios []float64
		for i := range *runs + 1 {
			m, o := ours(), theirs()
			if i > 0 { // the first warms up
				mine, other, ratios = append(mine, m), append(other, o), append(ratios, m/o)
			}
		}
		fmt.Printf("%-17s %12.4g %12.4g %8.2f %8.2f  %s\n", c.name, median(mine), median(other), median(ratios), c.limit, c.against)
	}
	if *quick && !b.grows(flag.Args()) {
		b.clear()
		os.RemoveAll(tmp)
		os.Exit(1)
	}
}

// shrink is by how much all work is less.
var shrink = 1

// size is how much work a line is measured with.
func size(n int) int { return n / shrink }

// clear clears away what the lines have left.
func (b *bench) clear() {
	for _, clear := range b.after {
		clear()
	}
	b.after = nil
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

func median(x []float64) float64 {
	slices.Sort(x)
	return x[len(x)/2]
}

// compile builds a package into a static program.
func compile(dir, name, pkg string) string {
	out := filepath.Join(dir, name)
	cmd := exec.Command("go", "build", "-trimpath", "-ldflags", "-s -w", "-o", out, pkg)
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
	cmd.Stderr = os.Stderr
	check(cmd.Run())
	return out
}

// timed runs a command and returns how long it took.
func timed(program string, args ...string) time.Duration {
	time, _ := measured(program, args...)
	return time
}

// measured runs a command and returns how long it took, and the most memory that
// it held, in bytes.
func measured(program string, args ...string) (time.Duration, float64) {
	cmd := exec.Command(program, args...)
	cmd.Stderr = os.Stderr
	cmd.Env = append(os.Environ(), "XDG_STATE_HOME="+filepath.Join(filepath.Dir(program), "state")) // in the same memory
	begin := time.Now()
	check(cmd.Run())
	took := time.Since(begin)
	return took, float64(cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss) * 1024
}

func start(b *bench) (ours, theirs measure, err error) {
	src := filepath.Join(b.dir, "empty")
	if err := os.Mkdir(src, 0o777); err != nil {
		return nil, nil, err
	}
	if err := os.WriteFile(filepath.Join(src, "main.go"), []byte("package main\n\nfunc main() {}\n"), 0o666); err != nil {
		return nil, nil, err
	}
	empty := compile(b.dir, "empty.bin", filepath.Join(src, "main.go"))
	// Twenty starts at a time: one alone is too short to be timed well.
	twenty := func(program string, args ...string) measure {
		return seconds(func() (total time.Duration) {
			for range 20 {
				total += timed(program, args...)
			}
			return total
		})
	}
	list := filepath.Join(b.dir, "small.folders")
	check(os.WriteFile(list, []byte("Commission\n    Agreement\n    Work\n"), 0o666))
	return twenty(b.program, "show", list), twenty(empty), nil
}
