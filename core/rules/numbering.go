package rules

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strconv"
	"strings"

	"vestibula/core/match"
	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

func numberingRules() []*rule {
	return []*rule{{
		name:  "numbering",
		about: "Numbered siblings have one width, no number twice and no hole, and keep reserved numbers for what they are reserved for; a number that counts on (`next`) comes once where it counts.",
		why:   "A number that comes twice or is missing makes people ask what was lost; two widths sort wrongly; and a number that is kept for one thing helps only if nothing else takes it.",
		set:   "numbering: { digits: 2, gaps: no, reserved: { 90: Settled } }\nnumbering: counted   # only numbers that count on",
		bad:   "# numbering: { digits: 2, gaps: no }\nCommission\n    01 Agreement\n    01 Survey\n    4 Work",
		good:  "# numbering: { digits: 2, gaps: no }\nCommission\n    01 Agreement\n    02 Survey\n    03 Work",

		schema: map[string]any{"anyOf": []any{map[string]any{"const": "counted"}, map[string]any{"type": "object", "additionalProperties": false, "properties": map[string]any{
			"digits":   map[string]any{"type": "integer", "minimum": 1, "maximum": 3},
			"gaps":     map[string]any{"enum": []any{"yes", "no", true, false}},
			"reserved": map[string]any{"type": "object", "additionalProperties": map[string]any{"type": "string"}},
		}}}},
		standard: "counted", configure: numbering,
	}}
}

// A numberingSetting is the setting of the rule numbering.
type numberingSetting struct {
	digits   int // 0 means any, but one width
	gaps     bool
	reserved map[int]string
}

func readNumbering(n *template.Node) (s numberingSetting, err error) {
	s.gaps = true
	if n.Kind != template.Mapping {
		return s, fmt.Errorf("needs digits, gaps or reserved")
	}
	for _, p := range n.Pairs {
		switch p.Key {
		case "digits":
			if s.digits, err = whole(p.Value); err != nil || s.digits > 3 {
				return s, fmt.Errorf("takes 1, 2 or 3 digits")
			}
		case "gaps":
			_, no := value.Says(p.Value.Text)
			s.gaps = !no
		case "reserved":
			s.reserved = map[int]string{}
			for _, q := range p.Value.Pairs {
				number, err := strconv.Atoi(q.Key)
				if err != nil || q.Value.Text == "" {
					return s, fmt.Errorf("reserves numbers for names, as in { 90: Settled }")
				}
				s.reserved[number] = q.Value.Text
			}
		default:
			return s, fmt.Errorf("has no setting \"%s\"; it takes digits, gaps and reserved", p.Key)
		}
	}
	return s, nil
}

// A member is one of a series of numbered siblings.
type member struct {
	node *tree.Node
	naming.Number
}

// seriesOf puts the children of one kind that are numbered into rows, by the
// text in front of their number. A row has at least two members.
func seriesOf(f *Folder, kind tree.Kind, counting bool) [][]member {
	var fronts []string
	rows := map[string][]member{}
	for _, n := range f.Node.Children {
		if n.Kind != kind || counting && n.Marks&tree.Keep != 0 {
			continue
		}
		// A file and its ending: the number of v2 or mp3 is none of a series.
		name := n.Name
		if kind == tree.File {
			name, _ = tree.Split(name)
		}
		m, ok := naming.NumberIn(name)
		if !ok || counting && !m.Counts() {
			continue
		}
		if len(rows[m.Front]) == 0 {
			fronts = append(fronts, m.Front)
		}
		rows[m.Front] = append(rows[m.Front], member{n, m})
	}
	var list [][]member
	for _, front := range fronts {
		if row := rows[front]; len(row) > 1 && !oneValue(row) {
			list = append(list, row)
		}
	}
	return list
}

// oneValue reports whether all names of a row begin with one value that holds a number, as
// “12 Oak Street letters” and “12 Oak Street bills” do: that number counts nothing.
func oneValue(row []member) bool {
	word := func(m member) string {
		word, more, _ := strings.Cut(strings.TrimLeft(m.Rest, " "), " ")
		if more == "" || len(m.Rest) == 0 || m.Rest[0] != ' ' {
			return "" // the name ends there
		}
		return word
	}
	first := word(row[0])
	for _, m := range row {
		if m.Digits != row[0].Digits || word(m) != first {
			return false
		}
	}
	return first != ""
}

