package cli

import (
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/inspect"
	"vestibula/core/label"
	"vestibula/core/template"
	"vestibula/core/value"
)

// left lists what could not be read, and what was not judged, by paths from here.
func left(reports []*inspect.Report) (unread, unjudged []string) {
	unread, unjudged = []string{}, []string{}
	for _, report := range reports {
		for _, u := range report.Unread {
			unread = append(unread, fromHere(report.Dir.Join(u.Path)))
		}
		for _, at := range report.Unjudged {
			unjudged = append(unjudged, filepath.Join(report.Path, filepath.FromSlash(at)))
		}
	}
	return unread, unjudged
}

// tellUnread tells what could not be read.
func (r *checkRun) tellUnread(reports []*inspect.Report) {
	unread, _ := left(reports)
	for i, at := range unread {
		if i == r.most(manyRows) {
			r.side.Text(term.Bad.Render("vestibula:") + term.Sprintf(" and %s more cannot be read", term.Number(len(unread)-i)))
			break
		}
		r.unreadable(at, "was looked at")
	}
}

// tellUnjudged tells what was passed by, as no rules are known for it.
func (r *checkRun) tellUnjudged(reports []*inspect.Report) {
	for _, report := range reports {
		if n := len(report.Backups); n > 0 {
			words := []string{"check"}
			for _, at := range report.Backups[:min(n, r.most(shownAlike))] {
				words = append(words, typed(filepath.Join(report.Path, filepath.FromSlash(at))))
			}
			r.screen.Text(term.Dim.Render(term.Count(n, "backup") + wasOrWere(n) + " not compared; " + advise("to do that", words...).line()))
		}
	}
	_, unjudged := left(reports)
	if n := len(unjudged); n > 0 {
		text := strings.Join(unjudged[:min(n, r.most(shownAlike))], ", ")
		if n > r.most(shownAlike) {
			text += fmt.Sprintf(" and %s more", term.Number(n-shownAlike))
		}
		r.screen.Text(term.Dim.Render(term.Sprintf("Not checked, as it belongs to none of them: %s.", text)))
	}
}

// basis says by what a folder was judged, and what could not be.
func (r *checkRun) basis(report *inspect.Report, s *inspect.Subject) {
	dim := func(text term.Shown) { r.screen.Text(term.Dim.Render(text)) }
	switch {
	case s.Template == nil:
		dim("Checked against the default rules: no template is known, and none was named.")
	case s.Project != nil && s.Template == s.Project.Template:
		text := term.Sprintf("Checked against %s as it was on %s, with the values in its label.", s.Template.Name, s.Project.Label.Built.Local().Format("2006-01-02"))
		if src := r.shelved(&s.Project.Label.Build, s.Dir); src != nil && src.text != s.Project.Label.Text {
			text += term.Sprintf(" Today's %s is another one.", s.Template.Name)
		}
		dim(text)
	case s.Inferred:
		dim(term.Sprintf("Checked against %s, with what names show: %s.", s.Template.Name, valueList(s.Template, s.Values)))
	default:
		dim(term.Sprintf("Checked against %s.", s.Template.Name))
	}
	if len(s.Open) > 0 {
		r.screen.Text(term.Warn.Render("not known yet:") + " " + term.Visible(strings.Join(s.Open, ", ")))
	}
	if report.Locked {
		dim("The archive needs a password: only names were looked at.")
	} else if s.Dir == "" {
		dim("Of an archive, only names were looked at.")
	}
	if n := len(s.Links); n > 0 {
		dim(term.Sprintf("%s not followed, such as %s.", term.Count(n, "link"), s.Links[0]))
	}
	r.tellCopies(report)
}

// tellLost tells what looks like a project whose label is gone, and how it becomes one again.
func (a *app) tellLost(report *inspect.Report) {
	for _, l := range report.Lost {
		words := []string{"build", strings.TrimSuffix(l.Template.Name, template.Ending)}
		if src := a.shelved(&label.Build{Template: l.Template.Name}, report.Dir.Join(l.Path)); src != nil && src.path != "" {
			words[1] = typed(fromHere(src.path))
		}
		for _, name := range l.Template.FieldNames() {
			if v := l.Values[name]; v.Given() && !v.Empty() {
				words = append(words, name+"="+v.String())
			}
		}
		words = append(words, "--into", typed(filepath.Join(report.Path, filepath.FromSlash(l.Into))))
		a.screen.Text(term.Warn.Render("note:") + term.Sprintf(" %s looks like a project of %s, and nothing in it says so any more.\n", l.Path, l.Template.Name) + advise("  to make it one again", words...).line())
	}
}

