package cli

import (
	"errors"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/archive"
	"vestibula/core/inspect"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/value"
)

// realOnes returns the folders and archives that the arguments of check name; none
// where they name a template. A word that is both a folder and a template is refused.
func (r *checkRun) realOnes(args []string) (paths []string, err error) {
	for i, arg := range args {
		if _, _, isValue := strings.Cut(arg, "="); isValue && i > 0 {
			if _, err := os.Stat(arg); err != nil {
				r.given = append(r.given, arg)
				continue
			}
		}
		info, err := os.Stat(arg)
		isFolder := err == nil && info.IsDir()
		switch {
		case isFolder && !strings.ContainsAny(arg, `/\`) && arg != "." && arg != ".." && r.by == "":
			if src := r.here(arg); src != "" {
				return nil, unclear(fmt.Sprintf("write %s/ for the folder, or %s for the template", arg, src), "\"%s\" is a folder, and a template as well", arg)
			}
			paths = append(paths, arg)
		case isFolder, err == nil && archive.FormatOf(arg) != archive.None:
			paths = append(paths, arg)
		case len(paths) > 0 || r.by != "":
			return nil, unclear("", "there is no folder or archive \"%s\"", arg)
		}
	}
	return paths, nil
}

// here returns the file of the template in the current folder that a bare name means,
// or "".
func (a *app) here(name string) string {
	file := name + template.Ending
	if info, err := os.Stat(file); err == nil && info.Mode().IsRegular() {
		return file
	}
	return ""
}

// folders checks real folders and archives.
func (r *checkRun) folders(paths []string) error {
	if len(paths) == 1 && r.accept == "" && !r.fix && r.by == "" && r.ask.plan == "" {
		if is, err := r.verified(paths[0], r.asJSON); is {
			return err
		}
	}
	if (r.accept == "") != (r.why == "") {
		return unclear("give both", "--accept needs a path, and --why the reason for it")
	}
	reports, err := r.look(paths)
	if err != nil {
		return err
	}
	switch {
	case r.accept != "":
		return r.keep(reports)
	case r.fix:
		return r.repair(paths, reports)
	case r.ask.plan != "":
		return r.planSame(reports)
	}
	return r.tellReports(reports)
}

// look looks at all of them.
func (r *checkRun) look(paths []string) ([]*inspect.Report, error) {
	l := &inspect.Look{Only: r.wanted, Asked: r.only, Ignore: r.ignore, Limit: r.flags.limit, Now: r.now, Starters: r.startersOf}
	if r.by == "" && (len(r.given) > 0 || r.flags.file != "") {
		return nil, unclear("a project has its values in its label", "values go with --template, or with a template")
	}
	if r.by != "" {
		t, err := r.load(r.by)
		if err != nil {
			return nil, err
		}
		l.Template = t
		if l.Values, err = r.values(t, r.given, r.flags.file); err != nil {
			return nil, err
		}
	}
	done, end := r.progress("reading", -1)
	defer end()
	l.Done = done
	var reports []*inspect.Report
	for _, p := range paths {
		report, err := l.At(p)
		switch {
		case err != nil && len(paths) == 1:
			return nil, unreadable(p, err)
		case err != nil: // the others are judged all the same
			report = &inspect.Report{Path: p, Subjects: []*inspect.Subject{{Name: ".", Err: errors.New(place.Reason(err))}}}
		}
		reports = append(reports, report)
	}
	for _, report := range reports {
		for _, s := range report.Subjects {
			var bad *project.TemplateError
			var errs outline.Errors
			switch {
			case len(paths) > 1 || len(report.Subjects) > 1 || s.Err == nil:
			case errors.As(s.Err, &bad) && errors.As(s.Err, &errs):
				return nil, r.tellErrors(bad.Name, bad.Text, errs, statusUnclear)
			case errors.As(s.Err, &errs) && s.Template != nil:
				return nil, r.tellErrors(s.Template.Name, s.Template.Text, errs, statusUnclear)
			default:
				return nil, unclear("", "%s cannot be judged: %v", report.Path, s.Err)
			}
		}
	}
	return reports, nil
}

// nameOf is what a subject is called in messages.
func nameOf(report *inspect.Report, s *inspect.Subject) string {
	return filepath.Join(report.Path, filepath.FromSlash(s.Name))
}

// result turns a subject into what is printed.
func (r *checkRun) result(report *inspect.Report, s *inspect.Subject) *checkResult {
	out := &checkResult{Subject: nameOf(report, s), Findings: []finding{}, Checked: s.Rules, Links: s.Links, facts: s.Facts, real: true, root: s.Dir, Open: s.Open, Left: s.LeftOut}
	if abs, err := filepath.Abs(report.Path); err == nil && s.Name == "." && s.Below == "" && strings.Trim(report.Path, "./") == "" {
		out.Subject = filepath.Base(abs)
	} else if s.Name == "." {
		out.Subject = filepath.Clean(report.Path)
	}
	for _, u := range report.Unread {
		below, in := strings.CutPrefix(u.Path, s.Name+"/")
		if alone := len(report.Subjects) == 1; alone || in {
			out.Unread = append(out.Unread, map[bool]string{true: below, false: u.Path}[in])
		}
	}
	if len(report.Subjects) == 1 {
		out.Unjudged = report.Unjudged
	}
	if out.Checked == nil {
		out.Checked = []string{} // it could not be judged
	}
	if s.Template != nil {
		out.Template = s.Template.Name
	}
	if s.Err != nil {
		out.put(finding{Rule: "language", Severity: rules.Error.String(), Path: ".", Message: "it cannot be judged: " + s.Err.Error()})
	}
	for _, name := range report.Outside {
		out.put(finding{Rule: "systems", Severity: rules.Error.String(), Path: name, Message: "this entry leads out of the archive; it was left out", Help: "do not unpack it with a program that you do not trust"})
	}
	for _, f := range s.Findings {
		out.put(shownFinding(f))
	}
	for _, m := range s.Meant {
		f := shownFinding(m.Finding)
		f.Meant = m.Why
		out.Findings = append(out.Findings, f)
	}
	return out
}

func shownFinding(f rules.Finding) finding {
	out := finding{Rule: f.Rule, Severity: f.Severity.String(), Path: f.Path, Message: f.Message.String(), Help: f.Help, Same: f.Same, kind: f.Kind()}
	if f.Fix != nil {
		out.Fix = "probable"
		if f.Fix.Sure {
			out.Fix = "sure"
		}
		out.To = f.Fix.To()
	}
	return out
}

// tellReports tells what was found, and returns the stop that goes with it.
func (r *checkRun) tellReports(reports []*inspect.Report) error {
	var results []*checkResult
	var subjects []*inspect.Subject
	for _, report := range reports {
		for _, s := range report.Subjects {
			results, subjects = append(results, r.result(report, s)), append(subjects, s)
		}
	}
	wrong := slices.ContainsFunc(reports, func(report *inspect.Report) bool { return len(report.Unread) > 0 })
	for i, result := range results {
		wrong = wrong || result.Errors > 0 || r.strict && result.Warnings > 0 || subjects[i].Err != nil
	}
	var err error
	switch {
	case r.asJSON && len(results) == 1:
		err = r.printJSON(results[0])
	case r.asJSON:
		unread, unjudged := left(reports)
		err = r.printJSON(map[string]any{"subjects": results, "unread": unread, "unjudged": unjudged})
	case len(results) == 1:
		r.tellSubject(results[0], reports[0], subjects[0])
	default:
		r.tellMany(results, reports, subjects)
	}
	if err == nil && wrong {
		return found
	}
	return err
}

// tellSubject tells what was found in one folder.
func (r *checkRun) tellSubject(result *checkResult, report *inspect.Report, s *inspect.Subject) {
	r.tellReal(result)
	r.tellUnread([]*inspect.Report{report})
	r.verdict(result)
	r.basis(report, s)
	r.tellUnjudged([]*inspect.Report{report})
}

// left lists what could not be read, and what was not judged, by paths from here.
func left(reports []*inspect.Report) (unread, unjudged []string) {
	unread, unjudged = []string{}, []string{}
	for _, report := range reports {
		for _, u := range report.Unread {
			unread = append(unread, fromHere(filepath.Join(report.Dir, filepath.FromSlash(u.Path))))
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
		if i == manyRows {
			r.side.Text(term.Bad.Render("vestibula:") + term.Sprintf(" and %s more cannot be read", term.Number(len(unread)-i)))
			break
		}
		r.side.Text(term.Bad.Render("vestibula:") + " " + term.Visible(at) + " cannot be read; the rest was")
	}
}

// tellUnjudged tells what was passed by, as no rules are known for it.
func (r *checkRun) tellUnjudged(reports []*inspect.Report) {
	_, unjudged := left(reports)
	if n := len(unjudged); n > 0 {
		text := strings.Join(unjudged[:min(n, shownAlike)], ", ")
		if n > shownAlike {
			text += fmt.Sprintf(" and %s more", term.Number(n-shownAlike))
		}
		r.screen.Text(term.Dim.Render(term.Sprintf("Not judged, as it belongs to none of them: %s.", text)))
	}
}

// basis says by what a folder was judged, and what could not be.
func (r *checkRun) basis(report *inspect.Report, s *inspect.Subject) {
	dim := func(text term.Shown) { r.screen.Text(term.Dim.Render(text)) }
	switch {
	case s.Template == nil:
		dim("Held to the defaults: no template is known, and none was named.")
	case s.Project != nil && s.Template == s.Project.Template:
		text := term.Sprintf("Held to %s as it was on %s, with the values in its label.", s.Template.Name, s.Project.Label.Built.Local().Format("2006-01-02"))
		if src := r.shelved(s.Template.Name, s.Dir); src != nil && src.text != s.Project.Label.Text {
			text += term.Sprintf(" The %s of today is another one.", s.Template.Name)
		}
		dim(text)
	case s.Inferred:
		dim(term.Sprintf("Held to %s, with what names show: %s.", s.Template.Name, valueList(s.Template, s.Values)))
	default:
		dim(term.Sprintf("Held to %s.", s.Template.Name))
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
	for _, c := range report.Copies {
		r.screen.Text(term.Warn.Render("note:") + " " + term.Visible(c))
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
	var rows [][]term.Shown
	fine, errs, warnings := 0, 0, 0
	name := func(i int) term.Shown { return term.Visible(results[i].Subject) }
	if len(reports) == 1 && subjects[0].Name != "." { // all of them lie in one folder, which is named once
		r.screen.Line(term.Dim.Render(term.Sprintf("below %s", reports[0].Path)))
		name = func(i int) term.Shown { return term.Visible(subjects[i].Name) }
	}
	for i, result := range results {
		sign, style := term.Shown("✓"), term.Good
		what := term.Shown("well")
		switch {
		case subjects[i].Err != nil:
			sign, style, what = "!", term.Bad, "cannot be judged"
		case result.Errors > 0:
			sign, style, what = "✗", term.Bad, howMany(result)
		case result.Warnings > 0:
			sign, style, what = "!", term.Warn, howMany(result)
		case len(result.Unread) > 0:
			sign, style, what = "!", term.Bad, "cannot be read as a whole"
		default:
			fine++
		}
		errs, warnings = errs+result.Errors, warnings+result.Warnings
		note := ""
		if s := subjects[i]; s.Inferred && s.Template != nil {
			note = valueList(s.Template, s.Values)
		} else if s.Template != nil {
			note = s.Template.Name
		}
		rows = append(rows, []term.Shown{style.Render(sign) + " " + name(i), style.Render(what), term.Dim.Render(term.Visible(note))})
	}
	r.screen.Columns(rows)
	told := false
	for i, result := range results {
		if result.Errors+result.Warnings == 0 {
			continue
		}
		if !told {
			r.screen.Line()
			told = true
		}
		r.screen.Line(term.Title.Render(name(i)))
		r.tellReal(result)
	}
	if errs+warnings == 0 {
		r.screen.Line()
	}
	r.tellUnread(reports)
	unread, _ := left(reports)
	switch {
	case errs+warnings == 0 && len(unread) == 0:
		r.screen.Text(term.Good.Render("All is well") + " with " + term.Count(len(results), "folder") + ".")
	case errs+warnings == 0:
		r.screen.Text(term.Sprintf("Nothing was found in what could be read; %s of %s well.", term.Number(fine), term.Count(len(results), "folder")))
	default:
		r.screen.Text(term.Sprintf("%s in %s; %s well.", howMany(&checkResult{Errors: errs, Warnings: warnings}), term.Count(len(results), "folder"), term.Number(fine)))
	}
	r.tellUnjudged(reports)
	for _, report := range reports {
		for _, c := range report.Copies {
			r.screen.Text(term.Warn.Render("note:") + " " + term.Visible(c))
		}
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
		if meant++; meant <= manyRows || r.all {
			r.screen.Text(term.Dim.Render(term.Sprintf("meant so: %s: %s (%s)", term.Visible(f.Path), term.Visible(f.Message), term.Visible(f.Meant))))
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
			for _, line := range lines(f.more) {
				r.screen.Line(term.Spaces(word), term.Dim.Render(line))
			}
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
			for _, line := range lines(term.Visible(f.help)) {
				r.screen.Line(lead, term.Accent.Render(line))
			}
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
