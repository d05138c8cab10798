package cli

import (
	"bufio"
	"errors"
	"io"
	"os"
	"strconv"
	"strings"
	"unicode"

	"charm.land/bubbles/v2/textinput"
	tea "charm.land/bubbletea/v2"
	"charm.land/lipgloss/v2"

	xterm "golang.org/x/term"

	"vestibula/cli/term"
)

// A question is what a person is asked. All have one form: the question, what would happen, what can be
// pressed. It is answered with one letter, with one of a list, with a line, or with several.
type question struct {
	title   term.Shown
	hint    string // what is wanted, and what can be pressed
	letters []letter
	list    []string // one of these is chosen
	lines   bool     // several lines; an empty one ends
	secret  bool     // what is typed is not shown
	text    string   // what stands in it at first; then the answer
	at      int      // the letter, or the one of the list, that Return takes; then the answer
	check   func(text string) error
	canBack bool // the question before can be asked again
}

// chooses says how one of a list is chosen.
const chooses = "↑ ↓ choose, or its number · Return takes it · ctrl+c stops"

// A letter is one key that answers a question.
type letter struct {
	key   rune
	means string
}

// answer asks a question, and reports whether the person wants the one before instead. It is cleared away
// whatever was typed. The error says that the person stopped.
func (a *app) answerTo(q *question) (back bool, err error) {
	if a.getenv("TERM") == "dumb" {
		return false, a.plainly(q)
	}
	w := &asking{question: q, apart: term.Apart(), width: a.side.Width}
	w.input = textinput.New()
	w.input.Prompt = ""
	if q.secret {
		w.input.EchoMode = textinput.EchoNone
	}
	w.input.SetValue(q.text)
	w.input.CursorEnd()
	w.input.Focus()
	drain(a.in)
	_, err = tea.NewProgram(w, tea.WithInput(a.in), tea.WithOutput(a.err)).Run()
	if n := lipgloss.Height(w.shown); w.shown != "" {
		a.side.Erase(n - 1)
	}
	if errors.Is(err, tea.ErrInterrupted) || w.stopped {
		err = a.stopped()
	}
	return w.back, err
}

// stopped ends a command that a person has stopped at a question; what was answered is not lost.
func (a *app) stopped() error {
	help := ""
	if words := a.answeredCall(); words != nil {
		help = advise("with the answers so far", words...).String()
	}
	return refused(help, "Stopped. Nothing was changed.")
}

// asking is a question while it is asked.
type asking struct {
	*question
	input         textinput.Model
	done          []string // lines that were typed
	wrong         string   // what is wrong with the answer
	shown         string   // as it was drawn last
	apart         bool     // an empty line stands above it
	width         int      // of the window
	back, stopped bool
}

// Init begins.
func (w *asking) Init() tea.Cmd { return nil }

// Update takes a key that was pressed, or what else happens. What is pasted is text, and answers nothing.
func (w *asking) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.PasteMsg:
		if w.letters != nil || w.list != nil {
			return w, nil
		}
		return w, w.paste(msg.Content)
	case tea.KeyPressMsg:
		switch key := msg.String(); {
		case key == "ctrl+c" || key == "esc":
			w.stopped = true
			return w, tea.Quit
		case key == "shift+tab" && w.canBack:
			w.back = true
			return w, tea.Quit
		case w.letters != nil:
			return w, w.letter(msg)
		case w.list != nil:
			return w, w.choose(key)
		case key == "enter":
			return w, w.enter()
		case key == "backspace" && w.lines && w.input.Value() == "" && len(w.done) > 0:
			w.input.SetValue(w.done[len(w.done)-1])
			w.input.CursorEnd()
			w.done = w.done[:len(w.done)-1]
			return w, nil
		}
	}
	var cmd tea.Cmd
	w.input, cmd = w.input.Update(msg)
	return w, cmd
}

// paste puts a text where it is typed: into several lines, where there may be several.
func (w *asking) paste(text string) (cmd tea.Cmd) {
	lines := strings.Split(strings.TrimRight(strings.ReplaceAll(text, "\r\n", "\n"), "\n"), "\n")
	if !w.lines {
		lines = []string{strings.Join(lines, " ")}
	}
	for i, l := range lines {
		if i > 0 && w.input.Value() != "" {
			w.done = append(w.done, w.input.Value())
			w.input.SetValue("")
		}
		w.input, cmd = w.input.Update(tea.PasteMsg{Content: l})
	}
	return cmd
}

// letter takes a key that may answer.
func (w *asking) letter(msg tea.KeyPressMsg) tea.Cmd {
	if msg.String() == "enter" {
		return tea.Quit
	}
	for i, l := range w.letters {
		if r := []rune(msg.Text); len(r) == 1 && unicode.ToLower(r[0]) == l.key {
			w.at = i
			return tea.Quit
		}
	}
	return nil
}

