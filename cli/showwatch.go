package cli

import (
	"context"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"
	"github.com/fsnotify/fsnotify"

	"vestibula/cli/term"
	"vestibula/core/order"
	"vestibula/core/place"
	"vestibula/core/template"
)

// A watching shows a template while it is written in an editor. It never writes.
type watching struct {
	*app
	path   string // of the template
	args   []string
	flags  valueFlags
	text   string // as it was read last
	gone   string // why it cannot be read now, or empty
	last   *sight // the last one that a tree could be made of
	values int    // which of the examples of values is shown
	listed int    // which order it is shown in: 0 is that of the template
}

// A sight is what a template makes, drawn.
type sight struct {
	title    term.Shown
	tree     []term.Shown
	findings []term.Shown
	lists    []term.Shown
	examples int        // how many examples of values there are
	made     bool       // a tree could be made
	summary  term.Shown // in a line
}

// settle is how long nothing may happen to a file before it is read: an editor writes in
// several steps.
const settle = 25 * time.Millisecond

// glanceEvery is how often the file is looked at all the same: not every disk tells of changes.
const glanceEvery = time.Second

// watch shows it until somebody ends that.
func (a *app) watch(args []string, flags valueFlags) error {
	src, err := a.find(args[0])
	if err != nil {
		return err
	}
	if src.path == "" {
		return unclear(advise("to make a copy of your own", "draft", "my-"+strings.TrimSuffix(src.name, template.Ending), "--like", strings.TrimSuffix(src.name, template.Ending)).String(), "%s is no file that somebody writes in", args[0])
	}
	w := &watching{app: a, path: src.path, args: args[1:], flags: flags}
	a.catching.Add(1)
	defer a.catching.Add(-1)
	stop, release := signal.NotifyContext(context.Background(), os.Interrupt)
	defer release()
	changes := make(chan struct{}, 1)
	go w.listen(stop, changes)
	if !a.screen.Terminal {
		return w.blocks(stop, changes)
	}
	w.read()
	p := tea.NewProgram(&watchModel{w: w, sight: w.sight(80)}, tea.WithInput(a.in), tea.WithOutput(a.out), tea.WithContext(stop))
	go func() {
		for range changes {
			p.Send(changed{})
		}
	}()
	if _, err := p.Run(); err != nil && stop.Err() == nil {
		return unwritten(err)
	}
	return nil
}

// listen tells of each change of the file. Editors write beside it and rename, so its folder
// is what is watched.
func (w *watching) listen(stop context.Context, changes chan<- struct{}) {
	tell := func() {
		select {
		case changes <- struct{}{}:
		default: // one is told of already
		}
	}
	watcher, err := fsnotify.NewWatcher()
	var events chan fsnotify.Event
	if err == nil {
		defer watcher.Close()
		if watcher.Add(filepath.Dir(w.path)) == nil {
			events = watcher.Events
		}
	}
	quiet := time.NewTimer(settle)
	again := time.NewTicker(glanceEvery)
	defer again.Stop()
	for {
		select {
		case <-stop.Done():
			return
		case e, open := <-events:
			if !open {
				events = nil
			} else if filepath.Base(e.Name) == filepath.Base(w.path) {
				quiet.Reset(settle)
			}
		case <-quiet.C:
			tell()
		case <-again.C:
			tell()
		}
	}
}

// read reads the file, and reports whether it holds something else than before.
func (w *watching) read() bool {
	src, err := readTemplate(w.path, "")
	text, gone := w.text, ""
	if err != nil {
		gone = err.Error()
		if _, missing := place.Lstat(w.path); missing != nil {
			gone = "it is not there now"
		}
	} else {
		text = src.text
	}
	changed := text != w.text || gone != w.gone
	w.text, w.gone = text, gone
	return changed
}

