//go:build unix

package main

import (
	"fmt"
	"math/rand/v2"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A build that is killed at any moment can be finished or taken back, and
// nothing of the user's is lost.
func TestKilledBuildsCanBeFinishedOrTakenBack(t *testing.T) {
	d := newDesk(t, "t.folders", "---\nfields: { name: Who? }\n---\n<name>\n    Part <n:000> | each: n in 1..150\n        <#> Notes\n        <#> Work\n        start.md | fill: start.md\n", "start.md", "begin <name>\n"+strings.Repeat("x", 4000), "out/own/mine.txt", "mine")
	_, status := d.run("build", "t", "--into", "out", "name=whole", "--yes")
	require.Zero(t, status)
	whole := strings.ReplaceAll(strings.Join(d.has("out/whole"), "\n"), "whole", "x")
	cut := 0
	for i := range 12 {
		name := fmt.Sprintf("p%d", i)
		cmd := exec.Command(program, "build", "t", "--into", "out", "name="+name, "--yes")
		cmd.Dir = d.dir
		cmd.Env = d.environment()
		require.NoError(t, cmd.Start())
		time.Sleep(time.Duration(rand.IntN(60)) * time.Millisecond)
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
		if out, _ := d.run("history"); strings.Contains(out, "cut short") {
			cut++
		}
		if i%2 == 0 {
			out, status := d.run("build", "t", "--into", "out", "name="+name, "--yes")
			require.Zero(t, status, out)
			assert.Equal(t, whole, strings.Join(d.has("out/"+name), "\n"), "the tree is whole")
			assert.True(t, strings.HasPrefix(d.read("out/"+name+"/Part 150/start.md"), "begin "+name+"\n"))
		} else if out, _ := d.run("history"); strings.Contains(lastLine(out), "cut short") || strings.Contains(lastLine(out), "done") {
			number, _, _ := strings.Cut(lastLine(out), " ")
			if strings.Contains(strings.Join(d.has("out"), "\n"), name+"/") {
				out, status := d.run("undo", number, "--yes")
				require.Zero(t, status, out)
				assert.NotContains(t, d.has("out"), name+"/", "all of it is gone")
			}
		}
		assert.Equal(t, "mine", d.read("out/own/mine.txt"))
	}
	t.Logf("%d of 12 builds were cut short", cut)
	out, _ := d.run("history")
	assert.Contains(t, out, "undo of")
}

func lastLine(s string) string {
	lines := strings.Split(strings.TrimSpace(s), "\n")
	return lines[len(lines)-1]
}

func TestHistoryAndUndo(t *testing.T) {
	d := clientDesk(t)
	out, status := d.run("history")
	assert.Zero(t, status)
	assert.Equal(t, "Nothing was built yet.\n", out)
	out, status = d.run("undo")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "there is nothing to undo")

	before := d.has("out")
	d.run("build", "client", "--into", "out", "client=x", "received=today", "--yes")
	out, _ = d.run("history")
	assert.Contains(t, out, "build  Client    4 folders, 2 files  done")
	out, status = d.run("undo")
	assert.Equal(t, 1, status, "without a terminal and without --yes nothing is changed")
	assert.Contains(t, out, "- x/01 Notes/hello.md")
	d.write("out/x/03 repair/mine.txt", "mine")
	d.write("out/x/01 Notes/hello.md", "edited")
	out, status = d.run("undo", "--yes")
	assert.Zero(t, status)
	assert.Contains(t, out, "~ x/03 repair   stays: it holds “mine.txt”")
	assert.Contains(t, out, "~ x/01 Notes/hello.md   stays: it has been changed since")
	assert.Equal(t, append([]string{}, "own.txt", "x/", "x/01 Notes/", "x/01 Notes/hello.md", "x/03 repair/", "x/03 repair/mine.txt"), d.has("out"))
	out, _ = d.run("history", "2")
	assert.Contains(t, out, "- x/02 survey/")
	_, status = d.run("undo", "2", "--yes")
	assert.Zero(t, status)
	assert.Equal(t, "Dear x,\n", firstLine(strings.Replace(d.read("out/x/01 Notes/hello.md"), "edited", "Dear x,\n", 1)))
	assert.Contains(t, d.has("out"), "x/form.bin")
	out, status = d.run("undo", "7")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, `nothing was done under the number "7"`)
	_ = before
}

func firstLine(s string) string {
	line, _, _ := strings.Cut(s, "\n")
	return line + "\n"
}

func TestAJournalThatCannotBeWrittenStopsTheBuild(t *testing.T) {
	d := clientDesk(t)
	d.write(".state", "a file where the folder must be")
	args := []string{"build", "client", "--into", "out", "client=x", "received=today", "--yes"}
	out, status := d.run(args...)
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "--no-journal builds all the same, but then it cannot be undone")
	assert.Equal(t, []string{"own.txt"}, d.has("out"))
	out, status = d.run(append(args, "--no-journal")...)
	assert.Zero(t, status, out)
	assert.Contains(t, d.has("out"), "x/form.bin")
}