// choose takes a key that goes through a list.
func (w *asking) choose(key string) tea.Cmd {
	n, _ := strconv.Atoi(key)
	switch {
	case key == "enter":
		return tea.Quit
	case key == "up" && w.at > 0:
		w.at--
	case key == "down" && w.at < len(w.list)-1:
		w.at++
	case n > 0 && n <= len(w.list):
		w.at = n - 1
	}
	return nil
}

// enter takes the end of a line.
func (w *asking) enter() tea.Cmd {
	if w.text = w.input.Value(); w.lines {
		if strings.TrimSpace(w.text) != "" {
			w.done, w.wrong = append(w.done, w.text), ""
			w.input.SetValue("")
			return nil
		}
		w.text = strings.Join(w.done, "\n")
	}
	if w.check != nil {
		if err := w.check(w.text); err != nil {
			w.wrong = err.Error()
			return nil
		}
	}
	return tea.Quit
}

// View draws it; the last drawing stays until it is cleared.
func (w *asking) View() tea.View {
	var lines []term.Shown
	if !w.apart {
		lines = append(lines, "")
	}
	told := func(text, before term.Shown, style term.Style) {
		for _, line := range term.Wrapped(text, max(w.width-term.Columns(before), 20)) {
			lines = append(lines, before+style.Render(line))
		}
	}
	told(w.title, "", term.Title)
	for l := range strings.SplitSeq(w.hint, "\n") {
		if l != "" {
			told(term.Visible(l), "  ", term.Dim)
		}
	}
	switch {
	case w.letters != nil:
		for i, l := range w.letters {
			text := term.Visible(l.means)
			if i == w.at {
				text += term.Dim.Render("  (Return)")
			}
			lines = append(lines, "  "+term.Accent.Render(term.Visible(string(l.key)))+"  "+text)
		}
	case w.list != nil:
		for i, o := range w.list {
			mark, text := term.Shown("  "), term.Visible(o)
			if i == w.at {
				mark, text = term.Accent.Render("› "), term.Strong.Render(text)
			}
			lines = append(lines, mark+text)
		}
	default:
		for _, l := range w.done {
			lines = append(lines, "  "+term.Visible(l))
		}
		lines = append(lines, term.Accent.Render("› ")+term.Typed(w.input.View()))
	}
	if w.wrong != "" {
		lines = append(lines, term.Bad.Render("! ")+term.Visible(w.wrong))
	}
	text := string(term.Join(lines, "\n"))
	// It never shrinks: then the cursor is in its last line at the end.
	w.shown = text + strings.Repeat("\n", max(0, lipgloss.Height(w.shown)-lipgloss.Height(text)))
	return tea.NewView(w.shown)
}

// plainly asks on a terminal that knows no more than lines.
func (a *app) plainly(q *question) error {
	if a.typed == nil {
		a.typed = bufio.NewReader(a.in)
	}
	a.side.Line(q.title)
	for i, l := range q.letters {
		a.side.Line("  ", term.Visible(string(l.key)), "  ", term.Visible(l.means), map[bool]term.Shown{true: "  (Return)"}[i == q.at])
	}
	for i, o := range q.list {
		a.side.Line(term.Sprintf("  %d  ", i+1), term.Visible(o))
	}
	var all []string
	for {
		line, err := a.lineOf(q)
		if err != nil && (line == "" || !errors.Is(err, io.EOF)) {
			return a.stopped()
		}
		line = strings.TrimSpace(line)
		if q.letters == nil && q.list == nil {
			if q.lines && line != "" {
				all = append(all, line)
				continue
			}
			if q.text = line; q.lines {
				q.text = strings.Join(all, "\n")
			}
			if q.check == nil {
				return nil
			}
			err := q.check(q.text)
			if err == nil {
				return nil
			}
			a.side.Line(term.Visible("! " + err.Error()))
			continue
		}
		if line == "" {
			return nil
		}
		for i, l := range q.letters {
			if strings.EqualFold(line, string(l.key)) {
				q.at = i
				return nil
			}
		}
		if n, err := strconv.Atoi(line); err == nil && n > 0 && n <= len(q.list) {
			q.at = n - 1
			return nil
		}
	}
}

// lineOf reads a line; what is secret is not shown.
func (a *app) lineOf(q *question) (string, error) {
	if f, ok := a.in.(*os.File); ok && q.secret {
		secret, err := xterm.ReadPassword(int(f.Fd()))
		return string(secret) + "\n", err
	}
	return a.typed.ReadString('\n')
}