// tellCopies tells which projects have one identity, and what to do about it.
func (a *app) tellCopies(report *inspect.Report) {
	for _, c := range report.Copies {
		text := term.Sprintf(" %s is a copy of %s, or the other way round: both have one identity. Move one of them away, or keep it as a backup.", c.Copy.Name, c.Of.Name)
		if c.Sure {
			text = term.Sprintf(" %s is a copy of %s: both have one identity.", c.Copy.Name, c.Of.Name)
			if fields := c.Copy.Project.NamedBy(); len(fields) > 0 {
				text += "\n" + advise("  to make it a project of its own", "upgrade", typed(fromHere(c.Copy.Dir)), fields[0]+"=…").line()
			}
		}
		a.screen.Text(term.Warn.Render("note:") + text)
	}
}

// valueList writes values as one line.
func valueList(t *template.Template, values template.Values) string {
	var parts []string
	for _, name := range t.FieldNames() {
		if v := values[name]; v.Given() && !v.Empty() {
			parts = append(parts, name+" "+v.String())
		} else if v.Given() && v.Kind == value.List {
			parts = append(parts, "no "+name)
		}
	}
	if len(parts) == 0 {
		return "no values"
	}
	return strings.Join(parts, ", ")
}

// tellMany draws a row for each folder, and then what was found in those where
// something was.
func (r *checkRun) tellMany(results []*checkResult, reports []*inspect.Report, subjects []*inspect.Subject) {
	of := term.Shown("project")
	if slices.ContainsFunc(subjects, func(s *inspect.Subject) bool { return s.Project == nil }) {
		of = "folder"
	}
	var names []string
	for _, result := range results {
		names = append(names, result.Subject)
	}
	below := sharedFolder(names) // which is named once
	if below != "" {
		r.screen.Line(term.Dim.Render(term.Sprintf("below %s", strings.TrimRight(below, `/\`))))
	}
	var rows [][]term.Shown
	fine, errs, warnings := 0, 0, 0
	for i, result := range results {
		s := subjects[i]
		st := r.standing(s, result.Unread)
		if st.words() == "well" {
			fine++
		}
		errs, warnings = errs+result.Errors, warnings+result.Warnings
		note := ""
		if s.Kept != nil {
			note = fmt.Sprintf("%s, %s compared", s.Kept.What, term.Count(s.Kept.Files, "file"))
		} else if s.Inferred && s.Template != nil {
			note = valueList(s.Template, s.Values)
		} else if s.Template != nil {
			note = strings.TrimSuffix(s.Template.Name, template.Ending)
		}
		rows = append(rows, append(st.cells(strings.TrimPrefix(names[i], below)), term.Dim.Render(term.Visible(note))))
	}
	r.screen.Table(append(standHead(of), term.Column{Name: "checked against"}), rows)
	told := false
	for i, result := range results {
		if result.Errors+result.Warnings == 0 || subjects[i].Err != nil { // of that its row says all
			continue
		}
		if !told {
			r.screen.Line()
			told = true
		}
		r.screen.Line(term.Title.Render(term.Visible(strings.TrimPrefix(names[i], below))))
		r.tellReal(result)
	}
	if errs+warnings == 0 {
		r.screen.Line()
	}
	r.tellUnread(reports)
	r.verdictOfMany(tallyOfMany{all: len(results), fine: fine, errors: errs, warnings: warnings, of: of}, reports)
	r.lookedAt(results)
	r.tellUnjudged(reports)
	for _, report := range reports {
		r.tellCopies(report)
		r.tellLost(report)
	}
}

// A tallyOfMany is how many folders there are, how many of them are well, and what was found in all.
type tallyOfMany struct {
	all, fine, errors, warnings int
	of                          term.Shown
}

// verdictOfMany says in a line how many folders stand.
func (r *checkRun) verdictOfMany(n tallyOfMany, reports []*inspect.Report) {
	unread, _ := left(reports)
	all := term.Count(n.all, n.of)
	switch {
	case n.errors+n.warnings > 0:
		r.screen.Text(term.Sprintf("%s in %s; %s well.", howMany(&checkResult{Errors: n.errors, Warnings: n.warnings}), all, term.Number(n.fine)))
	case len(unread) > 0:
		r.screen.Text(term.Sprintf("Nothing was found in what could be read; %s of %s well.", term.Number(n.fine), all))
	case n.fine == n.all:
		r.screen.Text(term.Good.Render("All is well") + " with " + all + ".")
	default:
		r.screen.Text("Nothing is wrong; " + term.Number(n.fine) + " of " + all + " well.")
	}
}

// lookedAt says how much was looked at in all of them, and what would help most.
func (r *checkRun) lookedAt(results []*checkResult) {
	folders, files := 0, 0
	var rules []string
	for _, one := range results {
		folders, files = folders+one.facts.Folders, files+one.facts.Files
		for _, rule := range one.Checked {
			if !slices.Contains(rules, rule) {
				rules = append(rules, rule)
			}
		}
	}
	r.fixable(results...)
	if folders+files > 0 {
		r.screen.Text(term.Dim.Render(term.Sprintf("%s and %s looked at.", term.Count(folders, "folder"), term.Count(files, "file"))))
	}
	if r.explain != "" {
		r.screen.Text(term.Dim.Render(term.Sprintf("Looked at by these rules, name by name: %s.", strings.Join(rules, ", "))))
	}
}

// howMany says how many errors and warnings there are.
func howMany(r *checkResult) term.Shown {
	var parts []term.Shown
	if r.Errors > 0 {
		parts = append(parts, term.Count(r.Errors, "error"))
	}
	if r.Warnings > 0 {
		parts = append(parts, term.Count(r.Warnings, "warning"))
	}
	return term.Join(parts, ", ")
}

// shownAlike is how many findings of one kind are drawn one by one.
const shownAlike = 4

// tellReal draws what was found in a real folder, a line each, the worst first: those of one
// rule together, and of those that are alike a few.
func (r *checkRun) tellReal(result *checkResult) {
	if r.sameOnly() {
		r.tellTwice(result)
		return
	}
	var rows []findingRow
	for _, severity := range []string{"error", "warning", "advice"} {
		var rulesFound []string
		groups := map[string][]any{}
		alike := map[any][]finding{}
		for _, f := range result.Findings {
			if f.Severity != severity || f.Meant != "" {
				continue
			}
			if groups[f.Rule] == nil {
				rulesFound = append(rulesFound, f.Rule)
			}
			if alike[f.kind] == nil {
				groups[f.Rule] = append(groups[f.Rule], f.kind)
			}
			alike[f.kind] = append(alike[f.kind], f)
		}
		for _, rule := range rulesFound {
			for _, kind := range groups[rule] {
				rows = append(rows, r.alikeRows(alike[kind])...)
			}
		}
	}
	r.drawFindings(rows)
	meant := 0
	for _, f := range result.Findings {
		if f.Meant == "" {
			continue
		}
		if meant++; meant <= r.most(manyRows) {
			r.screen.Text(term.Dim.Render(term.Sprintf("accepted: %s: %s (%s)", term.Visible(f.Path), term.Visible(f.Message), term.Visible(f.Meant))))
		}
	}
	if len(result.Findings) > 0 {
		r.screen.Line()
	}
}

// A findingRow is one line of findings: one of them, or how many more there are.
type findingRow struct {
	finding
	help string
	more term.Shown
}

// alikeRows are the rows for findings that say the same of several things.
func (r *checkRun) alikeRows(group []finding) (rows []findingRow) {
	told := ""
	for i, f := range group {
		if i == shownAlike && len(group) > shownAlike+1 && !r.all {
			return append(rows, findingRow{more: term.Sprintf("… and %s more like this, in %s; %s", term.Number(len(group)-i), inPlaces(group[i:]), r.sameCall("all of them", "--all"))})
		}
		help := f.Help
		if help == told {
			help = ""
		}
		told = f.Help
		rows = append(rows, findingRow{finding: f, help: help})
	}
	return rows
}

// drawFindings draws rows: how bad it is, where, and what. A path that is too long for its
// column has a line of its own; what is wrong is never cut.
func (r *checkRun) drawFindings(rows []findingRow) {
	const word, most, least = 9, 40, 34
	widest := 0
	for _, f := range rows {
		if n := term.Columns(term.Visible(f.Path)); n <= most {
			widest = max(widest, n)
		}
	}
	room := 0
	if r.screen.Width > 0 {
		if room = r.screen.Width - word - widest - 2; room < least {
			widest, room = 0, r.screen.Width-word
		}
	}
	lines := func(text term.Shown) []term.Shown {
		if room == 0 {
			return []term.Shown{text}
		}
		return term.Wrapped(text, max(room, 20))
	}
	for _, f := range rows {
		if f.more != "" {
			r.screen.Indented(word, f.more, term.Dim)
			continue
		}
		at := term.Visible(f.Path)
		message := f.Message
		if rest, same := strings.CutPrefix(message, "“"+path.Base(f.Path)+"” "); same {
			message = rest // the path says it
		}
		lead := severityStyle(f.Severity).Render(term.Pad(term.Visible(f.Severity), word))
		if term.Columns(at) > widest {
			r.screen.Line(lead, at)
			lead = term.Spaces(word + widest)
		} else {
			lead += term.Pad(at, widest)
		}
		if widest > 0 {
			lead += "  "
		}
		text := term.Visible(message)
		if f.Rule != "language" {
			text += term.Sprintf(" [%s]", f.Rule)
		}
		for _, line := range lines(text) {
			r.screen.Line(lead, line)
			lead = term.Spaces(term.Columns(lead))
		}
		if f.help != "" {
			r.screen.Indented(term.Columns(lead), term.Visible(f.help), term.Accent)
		}
	}
}

// inPlaces says in how many folders things lie.
func inPlaces(list []finding) string {
	places := map[string]bool{}
	for _, f := range list {
		places[path.Dir(f.Path)] = true
	}
	if len(places) == 1 {
		return "one folder"
	}
	return fmt.Sprintf("%d folders", len(places))
}
