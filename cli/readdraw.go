package cli

import (
	"path"
	"path/filepath"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"vestibula/cli/term"
	"vestibula/core/read"
)

// shownMisfits is how many names that do not fit are drawn.
const shownMisfits = 20

// conventions are the names of the conventions that read something, in the order of the
// templates.
func (r *readRun) conventions() (names []string) {
	for _, e := range r.found.Entries {
		if !slices.Contains(names, e.Convention.Name) {
			names = append(names, e.Convention.Name)
		}
	}
	if r.t != nil {
		slices.SortStableFunc(names, func(a, b string) int {
			return slices.Index(r.t.ConventionNames(), a) - slices.Index(r.t.ConventionNames(), b)
		})
	}
	return names
}

// columns are the fields of the entries that a convention of some name reads; with those
// of projects that are asked for.
func (r *readRun) columns(convention string) (fields []string) {
	for _, e := range r.found.Entries {
		if e.Convention.Name != convention {
			continue
		}
		for _, f := range e.Convention.Fields {
			if !slices.Contains(fields, f.Name) {
				fields = append(fields, f.Name)
			}
		}
	}
	for i := range r.reader.Filters {
		if f := r.reader.Filters[i].Field; slices.Contains(r.fields, f) && !slices.Contains(fields, f) {
			fields = append(fields, f)
		}
	}
	return fields
}

// drawNames draws what the names of one convention say.
func (r *readRun) drawNames(convention string) {
	columns := r.columns(convention)
	var heading []term.Shown
	if r.many {
		heading = append(heading, "project")
	}
	for _, f := range columns {
		heading = append(heading, term.Visible(f))
	}
	var rows [][]term.Shown
	for _, e := range r.found.Entries {
		if e.Convention.Name != convention {
			continue
		}
		var row []term.Shown
		if r.many {
			row = append(row, term.Visible(r.projectOf(e)))
		}
		for _, f := range columns {
			row = append(row, term.Visible(e.Value(f).String()))
		}
		rows = append(rows, append(row, term.Dim.Render(term.Visible(r.below(e)))))
	}
	r.screen.Line()
	r.screen.Line(term.Title.Render(term.Visible(convention)))
	r.screen.Table(append(term.Named(heading...), term.Column{Name: "file", Whole: true}), rows)
}

// draw draws the summary, a table for each convention, and what does not fit.
func (r *readRun) draw() {
	counted := len(r.found.Entries) + len(r.found.Misfits) + r.found.Dropped
	summary := term.Count(len(r.found.Entries), "name") + " of " + term.Number(counted) + " read"
	if len(r.where) > 0 || r.newest {
		summary = term.Count(len(r.found.Entries), "name") + " of " + term.Number(counted) + " found"
	}
	if r.newest {
		summary += ", the newest of each"
	}
	var tied, unfit []*read.Entry
	for _, e := range r.found.Misfits {
		if e.Misfit.Tied {
			tied = append(tied, e)
		} else {
			unfit = append(unfit, e)
		}
	}
	if n := len(unfit); n > 0 {
		summary += "; " + term.Bad.Render(term.Number(n)) + " " + map[bool]term.Shown{true: "does", false: "do"}[n == 1] + " not fit"
	}
	if n := len(tied); n > 0 {
		summary += "; " + term.Bad.Render(term.Number(n)) + " " + map[bool]term.Shown{true: "fits", false: "fit"}[n == 1] + " two conventions alike"
	}
	r.screen.Line(summary)
	for _, convention := range r.conventions() {
		r.drawNames(convention)
	}
	if len(r.where) == 0 { // who looks for something is not helped by what has no values
		r.apart("do not fit", unfit)
		r.apart("fit two conventions alike", tied)
	}
	if r.far > 0 {
		r.screen.Line()
		r.screen.Text(term.Warn.Render("note:") + " " + term.Count(r.far, "file") + isOrAre(r.far) + " where the project was archived, which is not connected now.")
	}
	if r.found.Others > 0 {
		r.screen.Line()
		speaks := term.Shown(" that no convention speaks of, not counted.")
		r.screen.Text(term.Dim.Render(term.Count(r.found.Others, "file") + speaks))
	}
}

func (r *readRun) projectOf(e *read.Entry) string {
	if e.Project == nil {
		return ""
	}
	return e.Project.Dir.Name()
}

// below is the path of an entry as it is drawn: from its project, where that is said
// beside it, or from the folder that is read.
func (r *readRun) below(e *read.Entry) string {
	name := r.shown[e]
	if r.many && e.Project != nil {
		name = e.Path
	} else if r.in != "" {
		if below, inside := strings.CutPrefix(name, path.Clean(filepath.ToSlash(r.in))+"/"); inside {
			name = below
		}
	}
	if e.Folder {
		name += "/"
	}
	return name
}

