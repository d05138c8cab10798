package rules

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"vestibula/core/naming"
	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A Fixed line is one that was changed.
type Fixed struct {
	Line          int
	Before, After string // without the line break
}

// FixText puts right in the text of a template what can be without asking:
// spaces at the end of lines and double ones in names, numbers of siblings that
// are too narrow, come twice or stand in the wrong order, and names that are
// not written in the style that the rules ask for. Comments, layout and all
// else stay as they are. Rules that are off fix nothing.
func FixText(t *template.Template, now time.Time) (string, []Fixed, error) {
	set, errs := Configure(t)
	if len(errs) > 0 {
		return "", nil, errs
	}
	file, err := outline.Parse(t.Text)
	if err != nil {
		return "", nil, err
	}
	m := &fixer{t: t, lines: map[int]*outline.Line{}, settings: map[string]*template.Node{}}
	for _, l := range file.Lines {
		m.lines[l.Number] = l
	}
	for _, r := range set.rules {
		m.settings[r.name] = r.setting.Value
	}
	before := strings.Split(t.Text, "\n")
	for _, l := range file.Lines {
		m.spaces(l)
	}
	if err := m.numbers(now); err != nil {
		return "", nil, err
	}
	m.styles()
	text := file.String()
	var fixed []Fixed
	for i, after := range strings.Split(text, "\n") {
		if after != before[i] {
			fixed = append(fixed, Fixed{i + 1, strings.TrimRight(before[i], "\r"), strings.TrimRight(after, "\r")})
		}
	}
	return text, fixed, nil
}

type fixer struct {
	t        *template.Template
	lines    map[int]*outline.Line
	settings map[string]*template.Node // of the rules that are on; nil where a rule has none
}

// line returns the line that a node comes from, or nil.
func (m *fixer) line(n *tree.Node) *outline.Line {
	if l := m.t.LineOf(n); l != nil {
		return m.lines[l.Syntax.Number]
	}
	return nil
}

func (m *fixer) spaces(l *outline.Line) {
	if end := strings.TrimLeft(l.End, " \t\u00a0"); l.Kind == outline.Entry {
		l.End = end
		for strings.Contains(l.Name, "  ") {
			l.Name = strings.ReplaceAll(l.Name, "  ", " ")
		}
	}
}

// numbers looks at the series in the largest tree that the template makes.
func (m *fixer) numbers(now time.Time) error {
	_, sorts := m.settings["sorting"]
	node, counts := m.settings["numbering"]
	if !sorts && !counts {
		return nil
	}
	setting := numberingSetting{gaps: true}
	if node != nil {
		var err error
		if setting, err = readNumbering(node); err != nil {
			return err
		}
	}
	scenarios, _ := m.t.Scenarios(nil, now)
	x, err := m.t.Tree(scenarios[min(1, len(scenarios)-1)], template.DefaultLimit)
	if err != nil {
		return err
	}
	done := map[string]bool{}
	var walk func(f *Folder)
	walk = func(f *Folder) {
		for _, kind := range []tree.Kind{tree.Folder, tree.File} {
			for _, row := range seriesOf(f, kind, true) {
				key := fmt.Sprint(row[0].node.From, row[len(row)-1].node.From, row[0].Front)
				if !done[key] {
					done[key] = true
					m.series(row, setting)
				}
			}
		}
		for _, n := range f.Node.Children {
			if n.Kind == tree.Folder {
				walk(&Folder{Node: n, Parent: f, Depth: f.Depth + 1})
			}
		}
	}
	walk(&Folder{Node: x.Root})
	return nil
}

