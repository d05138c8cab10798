//go:build unix

package main

import (
	"bufio"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A watched template is shown anew after each save, however the editor saves it, and
// whatever it holds in between.
func TestATemplateIsWatched(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "<client>\n    Letters\n")
	d.write("job.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Letters\n")
	cmd := exec.Command(program, "show", "--watch", "job")
	cmd.Dir, cmd.Env = d.dir, d.environment()
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill() })
	lines := bufio.NewScanner(out)
	waitFor := func(text string) (seen string) {
		for lines.Scan() {
			if seen += lines.Text() + "\n"; strings.Contains(lines.Text(), text) {
				return seen
			}
		}
		require.Fail(t, "it ended", "before it showed %q:\n%s", text, seen)
		return ""
	}
	assert.Contains(t, waitFor("All is well"), "    Letters/")
	d.write("job.folders", strings.Replace(d.read("job.folders"), "Letters", "Plans", 1))
	assert.Contains(t, waitFor("All is well"), "    Plans/")

	// An editor that writes beside it, and renames.
	d.write("job.folders~", strings.Replace(d.read("job.folders"), "Plans", "misc", 1))
	require.NoError(t, os.Rename(filepath.Join(d.dir, "job.folders~"), filepath.Join(d.dir, "job.folders")))
	assert.Contains(t, waitFor("1 warning"), "says nothing about what it holds")

	// A broken text keeps the tree; a file that is gone is told, and comes back.
	d.write("job.folders", "---\nfields: [\n---\n<client\n")
	assert.Contains(t, waitFor("error"), "job.folders")
	require.NoError(t, os.Remove(filepath.Join(d.dir, "job.folders")))
	waitFor("it is not there now")
	d.write("job.folders", "Again\n    Letters\n    Plans\n")
	assert.Contains(t, waitFor("All is well"), "Again/")
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	for lines.Scan() {
	}
	assert.NoError(t, cmd.Wait())
	assert.Equal(t, []string{"job.folders"}, d.has("."), "nothing is written")

	said, status := d.run("show", "commission", "--watch")
	assert.Equal(t, 2, status)
	assert.Contains(t, said, "vestibula draft my-commission --like commission")
}

func TestAWatchedTemplateHasAWindow(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who?, gilding: { type: yes-no } }\n---\n<client>\n    1 Letters\n    10 Plans\n    2 Gilding | when: gilding\n")
	for _, columns := range []int{120, 60, 20} {
		w := d.window(columns, nil, "show", "--watch", "job")
		w.waitFor("Gilding")
		if columns > 100 { // only what changes is drawn again, at each key or for several
			w.answer("q end", "vl")
			w.answer("code-point", "f")
			w.waitFor("would stand before")
		}
		w.answer("", "vlf\x1b[B\x1b[Aq")
		out, status := w.end()
		assert.Zero(t, status, out)
	}
}
