//go:build unix

package main

import (
	"io"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/charmbracelet/x/ansi"
	"github.com/creack/pty"
	"github.com/stretchr/testify/require"
)

// A window is a real terminal in which the program runs.
type window struct {
	t    *testing.T
	pty  *os.File
	cmd  *exec.Cmd
	lock sync.Mutex
	more *sync.Cond // there is more to be seen, or the program has ended
	seen strings.Builder
	over bool
	from int // what was shown after the last answer
}

func (d *desk) window(columns int, env []string, args ...string) *window {
	d.t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = d.dir
	cmd.Env = append([]string{"TERM=xterm-256color", "COLORTERM=truecolor", "GOCOVERDIR=" + coverage, "HOME=" + d.dir, "PATH=" + os.Getenv("PATH")}, env...)
	f, err := pty.StartWithSize(cmd, &pty.Winsize{Rows: 40, Cols: uint16(columns)})
	require.NoError(d.t, err)
	w := &window{t: d.t, pty: f, cmd: cmd}
	w.more = sync.NewCond(&w.lock)
	go func() {
		buf := make([]byte, 4096)
		for {
			n, err := f.Read(buf)
			w.lock.Lock()
			w.seen.Write(buf[:n])
			w.over = err != nil
			w.more.Broadcast()
			w.lock.Unlock()
			if err != nil {
				return
			}
			// A terminal answers when it is asked what it is and where the cursor
			// stands; without an answer, questions wait for one.
			if strings.Contains(string(buf[:n]), "\x1b[c") {
				_, _ = io.WriteString(f, "\x1b[?62c")
			}
			if strings.Contains(string(buf[:n]), "\x1b[6n") {
				_, _ = io.WriteString(f, "\x1b[1;1R")
			}
		}
	}()
	return w
}

func (w *window) text() string {
	w.lock.Lock()
	defer w.lock.Unlock()
	return w.seen.String()
}

// waitFor waits until the window shows a text, after what was answered last.
func (w *window) waitFor(text string) {
	w.t.Helper()
	w.lock.Lock()
	defer w.lock.Unlock()
	for !strings.Contains(w.seen.String()[w.from:], text) {
		if w.over {
			require.Fail(w.t, "the program ended", "before it showed %q:\n%q", text, w.seen.String())
		}
		w.more.Wait()
	}
}

// after waits for a text; what is looked at afterwards begins behind it.
func (w *window) after(text string) {
	w.t.Helper()
	w.waitFor(text)
	w.lock.Lock()
	defer w.lock.Unlock()
	w.from += strings.Index(w.seen.String()[w.from:], text) + len(text)
}

// answer types a text, key by key, when a question is shown.
func (w *window) answer(question, keys string) {
	w.t.Helper()
	w.waitFor(question)
	w.lock.Lock()
	w.from = w.seen.Len()
	w.lock.Unlock()
	_, err := io.WriteString(w.pty, keys)
	require.NoError(w.t, err)
}

// end waits for the program to end and returns all that was shown, and its
// status.
func (w *window) end() (string, int) {
	w.t.Helper()
	_ = w.cmd.Wait()
	w.lock.Lock()
	for !w.over {
		w.more.Wait()
	}
	w.lock.Unlock()
	w.pty.Close()
	return w.text(), w.cmd.ProcessState.ExitCode()
}

// screen is what a terminal shows after all that was sent to it, as far as the program uses
// one: lines, the cursor up and to the left, and clearing below.
func screen(sent string) (lines []string) {
	rows, row, column := [][]rune{nil}, 0, 0
	r := []rune(strings.ReplaceAll(sent, ansi.RequestBackgroundColor, "")) // what it asks the terminal is not shown
	for i := 0; i < len(r); i++ {
		switch {
		case r[i] == '\n':
			row++
			for len(rows) <= row {
				rows = append(rows, nil)
			}
		case r[i] == '\r':
			column = 0
		case r[i] == '\b':
			column = max(0, column-1)
		case r[i] == 0x1b && i+1 < len(r) && r[i+1] == '[':
			j := i + 2
			for j < len(r) && (r[j] < '@' || r[j] > '~') {
				j++
			}
			n, _ := strconv.Atoi(string(r[i+2 : j]))
			switch r[j] {
			case 'A':
				row = max(0, row-max(n, 1))
			case 'B':
				row = min(len(rows)-1, row+max(n, 1))
			case 'C':
				column += max(n, 1)
			case 'D':
				column = max(0, column-max(n, 1))
			case 'E':
				row, column = min(len(rows)-1, row+max(n, 1)), 0
			case 'F':
				row, column = max(0, row-max(n, 1)), 0
			case 'X':
				for k := column; k < min(column+max(n, 1), len(rows[row])); k++ {
					rows[row][k] = ' '
				}
			case 'G':
				column = max(n, 1) - 1
			case 'J':
				rows[row] = rows[row][:min(column, len(rows[row]))]
				rows = rows[:row+1]
			case 'K':
				rows[row] = rows[row][:min(column, len(rows[row]))]
			}
			i = j
		case r[i] == 0x1b:
			if i++; i < len(r) && r[i] == 'M' {
				row = max(0, row-1)
			}
		case r[i] >= ' ':
			for len(rows[row]) <= column {
				rows[row] = append(rows[row], ' ')
			}
			rows[row][column] = r[i]
			column++
		}
	}
	for _, cells := range rows {
		lines = append(lines, strings.TrimRight(string(cells), " "))
	}
	return lines
}
