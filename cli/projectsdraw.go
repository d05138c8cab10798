package cli

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"vestibula/cli/term"
)

// faultWords say what one finding of a rule is, and several.
var faultWords = map[string][2]string{"strays": {"stray", "strays"}, "links": {"dead link", "dead links"}, "holds": {"unfit", "unfit"}, "vague-names": {"vague name", "vague names"}, "name-style": {"name in another style", "names in another style"}}

// state says in words how a project stands.
func (s *standingRow) state() string {
	if s.subject.Err != nil {
		return "cannot be read: " + s.subject.Err.Error()
	}
	var parts []string
	parts = append(parts, s.wrong...)
	if s.behind {
		parts = append(parts, "older template")
	}
	if len(s.subject.Open) > 0 {
		parts = append(parts, "open: "+strings.Join(s.subject.Open, ", "))
	}
	switch {
	case len(parts) > 0:
		return strings.Join(parts, ", ")
	case s.late > 0:
		return "late"
	}
	return "well"
}

// dueText says what is delivered, and what is next.
func (s *standingRow) dueText() string {
	if s.due == 0 {
		return ""
	}
	text := fmt.Sprintf("%d of %d", s.delivered, s.due)
	if s.worth > 0 {
		text += fmt.Sprintf(", %d of %d points", s.points, s.worth)
	}
	if s.next != nil && s.next.Late == 0 {
		text += ", next " + s.next.Day.String()
	}
	return text
}

func (s *standingRow) lateText() string {
	if s.late == 0 {
		return ""
	}
	return fmt.Sprintf("%d late, for %s", s.late, term.Count(s.mostLate(), "day"))
}

func dayOf(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Local().Format(time.DateOnly)
}

// drawAll draws a row for each project.
func (r *projectsRun) drawAll() {
	anyDue := slices.ContainsFunc(r.list, func(s *standingRow) bool { return s.due > 0 })
	heading := []term.Column{{Name: "project", Whole: true}, {Name: "state", Whole: true}}
	if anyDue {
		heading = append(heading, term.Column{Name: "delivered", Last: 1}, term.Column{Name: "late", Whole: true})
	}
	heading = append(heading, term.Column{Name: "touched", Last: 2}, term.Column{Name: "size", Last: 3})
	var rows [][]term.Shown
	group := "\x00"
	flush := func() {
		if len(rows) > 0 {
			r.screen.Table(heading, rows)
			rows = nil
		}
	}
	for _, s := range r.list {
		if r.by != "" && s.value(r.by) != group {
			if flush(); group != "\x00" {
				r.screen.Line()
			}
			group = s.value(r.by)
			r.screen.Line(term.Title.Render(term.Visible(r.by+": "+group)), term.Dim.Render(" "+r.inGroup(group)))
		}
		m := term.Good.Render("✓")
		switch {
		case s.subject.Err != nil || s.faults > 0:
			m = term.Bad.Render("✗")
		case s.behind || s.late > 0 || len(s.subject.Open) > 0:
			m = term.Warn.Render("~")
		}
		state := term.Visible(s.state())
		if s.state() == "well" {
			state = term.Dim.Render("well")
		}
		row := []term.Shown{m + " " + term.Visible(s.name), state}
		if anyDue {
			row = append(row, term.Visible(s.dueText()), term.Bad.Render(term.Visible(s.lateText())))
		}
		rows = append(rows, append(row, term.Dim.Render(term.Visible(dayOf(s.touched))), term.Dim.Render(term.Size(s.size))))
	}
	flush()
	if len(r.list)+len(r.away) == 0 {
		r.screen.Text("No project is such.")
	} else if len(r.list) > 0 {
		r.screen.Line()
		r.screen.Text(r.summary())
	}
	r.drawAway()
	for _, report := range r.looked {
		r.tellCopies(report)
		r.tellLost(report)
	}
	for _, u := range r.unread {
		r.side.Text(term.Warn.Render("note:") + " " + term.Visible(u) + " cannot be read, and projects may lie in it")
	}
}

func (r *projectsRun) inGroup(value string) term.Shown {
	n := 0
	for _, s := range r.list {
		if s.value(r.by) == value {
			n++
		}
	}
	return term.Count(n, "project")
}

// drawAway draws what was archived.
func (r *projectsRun) drawAway() {
	if len(r.away) == 0 {
		return
	}
	if len(r.list) > 0 {
		r.screen.Line()
	}
	r.screen.Line(term.Title.Render("Archived"), term.Dim.Render(": "+term.Count(len(r.away), "project")))
	var rows [][]term.Shown
	for i, p := range r.away {
		if i == manyRows {
			break
		}
		rows = append(rows, []term.Shown{"  " + term.Visible(p.Called()), term.Dim.Render(term.Visible(p.Where())), term.Dim.Render(term.Size(p.Size))})
	}
	r.screen.Columns(rows)
	if more := len(r.away) - len(rows); more > 0 {
		r.more(more, "", "--json")
	}
}

