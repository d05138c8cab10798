package cli

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"vestibula/cli/term"
)

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

func dayOf(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Local().Format(time.DateOnly)
}

// drawAll draws a row for each project.
func (r *projectsRun) drawAll() {
	anyDue := slices.ContainsFunc(r.list, func(s *standingRow) bool { return s.due > 0 })
	heading := standHead("project")
	if anyDue {
		heading = append(heading, term.Column{Name: "delivered", Last: 1})
	}
	heading = append(heading, term.Column{Name: "touched", Last: 2}, term.Column{Name: "size", Last: 3})
	var rows [][]term.Shown
	var names []string
	for _, s := range r.list {
		names = append(names, s.name)
	}
	below := sharedFolder(names)
	if below != "" {
		r.screen.Line(term.Dim.Render(term.Sprintf("below %s", strings.TrimRight(below, `/\`))))
	}
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
		row := s.cells(strings.TrimPrefix(s.name, below))
		if anyDue {
			row = append(row, term.Visible(s.dueText()))
		}
		rows = append(rows, append(row, term.Dim.Render(term.Visible(dayOf(s.touched))), term.Dim.Render(term.Size(s.size))))
	}
	flush()
	if len(r.list)+len(r.away) == 0 {
		r.screen.Text("No project matches.")
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
		if i == r.most(manyRows) {
			break
		}
		rows = append(rows, []term.Shown{"  " + term.Visible(p.Called()), term.Dim.Render(term.Visible(p.Where())), term.Dim.Render(term.Size(p.Size))})
	}
	r.screen.Columns(rows)
	if more := len(r.away) - len(rows); more > 0 {
		r.more(more, "")
	}
}

// summary counts what needs care.
func (r *projectsRun) summary() term.Shown {
	var parts []term.Shown
	count := func(what term.Shown, is func(s *standingRow) bool) {
		n := 0
		for _, s := range r.list {
			if is(s) {
				n++
			}
		}
		if n > 0 {
			parts = append(parts, term.Number(n)+" "+what)
		}
	}
	count("well", func(s *standingRow) bool { return s.words() == "well" })
	if len(parts) == 1 && parts[0] == term.Number(len(r.list))+" well" {
		return term.Good.Render("All is well") + " with " + term.Count(len(r.list), "project") + "."
	}
	count("with something wrong", func(s *standingRow) bool { return len(s.found) > 0 || s.err != nil || s.unread })
	count("late", func(s *standingRow) bool { return s.late > 0 })
	count("made from an older version of the template", func(s *standingRow) bool { return s.behind })
	count("in which something is not known yet", func(s *standingRow) bool { return len(s.open) > 0 })
	return term.Count(len(r.list), "project") + ": " + term.Join(parts, ", ") + "."
}

// drawOne draws all there is to say of one project.
func (r *projectsRun) drawOne(s *standingRow) {
	m := s.mark()
	r.screen.Line(term.Title.Render(term.Visible(s.name)), "  ", m.Style.Render(m.Sign), " ", m.Style.Plain().Render(term.Visible(s.words())))
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
	rows = append(rows, []term.Shown{term.Dim.Render("template"), term.Visible(sub.Project.Label.Template) + map[bool]term.Shown{true: ", an older version of it"}[s.behind]})
	rows = append(rows, []term.Shown{term.Dim.Render("built"), term.Visible(dayOf(s.built()))}, []term.Shown{term.Dim.Render("touched"), term.Visible(dayOf(s.touched))}, []term.Shown{term.Dim.Render("size"), term.Size(s.size)})
	r.screen.Columns(rows)
	if len(sub.Due) > 0 {
		r.screen.Line()
		r.drawDue(s)
	}
	if handed := sub.Project.Label.Handed; len(handed) > 0 {
		r.screen.Line()
		r.screen.Line(term.Title.Render("Handed over"))
		for _, h := range handed[max(0, len(handed)-r.most(manyRows)):] {
			whom := ""
			if h.For != "" {
				whom = " for " + h.For
			}
			r.screen.Line("  ", term.Visible(h.Day), " ", term.Visible(strings.Join(h.Parts, ", ")), term.Dim.Render(term.Visible(whom+", to "+h.To)))
		}
	}
	if s.faulty() {
		r.screen.Line()
		r.screen.Text(advise("what is wrong, one by one", "check", typed(fromHere(s.subject.Dir))).line())
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