// apart draws names that were not read, and why.
func (r *readRun) apart(title term.Shown, misfits []*read.Entry) {
	for i, m := range misfits {
		if i == 0 {
			r.screen.Line()
			r.screen.Line(term.Bad.Render(title))
		}
		if i == r.most(shownMisfits) {
			r.more(len(misfits)-i, "")
			break
		}
		shown := r.shown[m]
		if !r.many {
			shown = r.below(m)
		}
		name := norm.NFC.String(path.Base(m.Path))
		r.screen.Line(term.Visible(shown))
		before := term.Columns(term.Visible(shown)) - term.Columns(term.Visible(name)) + term.Columns(term.Visible(name[:min(m.Misfit.At, len(name))]))
		r.screen.Line(term.Spaces(before), term.Bad.Render("^"), " ", term.Accent.Render(term.Visible(m.Misfit.Message)))
	}
}

// at is where reading stopped, in characters of the name from 1.
func at(m *read.Entry) int {
	name := norm.NFC.String(path.Base(m.Path))
	return utf8.RuneCountInString(name[:min(m.Misfit.At, len(name))]) + 1
}

// A misfitJSON is a name that fits no convention, or several alike.
type misfitJSON struct {
	Path    string `json:"path"`
	At      int    `json:"at"` // in characters of the file's name, from 1
	Message string `json:"message"`
}

func (r *readRun) result() any {
	type fit struct {
		Path       string            `json:"path"`
		Convention string            `json:"convention"`
		Values     map[string]string `json:"values"`
		Project    string            `json:"project,omitempty"`
		Of         map[string]string `json:"project-values,omitempty"`
	}
	out := struct {
		Read    int          `json:"read"`
		Fit     []fit        `json:"fit"`
		Misfits []misfitJSON `json:"misfits"`
		Others  int          `json:"others"` // that no convention speaks of
		Unread  []string     `json:"unread"` // folders and files that could not be opened
	}{len(r.found.Entries) + len(r.found.Misfits) + r.found.Dropped, []fit{}, []misfitJSON{}, r.found.Others, append([]string{}, r.unread...)}
	for _, e := range r.found.Entries {
		f := fit{Path: r.shown[e], Convention: e.Convention.Name, Values: map[string]string{}, Project: r.projectOf(e)}
		for i, field := range e.Convention.Fields {
			f.Values[field.Name] = e.Values[i].String()
		}
		if e.Project != nil {
			f.Of = map[string]string{}
			for _, name := range e.Project.Template.FieldNames() {
				f.Of[name] = e.Project.Values[name].String()
			}
		}
		out.Fit = append(out.Fit, f)
	}
	for _, m := range r.found.Misfits {
		out.Misfits = append(out.Misfits, misfitJSON{r.shown[m], at(m), m.Misfit.Message})
	}
	return out
}

func (r *readRun) json() error { return r.printJSON(r.result()) }

// rows is one table with the fields of all conventions and projects, the headings first.
func (r *readRun) rows() [][]string {
	columns := []string{"path", "convention"}
	if len(r.fields) > 0 {
		columns = append(columns, "project")
	}
	fixed := len(columns)
	for _, convention := range r.conventions() {
		for _, f := range r.columns(convention) {
			if !slices.Contains(columns[fixed:], f) {
				columns = append(columns, f)
			}
		}
	}
	if r.t != nil {
		for _, c := range r.t.Names {
			for _, f := range c.Fields {
				if (len(r.only) == 0 || slices.Contains(r.only, c.Name)) && !slices.Contains(columns[fixed:], f.Name) {
					columns = append(columns, f.Name)
				}
			}
		}
	}
	for _, f := range r.fields {
		if !slices.Contains(columns[fixed:], f) {
			columns = append(columns, f)
		}
	}
	columns = append(columns, "problem")
	rows := [][]string{columns}
	for _, e := range r.found.Entries {
		row := make([]string, len(columns))
		row[0], row[1] = r.shown[e], e.Convention.Name
		if fixed > 2 {
			row[2] = r.projectOf(e)
		}
		for i := fixed; i < len(columns)-1; i++ {
			row[i] = e.Value(columns[i]).String()
		}
		rows = append(rows, row)
	}
	if len(r.where) == 0 {
		for _, m := range r.found.Misfits {
			row := make([]string, len(columns))
			row[0], row[len(row)-1] = r.shown[m], m.Misfit.Message
			rows = append(rows, row)
		}
	}
	return rows
}