// summary counts what needs care.
func (r *projectsRun) summary() term.Shown {
	faulty, late, behind := 0, 0, 0
	for _, s := range r.list {
		if s.faults > 0 || s.subject.Err != nil {
			faulty++
		}
		if s.late > 0 {
			late++
		}
		if s.behind {
			behind++
		}
	}
	text := term.Count(len(r.list), "project")
	if faulty == 0 && late == 0 && behind == 0 {
		return text + term.Good.Render(": all as they should be") + "."
	}
	var parts []term.Shown
	for _, p := range []struct {
		n    int
		what term.Shown
	}{{faulty, map[bool]term.Shown{true: "not as it should be", false: "not as they should be"}[faulty == 1]}, {late, "late"}, {behind, "made from an older version of its template"}} {
		if p.n > 0 {
			parts = append(parts, term.Number(p.n)+" "+p.what)
		}
	}
	return text + ": " + term.Join(parts, ", ") + "."
}

// drawOne draws all there is to say of one project.
func (r *projectsRun) drawOne(s *standingRow) {
	r.screen.Line(term.Title.Render(term.Visible(s.name)), term.Dim.Render("  "+term.Visible(s.state())))
	sub := s.subject
	if sub.Err != nil || sub.Template == nil {
		return
	}
	var rows [][]term.Shown
	for _, f := range sub.Template.Fields {
		v := sub.Values[f.Name]
		if !v.Given() || f.Borrowed {
			continue
		}
		rows = append(rows, []term.Shown{term.Dim.Render(term.Visible(f.Name)), term.Visible(v.String())})
	}
	rows = append(rows, []term.Shown{term.Dim.Render("template"), term.Visible(sub.Project.Label.Template) + map[bool]term.Shown{true: ", behind that of today"}[s.behind]})
	rows = append(rows, []term.Shown{term.Dim.Render("built"), term.Visible(dayOf(s.built()))}, []term.Shown{term.Dim.Render("touched"), term.Visible(dayOf(s.touched))}, []term.Shown{term.Dim.Render("size"), term.Size(s.size)})
	r.screen.Columns(rows)
	if len(sub.Due) > 0 {
		r.screen.Line()
		r.drawDue(s)
	}
	if handed := sub.Project.Label.Handed; len(handed) > 0 {
		r.screen.Line()
		r.screen.Line(term.Title.Render("Handed over"))
		for _, h := range handed[max(0, len(handed)-manyRows):] {
			whom := ""
			if h.For != "" {
				whom = " for " + h.For
			}
			r.screen.Line("  ", term.Visible(h.Day), " ", term.Visible(strings.Join(h.Parts, ", ")), term.Dim.Render(term.Visible(whom+", to "+h.To)))
		}
	}
	if s.faults > 0 {
		r.screen.Line()
		r.screen.Text(term.Join([]term.Shown{term.Bad.Render(term.Visible(strings.Join(s.wrong, ", "))), term.Dim.Render(advise("one by one", "check", typed(fromHere(s.subject.Dir))).line())}, ": "))
	}
}

// drawDue draws what has to be delivered, part by part.
func (r *projectsRun) drawDue(s *standingRow) {
	var parts []string
	for _, d := range s.subject.Due {
		if !slices.Contains(parts, d.Part) {
			parts = append(parts, d.Part)
		}
	}
	for i, part := range parts {
		if i > 0 {
			r.screen.Line()
		}
		var rows [][]term.Shown
		n, all, points, worth := 0, 0, 0, 0
		for _, d := range s.subject.Due {
			if d.Part != part {
				continue
			}
			all++
			worth += d.Worth
			m, note := term.Dim.Render("·"), term.Shown("open")
			switch {
			case d.Real != "":
				m, note = term.Good.Render("✓"), "delivered"
			case d.Done != "":
				m, note = term.Good.Render("✓"), "done "+term.Visible(d.Done)
			case d.Late > 0:
				m, note = term.Bad.Render("✗"), term.Bad.Render(term.Sprintf("late, for %s", term.Count(d.Late, "day")))
			}
			if d.Delivered() {
				n++
				points += d.Worth
			}
			name := d.Path
			if part != "" {
				name = strings.TrimPrefix(name, part+"/")
			}
			pts := term.Shown("")
			if d.Worth > 0 {
				pts = term.Count(d.Worth, "point")
			}
			rows = append(rows, []term.Shown{"  " + m + " " + term.Visible(name), note, term.Dim.Render(term.Visible(d.Day.String())), term.Dim.Render(pts)})
		}
		title := term.Visible(part)
		if part == "" {
			title = "to deliver"
		}
		sum := term.Sprintf("  %d of %d, %d %%", n, all, 100*n/all)
		if worth > 0 {
			sum += term.Sprintf(", %d of %d points", points, worth)
		}
		r.screen.Line(term.Title.Render(title), term.Dim.Render(sum))
		r.screen.Columns(rows)
	}
}