// blocks prints what the template makes, and again at each change, for a pipe.
func (w *watching) blocks(stop context.Context, changes <-chan struct{}) error {
	for first := true; ; first = false {
		if w.read() || first {
			s := w.sight(0)
			if !first {
				w.screen.Line()
			}
			w.screen.Line(s.title)
			for _, part := range [][]term.Shown{s.tree, s.findings} {
				for _, line := range part {
					w.screen.Line(line)
				}
				if len(part) > 0 {
					w.screen.Line()
				}
			}
			w.screen.Text(s.summary)
			if err := w.screen.Err(); err != nil {
				return unwritten(err)
			}
		}
		select {
		case <-stop.Done():
			return nil
		case <-changes:
		}
	}
}

// sight draws what the template makes now, for so many columns; 0 is as many as it takes.
func (w *watching) sight(columns int) *sight {
	s := &sight{title: term.Title.Render(term.Visible(filepath.Base(w.path)))}
	if w.gone != "" {
		s.summary = term.Bad.Render("error:") + " " + term.Visible(w.gone)
		if w.last != nil {
			s.tree = w.last.tree
		}
		return s
	}
	draw := func(with func(a *app)) []term.Shown {
		return w.screen.Drawn(columns, func(on *term.Screen) {
			own := *w.app
			own.screen, own.side = on, on
			with(&own)
		})
	}
	src, err := readTemplate(w.path, "")
	if err != nil {
		s.summary = term.Bad.Render("error:") + " " + term.Visible(err.Error())
		return s
	}
	result := &checkResult{Subject: src.name, Findings: []finding{}, path: src.path}
	var failed error
	s.findings = draw(func(a *app) {
		r := &checkRun{app: a, flags: w.flags}
		if failed = r.template(result, src, w.args); failed == nil {
			for _, f := range result.Findings {
				a.screen.Line()
				r.tellFinding(result.Subject, f)
			}
		}
	})
	s.findings = slices.DeleteFunc(s.findings, func(line term.Shown) bool { return line == "" && len(result.Findings) == 0 })
	t, err := src.parse()
	if err == nil {
		s.made = true
		s.tree = draw(func(a *app) {
			x := w.tree(a, t, s)
			if x == nil {
				return
			}
			s.lists = draw(func(a *app) { a.sortings(x.Root) })
			if orders := order.All(); w.listed > 0 {
				order.Tree(orders[(w.listed-1)%len(orders)], x.Root)
			}
			a.screen.Tree(x.Root, term.TreeView{Note: noteOf(t, x), Same: alikeUnless(w.listed > 0)})
		})
		w.last = s
	} else if w.last != nil {
		s.tree, s.lists = w.last.tree, w.last.lists
	}
	s.summary = summary(result, failed)
	return s
}

// tree is what the template makes of the values that are looked at; nil where they cannot be
// read.
func (w *watching) tree(a *app, t *template.Template, s *sight) *template.Expansion {
	given, err := a.values(t, w.args, w.flags.file)
	if err != nil {
		return nil
	}
	scenarios, _ := t.Scenarios(given, w.now)
	s.examples = len(scenarios)
	values := t.Sample(given, w.now)
	if w.values > 0 && len(scenarios) > 0 {
		values = scenarios[w.values%len(scenarios)]
	}
	x, err := t.Tree(values, w.flags.limit)
	if err != nil {
		return nil
	}
	return x
}

// summary says in a line what was found in a template, or why it could not be checked.
func summary(result *checkResult, failed error) term.Shown {
	switch {
	case failed != nil:
		return term.Bad.Render("error:") + " " + term.Visible(failed.Error())
	case result.Errors+result.Warnings == 0:
		return term.Good.Render("All is well") + " with " + term.Visible(result.Subject) + "."
	}
	var parts []term.Shown
	if result.Errors > 0 {
		parts = append(parts, term.Bad.Render(term.Count(result.Errors, "error")))
	}
	if result.Warnings > 0 {
		parts = append(parts, term.Warn.Render(term.Count(result.Warnings, "warning")))
	}
	return term.Join(parts, ", ") + "."
}

// changed is told to the window when the file may hold something else.
type changed struct{}

// A watchModel is the window of a watching.
type watchModel struct {
	w             *watching
	sight         *sight
	columns, rows int
	from          int // the first line of the tree that is seen
	finding       int // which finding stands first
}

