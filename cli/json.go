package cli

import (
	"bytes"
	"io"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/outline"
)

// A jsonRun is a run of which a program reads the results: standard output holds JSON,
// and nothing else, however the run ends.
type jsonRun struct {
	written  *counted      // standard output; nil where people read
	said     *bytes.Buffer // what a person would have been told there
	mistakes []mistake
}

// A mistake is what is wrong with the text of a template.
type mistake struct {
	file string
	errs outline.Errors
}

// A counted writer knows whether anything was written.
type counted struct {
	io.Writer
	any bool
}

func (c *counted) Write(data []byte) (int, error) {
	c.any = c.any || len(data) > 0
	return c.Writer.Write(data)
}

// inJSON keeps standard output for JSON from now on.
func (a *app) inJSON() {
	if a.written != nil {
		return
	}
	a.written, a.said = &counted{Writer: a.out}, &bytes.Buffer{}
	a.out = a.written
	a.screen = term.NewScreen(a.said, a.env, true)
}

// endJSON ends a run with a status. Where a program waits for JSON and there was none, it
// is told what a person was told; s is nil where all went well.
func (a *app) endJSON(s *stop) int {
	status := statusDone
	if s != nil {
		status = s.status
	}
	if a.written == nil {
		return status
	}
	if a.written.any {
		if a.said.Len() == 0 {
			return status
		}
		a.side.Text(term.Lines(strings.TrimRight(a.said.String(), "\n")))
		return status
	}
	type place struct {
		File    string `json:"file"`
		Line    int    `json:"line,omitempty"`
		Column  int    `json:"column,omitempty"`
		Message string `json:"message"`
		Help    string `json:"help,omitempty"`
	}
	end := struct {
		Status   int      `json:"status"`
		Error    string   `json:"error,omitempty"`
		Help     []string `json:"help,omitempty"`
		Mistakes []place  `json:"mistakes,omitempty"`
		Said     []string `json:"said,omitempty"`
	}{Status: status}
	if s != nil {
		end.Error, end.Help = s.message, lines(s.help)
	}
	for _, m := range a.mistakes {
		for _, e := range m.errs {
			end.Mistakes = append(end.Mistakes, place{m.file, e.Line, e.Column, e.Message, e.Help})
		}
	}
	end.Said = lines(a.said.String())
	if a.printJSON(end) != nil {
		return statusUnclear
	}
	return status
}

// lines are the lines of a text that hold something.
func lines(text string) (list []string) {
	for line := range strings.Lines(text) {
		if line = strings.TrimSpace(line); line != "" {
			list = append(list, line)
		}
	}
	return list
}
