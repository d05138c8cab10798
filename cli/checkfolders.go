package cli

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/core/inspect"
	"vestibula/core/outline"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/rules"
	"vestibula/core/template"
)

// realOnes returns the folders and archives that the arguments of check name; none
// where they name a template. A word that is both a folder and a template is refused.
func (r *checkRun) realOnes(args []string) (paths []string, err error) {
	for i, arg := range args {
		if _, _, isValue := strings.Cut(arg, "="); isValue && i > 0 {
			if _, err := place.Stat(arg); err != nil {
				r.given = append(r.given, arg)
				continue
			}
		}
		info, err := place.Stat(arg)
		isFolder := err == nil && info.IsDir()
		switch {
		case isFolder && !strings.ContainsAny(arg, `/\`) && arg != "." && arg != ".." && r.by == "":
			if src := r.here(arg); src != "" {
				return nil, unclear(fmt.Sprintf("write %s/ for the folder, or %s for the template", arg, src), "\"%s\" is a folder, and a template as well", arg)
			}
			paths = append(paths, arg)
		case isFolder, err == nil && packed.FormatOf(arg) != packed.None:
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
	if info, err := place.Stat(file); err == nil && info.Mode().IsRegular() {
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
	if r.linksOnly() {
		dead, err := r.textLinks(reports)
		if err != nil {
			return err
		}
		if r.fix && dead != nil {
			return r.fixLinks(reports, dead)
		}
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
	l := &inspect.Look{Only: r.wanted, Asked: r.only, Ignore: r.ignore, Limit: r.flags.limit, Now: r.now, Store: r.store()}
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
		sorted := people()
		slices.SortStableFunc(report.Subjects, func(a, b *inspect.Subject) int { return sorted(a.Name, b.Name) })
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
				return nil, unclear("", "%s cannot be checked: %v", nameOf(report, s), s.Err)
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
	out := &checkResult{Subject: nameOf(report, s), Findings: []finding{}, explain: r.explain != "", Checked: s.Rules, Links: s.Links, facts: s.Facts, real: true, root: string(s.Dir), Open: s.Open, Left: s.LeftOut}
	if abs, err := filepath.Abs(report.Path); err == nil && s.Name == "." && s.Below == "" && strings.Trim(report.Path, "./") == "" {
		out.Subject = filepath.Base(abs)
	} else if s.Name == "." {
		out.Subject = filepath.Clean(report.Path)
	}
	if s.Kept != nil {
		out.Kind, out.Compared = s.Kept.What, s.Kept.Files
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
		out.put(finding{Rule: "language", Severity: rules.Error.String(), Path: ".", Message: "it cannot be checked: " + s.Err.Error()})
	}
	for _, name := range report.Outside {
		out.put(finding{Rule: "systems", Severity: rules.Error.String(), Path: name, Message: "this entry leads out of the archive; it was left out", Help: "do not unpack it with a program that you do not trust"})
	}
	for _, f := range s.Findings {
		out.put(r.shownFinding(report, s, f))
	}
	for _, m := range s.Meant {
		f := r.shownFinding(report, s, m.Finding)
		f.Meant = m.Why
		out.Findings = append(out.Findings, f)
	}
	return out
}

func (r *checkRun) shownFinding(report *inspect.Report, s *inspect.Subject, f rules.Finding) finding {
	out := finding{Rule: f.Rule, Severity: f.Severity.String(), Path: f.Path, Message: f.Message.String(), Help: f.Help, Related: f.Related, kind: f.Kind()}
	if f.Fix != nil {
		out.Fix = "probable"
		if f.Fix.Sure {
			out.Fix = "sure"
		}
		out.To = f.Fix.To()
	}
	if f.Rule == "misnamed" && f.Path == "." && s.Project != nil {
		words := []string{"upgrade", typed(fromHere(s.Dir))}
		says := s.Project.Says()
		for _, name := range s.Project.Template.FieldNames() {
			if v := says[name]; v.Given() {
				words = append(words, name+"="+v.String())
			}
		}
		if len(words) > 2 {
			out.Help = advise("give it that name, or accept it; if its name says what is so now", words...).String()
		}
	}
	if f.Belongs != "" {
		good := "it belongs in " + filepath.ToSlash(fromHere(f.Belongs))
		out.Help = advise(good, "put", typed(fromHere(s.Dir.Join(f.Path))), "--into", typed(report.Path)).String()
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
	unread, unjudged := left(reports)
	var as any = map[string]any{"subjects": results, "unread": unread, "unjudged": unjudged}
	if len(results) == 1 {
		as = results[0]
	}
	switch {
	case r.outFile != "":
		err = r.writeResults(results, subjects, reports, as)
	case r.asJSON:
		err = r.printJSON(as)
	case len(results) == 1 && subjects[0].Kept == nil:
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