func numbering(c *context) (check, error) {
	counted := func(r *Real, report func(Finding)) {
		for _, t := range r.Things {
			if t.Kind == match.Recounted {
				report(Finding{Rule: "numbering", Severity: c.severity, Path: t.Path, Message: say("%s has the same number as %s", shown(path.Base(t.Path)), shown(t.Other)),
					Help: "give one of them the next free number"})
			}
		}
	}
	if c.setting.Kind == template.Scalar && c.setting.Text == "counted" {
		return check{real: counted, things: true}, nil
	}
	setting, err := readNumbering(c.setting)
	return check{real: counted, folder: func(f *Folder, report func(Finding)) {
		for _, kind := range []tree.Kind{tree.Folder, tree.File} {
			for _, row := range seriesOf(f, kind, true) {
				setting.judge(f, row, c.severity, report)
			}
		}
		for _, n := range f.Node.Children {
			setting.keepReserved(f, n, c.severity, report)
		}
	}}, err
}

// judge looks at one series.
func (s *numberingSetting) judge(f *Folder, row []member, severity Severity, report func(Finding)) {
	tell := func(m member, message Message, help string, name ...string) {
		finding := f.finding("numbering", severity, m.node)
		finding.Message, finding.Help = message, help
		if len(name) > 0 {
			finding.Fix = f.renaming(m.node, name[0], true)
		}
		report(finding)
	}
	width := s.digits
	if width == 0 {
		for _, m := range row {
			width = max(width, len(m.Digits))
		}
	}
	first := map[int]member{}
	for _, m := range row {
		want := fmt.Sprintf("%0*d", width, m.Value)
		if before, twice := first[m.Value]; twice {
			tell(m, say("the number %s stands twice: %s and %s", m.Digits, shown(before.node.Name), shown(m.node.Name)), f.advice("count on, or write <#> and let the program number them", "give one of them the next free number"))
			continue
		}
		first[m.Value] = m
		switch {
		case len(want) > width && s.digits > 0:
			tell(m, say("%s does not fit into %d digits", shown(m.node.Name), width), f.advice(fmt.Sprintf("write `digits: %d`", len(want)), "give it a smaller number"))
		case m.Digits != want:
			tell(m, say("%s has %s, and this series %d", shown(m.node.Name), digitCount(len(m.Digits)), width), f.advice("write ", "rename it to ")+m.Front+want+m.Rest, strings.Replace(m.node.Name, m.Front+m.Digits+m.Rest, m.Front+want+m.Rest, 1))
		}
	}
	if s.gaps {
		return
	}
	numbers := slices.Sorted(maps.Keys(first))
	for i, n := range numbers[1:] {
		before := numbers[i]
		if _, kept := s.reserved[n]; n == before+1 || kept {
			continue
		}
		missing := fmt.Sprintf("%0*d", width, before+1)
		if n > before+2 {
			missing += fmt.Sprintf(" to %0*d", width, n-1)
		}
		tell(first[n], say("%s is missing between %s and %s", missing, shown(first[before].node.Name), shown(first[n].node.Name)), f.advice("close the gap, or write <#> and let the program number them", "close the gap, or look for what is gone"))
	}
}

// keepReserved looks whether a name takes a number that belongs to another.
func (s *numberingSetting) keepReserved(f *Folder, n *tree.Node, severity Severity, report func(Finding)) {
	m, ok := naming.NumberIn(n.Name)
	if !ok || m.Front != "" || !m.Counts() || n.Marks&tree.Keep != 0 {
		return
	}
	owner, kept := s.reserved[m.Value]
	name := strings.TrimLeft(m.Rest, " .-_)")
	finding := f.finding("numbering", severity, n)
	if kept && !strings.EqualFold(tree.Bare(n), owner) && !strings.EqualFold(name, owner) {
		finding.Message = say("%s takes the number %d, which is reserved for %s", shown(n.Name), m.Value, shown(owner))
		finding.Help = "give it another number"
		report(finding)
		return
	}
	for number, owner := range s.reserved {
		if strings.EqualFold(name, owner) && m.Value != number {
			finding.Message = say("%s has the number %d reserved for it", shown(owner), number)
			finding.Help = fmt.Sprintf("%s%d %s", f.advice("write ", "rename it to "), number, name)
			report(finding)
		}
	}
}

func digitCount(n int) string {
	if n == 1 {
		return "1 digit"
	}
	return fmt.Sprintf("%d digits", n)
}

// Taken is the finding that the own number of a project is that of another one as well.
func Taken(field string, number value.Value, other string) Finding {
	return Finding{Rule: "numbering", Severity: Error, Path: ".", Message: say("it has the %s %s, which is that of %s", field, number, shown(other)), Help: "give one of the two another number"}
}
