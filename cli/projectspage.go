package cli

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/charmbracelet/x/ansi"

	"vestibula/cli/page"
	"vestibula/cli/term"
	"vestibula/core/inspect"
	"vestibula/core/rules"
	"vestibula/core/tree"
)

// writePage writes the page to look at.
func (r *projectsRun) writePage() error {
	p := &page.Projects{Title: "Projects", About: r.now.Format("2 January 2006"), Summary: ansi.Strip(string(r.summary())), Weeks: r.weeks()}
	n := 0
	var names []string
	for _, s := range r.list {
		if name := s.templateName(); !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	for _, name := range names {
		p.Groups = append(p.Groups, r.group(name))
	}
	for _, g := range p.Groups {
		for i := range g.Rows {
			row := &g.Rows[i]
			n++
			if row.ID = fmt.Sprintf("p%d", n); row.Care == "wrong" {
				p.Care = append(p.Care, *row)
			}
		}
	}
	if len(p.Care) > maxCare {
		p.Care, p.More = p.Care[:maxCare], len(p.Care)-maxCare
	}
	data, err := p.Bytes()
	if err != nil {
		return err
	}
	return r.writeFile("projects", r.outFile, data, term.Count(len(r.list), "project"))
}

func (s *standingRow) templateName() string {
	if s.subject.Project == nil {
		return "not readable"
	}
	return s.subject.Project.Label.Template
}

// maxCare is how many projects that are not as they should be are named at the top.
const maxCare = 12

// maxParts is how many parts of a template have a column.
const maxParts = 24

// group is the matrix of the projects of one template.
func (r *projectsRun) group(name string) page.Group {
	g := page.Group{Template: visible(name)}
	var parts []string // of all projects, in the order of their trees
	var list []*standingRow
	for _, s := range r.list {
		if s.templateName() != name {
			continue
		}
		list = append(list, s)
		g.Due = g.Due || s.due > 0
		for _, part := range s.parts() {
			if !slices.Contains(parts, part) && len(parts) < maxParts {
				parts = append(parts, part)
			}
		}
	}
	for _, part := range parts {
		g.Parts = append(g.Parts, visible(part))
	}
	for _, s := range list {
		row := page.Row{Name: visible(s.name), State: visible(s.words()), Care: s.care(), Delivered: s.delivered, Due: s.due, Touched: dayOf(s.touched)}
		if s.due > 0 {
			row.Percent = 100 * s.delivered / s.due
		}
		if s.next != nil && s.next.Late == 0 {
			row.Next = s.next.Day.String()
		}
		own := s.parts()
		for _, part := range parts {
			row.Cells = append(row.Cells, s.cell(part, slices.Contains(own, part)))
		}
		g.Rows = append(g.Rows, row)
	}
	return g
}

func visible(text string) string { return string(term.Visible(text)) }

// care is what a project needs, as the page's styles know it.
func (s *stand) care() string {
	return map[term.Shown]string{"✗": "wrong", "!": "late", "✓": "well"}[s.mark().Sign]
}

// parts are the names at the top of the project by its template.
func (s *standingRow) parts() (names []string) {
	t := s.subject.Template
	if t == nil {
		return nil
	}
	x, err := t.Tree(s.subject.Values, 1_000_000)
	if err != nil {
		return nil
	}
	_, own := t.Own(x.Root)
	for _, c := range own.Children {
		due := slices.ContainsFunc(s.subject.Due, func(d inspect.Delivery) bool { return columnOf(&d) == c.Name })
		if c.Marks&tree.Later == 0 && c.Kind == tree.Folder || due {
			names = append(names, c.Name)
		}
	}
	return names
}

// columnOf is the part in whose column something due is shown: what lies at the top of a
// project is one of its own.
func columnOf(d *inspect.Delivery) string {
	if d.Part != "" {
		return d.Part
	}
	return strings.TrimSuffix(d.Path, "/")
}

// cell says how a part of a project stands.
func (s *standingRow) cell(part string, is bool) page.Cell {
	if !is {
		return page.Cell{Sign: "–", Class: "none", Says: "not a part of it"}
	}
	below := func(at string) bool { return at == part || strings.HasPrefix(at, part+"/") }
	var says []string
	bad, wrong, late, open := 0, 0, 0, 0
	for _, f := range s.subject.Findings {
		if f.Severity == rules.Advice || f.Rule == "overdue" {
			continue
		}
		// What is there under another name stands for the part that it is.
		other := f.Fix != nil && below(f.Fix.To())
		if below(f.Path) || other {
			if wrong++; f.Severity == rules.Error {
				bad++
			}
			says = append(says, f.Path+": "+f.Message.String())
		}
	}
	for _, d := range s.subject.Due {
		if columnOf(&d) != part || d.Delivered() {
			continue
		}
		if open++; d.Late > 0 {
			late++
			says = append(says, fmt.Sprintf("%s is late, for %s", d.Path, term.Count(d.Late, "day")))
		}
	}
	text := visible(strings.Join(few(says), "; "))
	switch {
	case bad > 0 || late > 0:
		return page.Cell{Sign: "✗", Class: "wrong", Says: text}
	case wrong > 0:
		return page.Cell{Sign: "!", Class: "late", Says: text}
	case open > 0:
		return page.Cell{Sign: "o", Class: "open", Says: fmt.Sprintf("%s still to deliver", term.Count(open, "thing"))}
	}
	return page.Cell{Sign: "✓", Class: "well", Says: "well"}
}

// weeks is the calendar strip: what is late, and what is due in this week and the next.
func (r *projectsRun) weeks() (weeks []page.Week) {
	const shown = 8
	monday := r.now.AddDate(0, 0, -(int(r.now.Weekday())+6)%7)
	monday = time.Date(monday.Year(), monday.Month(), monday.Day(), 0, 0, 0, 0, time.UTC)
	late := page.Week{Name: "late", Late: true}
	items := make([][]string, shown+1)
	weeks = make([]page.Week, shown)
	for i := range weeks {
		at := monday.AddDate(0, 0, 7*i)
		_, n := at.ISOWeek()
		weeks[i].Name = fmt.Sprintf("week %d, %s", n, at.Format("2 Jan"))
	}
	any := false
	r.eachOpen(func(s *standingRow, d *inspect.Delivery) {
		text := fmt.Sprintf("%s: %s (%s)", s.name, d.Path, d.Day)
		if d.Late > 0 {
			late.Count++
			any = true
			items[shown] = append(items[shown], text)
			return
		}
		if i := int(d.Day.Time().Sub(monday).Hours() / 24 / 7); i >= 0 && i < shown {
			weeks[i].Count++
			any = true
			items[i] = append(items[i], text)
		}
	})
	if !any {
		return nil
	}
	for i := range weeks {
		weeks[i].Items = visible(strings.Join(few(items[i]), "; "))
	}
	if late.Items = visible(strings.Join(few(items[shown]), "; ")); late.Count > 0 {
		weeks = append([]page.Week{late}, weeks...)
	}
	return weeks
}

// eachOpen visits what has a day and is not delivered.
func (r *projectsRun) eachOpen(visit func(s *standingRow, d *inspect.Delivery)) {
	for _, s := range r.list {
		for i := range s.subject.Due {
			if d := &s.subject.Due[i]; !d.Delivered() && d.Day.Given() && d.Day.String() != "?" {
				visit(s, d)
			}
		}
	}
}
