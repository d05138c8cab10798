package cli

import (
	"fmt"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/inspect"
	"vestibula/core/order"
	"vestibula/core/rules"
)

// A stand is how a folder stands, as every table, page and first line says it: with one sign, one
// colour and the same words.
type stand struct {
	errors, warnings int
	found            []string // such as "2 missing", those of a rule together; what was accepted is no fault
	late, mostLate   int      // what should have been delivered, and for how many days at the most
	behind           bool     // the template of today is another one
	open             []string // fields whose values are not known yet
	unread           bool     // something in it could not be read
	err              error    // it could not be judged at all
}

// The words for one finding of a rule and for several, where its name is none.
var foundWords = map[string][2]string{
	"strays": {"stray", "strays"}, "links": {"dead link", "dead links"}, "vague-names": {"vague name", "vague names"},
	"holds": {"against “holds”", "against “holds”"}, "name-style": {"name in another style", "names in another style"},
}

// standOf sums up what was found of a folder.
func standOf(s *inspect.Subject) stand {
	st := stand{err: s.Err, open: s.Open}
	for _, d := range s.Due {
		if d.Late > 0 && !d.Delivered() {
			st.late, st.mostLate = st.late+1, max(st.mostLate, d.Late)
		}
	}
	count := map[string]int{}
	var rulesFound []string
	for _, f := range s.Findings {
		switch f.Severity {
		case rules.Advice:
			continue
		case rules.Error:
			st.errors++
		default:
			st.warnings++
		}
		if f.Rule == "overdue" {
			continue // what is late is told with its days
		}
		if count[f.Rule]++; count[f.Rule] == 1 {
			rulesFound = append(rulesFound, f.Rule)
		}
	}
	for _, rule := range rulesFound {
		word := rule
		if w, known := foundWords[rule]; known {
			word = w[min(count[rule]-1, 1)]
		}
		st.found = append(st.found, fmt.Sprintf("%d %s", count[rule], word))
	}
	return st
}

// standing sums up what a check found of a folder.
func (a *app) standing(s *inspect.Subject, unread []string) stand {
	st := standOf(s)
	st.behind, st.unread = a.isBehind(s), len(unread) > 0
	return st
}

// faulty reports whether something is there that is to be put right; what is late is not, by that alone.
func (s *stand) faulty() bool { return len(s.found) > 0 || s.err != nil || s.unread }

// words say how it stands, in a few.
func (s *stand) words() string {
	if s.err != nil {
		return "cannot be checked: " + s.err.Error()
	}
	parts := append([]string{}, s.found...)
	if s.late > 0 {
		parts = append(parts, fmt.Sprintf("%d late (%s)", s.late, term.Count(s.mostLate, "day")))
	}
	if s.unread {
		parts = append(parts, "not all of it can be read")
	}
	if s.behind {
		parts = append(parts, "older template")
	}
	if len(s.open) > 0 {
		parts = append(parts, "not known yet: "+strings.Join(s.open, ", "))
	}
	if len(parts) == 0 {
		return "well"
	}
	return strings.Join(parts, ", ")
}

// mark is the sign in front: what is wrong, what needs somebody, and what is well.
func (s *stand) mark() term.Mark {
	switch {
	case s.err != nil || s.errors > 0:
		return term.Mark{Sign: "✗", Style: term.Bad}
	case s.words() != "well":
		return term.Mark{Sign: "!", Style: term.Warn}
	}
	return term.Mark{Sign: "✓", Style: term.Good}
}

// cells are the first two of its row: the sign and the name, and how it stands.
func (s *stand) cells(name string) []term.Shown {
	m := s.mark()
	return []term.Shown{m.Style.Render(m.Sign) + " " + term.Visible(name), m.Style.Plain().Render(term.Visible(s.words()))}
}

// standHead are the headings of these two.
func standHead(of term.Shown) []term.Column {
	return []term.Column{{Name: of, Whole: true}, {Name: "state", Whole: true}}
}

// sharedFolder is the folder that several paths all lie in, with a slash, or "".
func sharedFolder(paths []string) (shared string) {
	if len(paths) < 2 {
		return ""
	}
	for i, p := range paths {
		folder := p[:strings.LastIndexAny(p, `/\`)+1]
		if i == 0 {
			shared = folder
		}
		for !strings.HasPrefix(p, shared) || len(p) == len(shared) {
			shared = shared[:strings.LastIndexAny(strings.TrimRight(shared, `/\`), `/\`)+1]
		}
	}
	return shared
}

// people compares paths as people sort them, level by level: accents and capitals beside their letters,
// numbers by value. What it returns must not be shared between goroutines.
func people() func(a, b string) int {
	c := order.Natural.Comparer()
	return func(a, b string) int {
		x, y := strings.Split(a, "/"), strings.Split(b, "/")
		for i := range min(len(x), len(y)) {
			if d := c.Compare(x[i], y[i]); d != 0 {
				return d
			}
		}
		return len(x) - len(y)
	}
}