// Init begins with nothing to do.
func (m *watchModel) Init() tea.Cmd { return nil }

// Update takes keys, the size of the window, and changes of the file.
func (m *watchModel) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	again := false
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.columns, m.rows = msg.Width, msg.Height
		again = true
	case changed:
		again = m.w.read()
	case tea.KeyPressMsg:
		switch msg.String() {
		case "q", "esc", "ctrl+c":
			return m, tea.Quit
		case "v":
			m.w.values++
			again = true
		case "l":
			m.w.listed = (m.w.listed + 1) % (len(order.All()) + 1)
			again = true
		case "f":
			m.finding++
		case "down", "j":
			m.from++
		case "up", "k":
			m.from--
		case "pgdown", "space":
			m.from += m.rows / 2
		case "pgup":
			m.from -= m.rows / 2
		}
	}
	if again {
		width, beside := m.panes()
		if beside > 0 {
			width = min(width, beside-1) // what is found stands on the right
		}
		m.sight = m.w.sight(max(width, 10))
	}
	m.from = max(0, min(m.from, len(m.sight.tree)-1))
	return m, nil
}

// panes are how wide the tree is, and what stands beside it; 0 is for below it.
func (m *watchModel) panes() (left, right int) {
	if m.columns < 90 {
		return m.columns, 0
	}
	return m.columns/2 - 1, m.columns - m.columns/2 - 2
}

// View draws the window.
func (m *watchModel) View() tea.View {
	left, right := m.panes()
	rows := max(m.rows-4, 1)
	head := m.sight.title + "  " + m.sight.summary
	keys := term.Sprintf("v other values")
	if n := m.sight.examples; n > 0 {
		keys = term.Sprintf("v values %d of %d", m.w.values%n+1, n)
	}
	list := "as it is written"
	if m.w.listed > 0 {
		list = order.All()[m.w.listed-1].String()
	}
	keys += term.Sprintf("   l list: %s   f next finding   ↑ ↓ the tree   q end", list)
	var body []string
	beside := append(m.blocks(), m.sight.lists...)
	if right > 0 {
		tree := clip(m.sight.tree[min(m.from, len(m.sight.tree)):], rows)
		others := clip(beside, rows)
		for i := range rows {
			var a, b term.Shown
			if i < len(tree) {
				a = tree[i]
			}
			if i < len(others) {
				b = others[i]
			}
			body = append(body, string(term.Pad(term.Cut(a, left), left)+term.Dim.Render("│ ")+term.Cut(b, right-1)))
		}
	} else {
		half := max(rows/2, 1)
		for _, line := range clip(m.sight.tree[min(m.from, len(m.sight.tree)):], half) {
			body = append(body, string(term.Cut(line, max(left, 1))))
		}
		body = append(body, "")
		for _, line := range clip(beside, max(rows-half-1, 1)) {
			body = append(body, string(term.Cut(line, max(left, 1))))
		}
	}
	view := tea.NewView(strings.Join(append(append([]string{string(term.Cut(head, max(m.columns, 1))), ""}, body...), "", string(term.Cut(term.Dim.Render(keys), max(m.columns, 1)))), "\n"))
	view.AltScreen = true
	return view
}

// blocks are the findings, the one that was asked for first.
func (m *watchModel) blocks() []term.Shown {
	var blocks [][]term.Shown
	for i, line := range m.sight.findings {
		if line == "" || i == 0 {
			blocks = append(blocks, nil)
		}
		if line != "" {
			blocks[len(blocks)-1] = append(blocks[len(blocks)-1], line)
		}
	}
	var out []term.Shown
	for i := range blocks {
		out = append(append(out, blocks[(i+m.finding)%len(blocks)]...), "")
	}
	return out
}

// clip shows no more than so many lines, and says how many are left out.
func clip(lines []term.Shown, rows int) []term.Shown {
	if len(lines) <= rows || rows < 1 {
		return lines
	}
	more := term.Dim.Render(term.Sprintf("… %s more", term.Number(len(lines)-rows+1)))
	return append(slices.Clone(lines[:rows-1]), more)
}
