//go:build unix

package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"
)

// buildAgainst compares building 5,000 projects of 20 folders each, the plan and
// the journal included, with another way to make the same folders.
func buildAgainst(other func(b *bench, into string, folders []string) func() time.Duration) func(b *bench) (ours, theirs measure, err error) {
	return func(b *bench) (ours, theirs measure, err error) {
		var text strings.Builder
		fmt.Fprintf(&text, "Projects\n    Project <n:0000> | each: n in 1..%d\n", size(5000))
		folders := []string{"Projects"}
		for range 19 {
			text.WriteString("        <#> Stage of work\n")
		}
		for n := 1; n <= size(5000); n++ {
			project := fmt.Sprintf("Projects/Project %04d", n)
			folders = append(folders, project)
			for i := 1; i <= 19; i++ {
				folders = append(folders, fmt.Sprintf("%s/%02d Stage of work", project, i))
			}
		}
		file := filepath.Join(b.dir, "many.folders")
		if err := os.WriteFile(file, []byte(text.String()), 0o666); err != nil {
			return nil, nil, err
		}
		into := filepath.Join(b.dir, "into")
		fresh := func() {
			check(os.RemoveAll(into))
			check(os.Mkdir(into, 0o777))
		}
		run := other(b, into, folders)
		ours = seconds(func() time.Duration {
			fresh()
			return timed(b.program, "build", file, "--into", into, "--yes", "--limit", "200000")
		})
		theirs = seconds(func() time.Duration {
			fresh()
			return run()
		})
		return ours, theirs, nil
	}
}

// loop makes the folders one after the other in a loop.
func loop(_ *bench, into string, folders []string) func() time.Duration {
	paths := make([]string, len(folders))
	for i, f := range folders {
		paths[i] = into + "/" + f
	}
	return func() time.Duration {
		begin := time.Now()
		for _, p := range paths {
			check(syscall.Mkdir(p, 0o777))
		}
		return time.Since(begin)
	}
}

// xargs hands the paths to mkdir, as a script does.
func xargs(b *bench, into string, folders []string) func() time.Duration {
	list := filepath.Join(b.dir, "list.txt")
	check(os.WriteFile(list, []byte(strings.Join(folders, "\x00")), 0o666))
	return func() time.Duration {
		cmd := exec.Command("xargs", "-0", "-a", list, "mkdir", "-p")
		cmd.Dir = into
		begin := time.Now()
		check(cmd.Run())
		return time.Since(begin)
	}
}

// copied copies the folders from where they lie ready-made.
func copied(b *bench, into string, folders []string) func() time.Duration {
	ready := filepath.Join(b.dir, "ready")
	check(os.Mkdir(ready, 0o777))
	for _, f := range folders {
		check(os.Mkdir(filepath.Join(ready, f), 0o777))
	}
	return func() time.Duration { return timed("cp", "-r", filepath.Join(ready, "Projects"), into) }
}

// nodeBytes is what a node of a tree may take of the memory.
const nodeBytes = 500

// buildMemory measures the plan of a million nodes.
func buildMemory(b *bench) (ours, theirs measure, err error) {
	file, err := projects(b.dir, size(50_000))
	into := filepath.Join(b.dir, "nothing")
	check(os.MkdirAll(into, 0o777))
	ours = func() float64 {
		_, bytes := measured(b.program, "build", file, "--into", into, "--preview", "--limit", "2000000")
		return bytes
	}
	return ours, func() float64 { return nodeBytes * float64(million) }, err
}

// table writes a table of so many commissions, each of 12 or 13 nodes.
func table(b *bench, rows int) (file string, nodes int) {
	var text strings.Builder
	text.WriteString("Client,Received,Kind,Gilding,Stages\n")
	for n := range rows {
		fmt.Fprintf(&text, "Client %06d,2027-%02d-%02d,%s,%s,survey; repair\n", n, n%12+1, n%28+1, []string{"BK", "BX", "MP"}[n%3], []string{"yes", "no", ""}[n%3])
		if nodes += 12; n%3 == 0 {
			nodes++ // gilding
		}
	}
	file = filepath.Join(b.dir, fmt.Sprintf("table-%d.csv", rows))
	check(os.WriteFile(file, []byte(text.String()), 0o666))
	return file, nodes
}

// planned reads, checks and plans the rows of a table, and changes nothing.
func planned(b *bench, file string) (time.Duration, float64) {
	into := filepath.Join(b.dir, "nothing")
	check(os.MkdirAll(into, 0o777))
	return measured(b.program, "build", "commission", "--into", into, "--table", file, "--preview", "--limit", "2000000")
}

func tableTime(b *bench) (ours, theirs measure, err error) {
	file, _ := table(b, size(100_000))
	ours = seconds(func() time.Duration {
		took, _ := planned(b, file)
		return took
	})
	return ours, func() float64 { return 2 / float64(shrink) }, nil
}

func tableGrowth(b *bench) (ours, theirs measure, err error) {
	of := func(rows int) measure {
		file, _ := table(b, rows)
		return seconds(func() time.Duration {
			took, _ := planned(b, file)
			return took
		})
	}
	return of(size(100_000)), of(size(10_000)), nil
}

// keptTable builds the rows of a table, with a small template, and marks them; a hundredth
// of them changes afterwards. What is measured is holding all of them against their
// projects.
func keptTable(b *bench, rows int) func() time.Duration {
	dir := filepath.Join(b.dir, fmt.Sprintf("kept-%d", rows))
	check(os.MkdirAll(filepath.Join(dir, "out"), 0o777))
	list, file := filepath.Join(dir, "job.folders"), filepath.Join(dir, "jobs.csv")
	check(os.WriteFile(list, []byte("---\nfields:\n  client: Who?\n  gilding: { type: yes-no, default: no }\n---\n<client>\n    Letters\n    Gilding | when: gilding\n"), 0o666))
	var text strings.Builder
	text.WriteString("client,gilding\n")
	for i := range rows {
		fmt.Fprintf(&text, "Client %06d,no\n", i)
	}
	check(os.WriteFile(file, []byte(text.String()), 0o666))
	args := []string{"build", list, "--into", filepath.Join(dir, "out"), "--table", file, "--limit", "2000000"}
	timed(b.program, append(args, "--mark", "--yes")...)
	marked, err := os.ReadFile(file)
	check(err)
	lines := strings.Split(string(marked), "\n")
	for i := 50; i < len(lines); i += 100 {
		lines[i] = strings.Replace(lines[i], ",no,", ",yes,", 1)
	}
	check(os.WriteFile(file, []byte(strings.Join(lines, "\n")), 0o666))
	return func() time.Duration { return timed(b.program, append(args, "--preview")...) }
}

func tableKept(b *bench) (ours, theirs measure, err error) {
	return seconds(keptTable(b, size(100_000))), func() float64 { return 3 / float64(shrink) }, nil
}

func keptGrowth(b *bench) (ours, theirs measure, err error) {
	return seconds(keptTable(b, size(100_000))), seconds(keptTable(b, size(10_000))), nil
}

func tableMemory(b *bench) (ours, theirs measure, err error) {
	file, nodes := table(b, size(100_000))
	ours = func() float64 {
		_, bytes := planned(b, file)
		return bytes
	}
	return ours, func() float64 { return float64(nodes) * nodeBytes }, nil
}