// series fixes one series of numbered siblings.
func (m *fixer) series(row []member, setting numberingSetting) {
	width, uneven, wrong := max(setting.digits, 1), false, false
	for i, r := range row {
		width = max(width, len(strconv.Itoa(r.Value)))
		uneven = uneven || len(r.Digits) != len(row[0].Digits)
		if i > 0 {
			wrong = wrong || r.Value <= row[i-1].Value || !setting.gaps && r.Value != row[i-1].Value+1 && setting.reserved[r.Value] == ""
		}
	}
	if setting.digits > 0 {
		uneven = uneven || len(row[0].Digits) != setting.digits
	}
	if !uneven && !wrong {
		return
	}
	numbers := make([]int, len(row))
	next := row[0].Value
	for i, r := range row {
		last := i == len(row)-1 && r.Value >= 90
		if numbers[i] = r.Value; wrong && !last && setting.reserved[r.Value] == "" {
			numbers[i] = next
		}
		next = numbers[i] + 1
		width = max(width, len(strconv.Itoa(numbers[i])))
	}
	if setting.digits == 0 {
		width = max(width, 2)
		for _, r := range row {
			width = max(width, len(r.Digits)) // never narrower than it was
		}
	}
	for i, r := range row {
		m.renumber(m.line(r.node), r, numbers[i], width)
	}
}

// renumber writes the number of a member into its line: as digits where it is
// written out, else as the form of the slot that makes it.
func (m *fixer) renumber(l *outline.Line, r member, number, width int) {
	if l == nil || l.Kind != outline.Entry {
		return
	}
	zeros := strings.Repeat("0", width)
	segments, _ := l.Segments()
	last := segments[len(segments)-1].Text
	at := strings.LastIndex(l.Name, last)
	p, _ := pattern.Parse(last)
	out, changed := "", false
	for _, piece := range p.Pieces {
		text := piece.Text
		switch {
		case changed:
		case piece.Field == "":
			if n, ok := naming.NumberIn(text); ok && n.Value == r.Value {
				text, changed = n.Front+fmt.Sprintf("%0*d", width, number)+n.Rest, true
			}
		case piece.Field == pattern.OwnNumber && piece.Form == "":
			changed = true // it widens by itself
		case strings.Trim(piece.Form, "0") == "" && m.counts(l, piece.Field):
			text, changed = "<"+piece.Field+":"+zeros+">", true
		}
		out += text
	}
	if changed {
		l.Name = l.Name[:at] + out + l.Name[at+len(last):]
	}
}

// counts reports whether a slot of a line is its own number, or the item of a
// loop over numbers.
func (m *fixer) counts(l *outline.Line, field string) bool {
	if field == pattern.OwnNumber {
		return true
	}
	clause, ok := l.Clause("each")
	name, source, _ := strings.Cut(clause.Text, " in ")
	if !ok || strings.TrimSpace(name) != field {
		return false
	}
	from, _, isRange := strings.Cut(source, "..")
	_, err := strconv.Atoi(strings.TrimSpace(from))
	return isRange && err == nil
}

// styles brings names without slots into the style that the rules ask for.
func (m *fixer) styles() {
	node := m.settings["name-style"]
	if node == nil {
		return
	}
	folders, fileStyle, err := styles(node)
	if err != nil {
		return
	}
	files := map[int]bool{} // the lines of files
	for _, l := range m.t.Lines {
		files[l.Syntax.Number] = files[l.Syntax.Number] || l.Kind == tree.File
	}
	for _, l := range m.lines {
		if _, kept := l.Clause("keep"); l.Kind != outline.Entry || kept || strings.Contains(l.Name, "<") {
			continue
		}
		parts := strings.Split(l.Name, "/")
		for i, part := range parts {
			n := &tree.Node{Name: part}
			style := folders
			if files[l.Number] && i == len(parts)-1 {
				n.Kind, style = tree.File, fileStyle
			}
			if part == "" || style == "" || pattern.Looks(tree.Bare(n), style) {
				continue
			}
			if fixed := restyled(n, style); pattern.Looks(tree.Bare(&tree.Node{Name: fixed, Kind: n.Kind}), style) {
				parts[i] = fixed
			}
		}
		l.Name = strings.Join(slices.Clip(parts), "/")
	}
}
