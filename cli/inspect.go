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
	"vestibula/core/change"
	"vestibula/core/inspect"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
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
				return nil, unclear(fmt.Sprintf("write %s/ for the folder, or %s for the template", arg, src), "%q is a folder, and a template as well", arg)
			}
			paths = append(paths, arg)
		case isFolder, err == nil && archive.FormatOf(arg) != archive.None:
			paths = append(paths, arg)
		case len(paths) > 0 || r.by != "":
			return nil, unclear("", "there is no folder or archive %q", arg)
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
	if (r.accept == "") != (r.why == "") {
		return unclear(`for example: --accept "06 Extra" --why "The client asked for it."`, "--accept needs a path, and --why the reason for it")
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
	}
	return r.tellReports(reports)
}

// look looks at all of them.
func (r *checkRun) look(paths []string) ([]*inspect.Report, error) {
	l := &inspect.Look{Only: r.wanted, Ignore: r.ignore, Limit: r.flags.limit, Now: r.now, Starters: r.startersOf}
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
		if err != nil {
			return nil, unclear("", "%s cannot be read: %s", p, place.Reason(err))
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
	out := &checkResult{Subject: nameOf(report, s), Findings: []finding{}, Checked: s.Rules, Links: s.Links, facts: s.Facts, real: true, root: s.Dir, Open: s.Open}
	if abs, err := filepath.Abs(report.Path); err == nil && s.Name == "." && s.Below == "" && strings.Trim(report.Path, "./") == "" {
		out.Subject = filepath.Base(abs)
	} else if s.Name == "." {
		out.Subject = filepath.Clean(report.Path)
	}
	for _, u := range report.Unread {
		if s.Name == "." || strings.HasPrefix(u.Path, s.Name+"/") {
			out.Unread = append(out.Unread, u.Path)
		}
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
	out := finding{Rule: f.Rule, Severity: f.Severity.String(), Path: f.Path, Message: f.Message, Help: f.Help, kind: f.Kind()}
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
	wrong := false
	for i, result := range results {
		wrong = wrong || result.Errors > 0 || r.strict && result.Warnings > 0 || len(result.Unread) > 0 || subjects[i].Err != nil
	}
	var err error
	switch {
	case r.asSARIF:
		err = r.printJSON(sarif(joined(results), r.version))
	case r.asJSON && len(results) == 1:
		err = r.printJSON(results[0])
	case r.asJSON:
		err = r.printJSON(map[string]any{"subjects": results})
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

// joined puts results together into one, with paths from where the call was.
func joined(results []*checkResult) *checkResult {
	if len(results) == 1 {
		return results[0]
	}
	all := &checkResult{Subject: ".", real: true}
	for _, one := range results {
		for _, f := range one.Findings {
			f.Path = filepath.Join(one.Subject, f.Path)
			all.Findings = append(all.Findings, f)
		}
	}
	return all
}

// tellSubject tells what was found in one folder.
func (r *checkRun) tellSubject(result *checkResult, report *inspect.Report, s *inspect.Subject) {
	r.tellReal(result)
	r.verdict(result)
	r.basis(report, s)
}

// basis says by what a folder was judged, and what could not be.
func (r *checkRun) basis(report *inspect.Report, s *inspect.Subject) {
	dim := func(text term.Shown) { r.screen.Text(term.Dim.Render(text)) }
	switch {
	case s.Template == nil:
		dim("Held to the defaults: no template is known. --template NAME names one.")
	case s.Project != nil && s.Template == s.Project.Template:
		text := term.Sprintf("Held to %s as it was on %s, with the values in its label.", s.Template.Name, s.Project.Label.Built.Local().Format("2006-01-02"))
		if src := r.shelved(s.Template.Name); src != nil && src.text != s.Project.Label.Text {
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
	if len(reports) == 1 { // all of them lie in one folder, which is named once
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
	if errs+warnings == 0 && fine == len(results) {
		r.screen.Text(term.Good.Render("All is well") + " with " + term.Count(len(results), "folder") + ".")
	} else {
		r.screen.Text(term.Sprintf("%s in %s; %s well.", howMany(&checkResult{Errors: errs, Warnings: warnings}), term.Count(len(results), "folder"), term.Number(fine)))
	}
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

// tellReal draws what was found in a real folder: those that are alike together.
func (r *checkRun) tellReal(result *checkResult) {
	for _, severity := range []string{"error", "warning", "advice"} {
		var groups [][]finding
		at := map[any]int{}
		for _, f := range result.Findings {
			if f.Severity != severity || f.Meant != "" {
				continue
			}
			i, known := at[f.kind]
			if !known {
				i = len(groups)
				at[f.kind] = i
				groups = append(groups, nil)
			}
			groups[i] = append(groups[i], f)
		}
		for _, group := range groups {
			for i, f := range group {
				if i == shownAlike && len(group) > shownAlike+1 {
					r.screen.Line(term.Dim.Render(term.Sprintf("    and %s more like this, in %s; --json lists all", term.Number(len(group)-i), inPlaces(group[i:]))))
					break
				}
				r.tellFinding(result.Subject, f)
			}
		}
	}
	meant := 0
	for _, f := range result.Findings {
		if f.Meant == "" {
			continue
		}
		if meant++; meant <= manyRows {
			r.screen.Line(term.Dim.Render(term.Sprintf("meant so: %s: %s (%s)", term.Visible(f.Path), term.Visible(f.Message), term.Visible(f.Meant))))
		}
	}
	for _, p := range result.Unread {
		r.side.Text(term.Bad.Render("vestibula:") + " " + term.Visible(p) + " cannot be read; the rest was")
	}
	if len(result.Findings) > 0 {
		r.screen.Line()
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

// keep writes into the label of a project that something is meant so.
func (r *checkRun) keep(reports []*inspect.Report) error {
	s := reports[0].Subjects[0]
	if len(reports) > 1 || len(reports[0].Subjects) > 1 || s.Project == nil {
		return unclear("name one project, which has a "+label.FileName, "what is meant so is kept in the project that it is in")
	}
	at := strings.Trim(filepath.ToSlash(filepath.Clean(r.accept)), "/")
	if at == "" {
		at = "."
	}
	var known []string
	var kept []string
	l := *s.Project.Label
	l.Accepted = slices.Clone(l.Accepted)
	for _, f := range s.Findings {
		known = append(known, f.Path)
		if f.Path == at && !slices.Contains(kept, f.Rule) {
			kept = append(kept, f.Rule)
			l.Accepted = append(l.Accepted, label.Accepted{Path: at, Rule: f.Rule, Why: r.why})
		}
	}
	if len(kept) == 0 {
		help := "write the path as the finding shows it"
		if near := outline.Nearest(at, known); near != "" {
			help = "did you mean " + near + "?"
		}
		return refused(help, "Nothing is found at %q.", r.accept)
	}
	file := filepath.Join(s.Dir, label.FileName)
	old, err := place.ReadFile(file, label.MaxBytes)
	if err != nil {
		return refused("nothing was changed", "%s cannot be read: %s", file, place.Reason(err))
	}
	data, err := l.Encode()
	if err != nil {
		return err
	}
	set := &change.Set{Places: []string{s.Dir}, Changes: []change.Change{replacing(0, label.FileName, old, data)}}
	ask := consent{named: true}
	plan, err := r.prepared(set, ask, false)
	if err != nil {
		return err
	}
	name := filepath.Base(s.Dir)
	if _, err = r.carryOut(undertaking{plan: plan, doing: "writing", total: 1, again: "vestibula undo takes it back", head: journal.Head{What: "accept", Title: at, Project: name, Roots: []journal.Root{{Path: ".", ID: l.ID}}}}); err != nil {
		return err
	}
	r.screen.Text(term.Good.Render("Kept") + term.Sprintf(" in %s: %s is meant so (%s).", name, at, strings.Join(kept, ", ")))
	return nil
}

// repair mends what can be mended in real folders: what is sure together, and what is
// probable each with its own yes.
func (r *checkRun) repair(paths []string, reports []*inspect.Report) error {
	r.ask.asJSON = r.asJSON
	set := &change.Set{}
	var sure, probable []*rules.Finding
	type job struct {
		s        *inspect.Subject
		findings []rules.Finding
		mended   []*rules.Finding
	}
	var jobs []job
	for _, report := range reports {
		for _, s := range report.Subjects {
			if s.Dir == "" {
				return unclear("unpack it first", "%s is an archive, and cannot be mended as it is", report.Path)
			}
			jobs = append(jobs, job{s: s, findings: s.Findings})
			for i := range s.Findings {
				switch f := &s.Findings[i]; {
				case f.Fix == nil:
				case f.Fix.Sure:
					sure = append(sure, f)
				default:
					probable = append(probable, f)
				}
			}
		}
	}
	if len(sure)+len(probable) == 0 {
		if r.asJSON {
			return r.tellReports(reports)
		}
		r.screen.Text(term.Good.Render("Nothing to mend") + " in " + term.Visible(strings.Join(paths, ", ")) + " without a person.")
		return r.tellReports(reports)
	}
	chosen := map[*rules.Finding]bool{}
	for _, f := range sure {
		chosen[f] = true
	}
	r.ask.probable = map[string]bool{}
	if r.ask.plan != "" {
		for _, f := range probable {
			chosen[f] = true
		}
	}
	asking := !r.ask.yes && !r.ask.preview && !r.asJSON && r.ask.plan == "" && r.interactive()
	if asking && len(probable) > 0 {
		r.screen.Line(term.Title.Render("Probable"), term.Dim.Render(": each is asked for by itself"))
		for _, f := range probable {
			r.screen.Line("  ", term.Warn.Render("?"), " ", term.Visible(f.Message))
			yes, err := r.confirm(fmt.Sprintf("%s → %s?", f.Path, f.Fix.To()))
			if err != nil {
				return err
			}
			chosen[f] = yes
		}
	}
	var mended []*rules.Finding
	for i := range jobs {
		j := &jobs[i]
		changes, done := rules.Plan(j.findings, func(f *rules.Finding) bool { return chosen[f] })
		j.mended, mended = done, append(mended, done...)
		for k, f := range done {
			if c := changes[k]; !f.Fix.Sure {
				c.In = len(set.Places)
				r.ask.probable[changeKey(&c)] = true
			}
		}
		if len(changes) == 0 {
			continue
		}
		if j.s.Project != nil {
			more, err := r.givenSums(j.s, changes)
			if err != nil {
				return err
			}
			changes = append(changes, more...)
		}
		in := len(set.Places)
		set.Places = append(set.Places, j.s.Dir)
		for _, c := range changes {
			c.In, c.FromIn = in, in
			set.Changes = append(set.Changes, c)
		}
	}
	if len(set.Changes) == 0 {
		if len(probable) > 0 && !r.asJSON {
			r.tellProbable(probable)
		}
		return r.after(paths, reports)
	}
	plan, err := r.prepared(set, r.ask, false)
	if err != nil {
		return err
	}
	show := func() {
		r.screen.Line(term.Title.Render("Sure"), term.Dim.Render(": it follows from the template, its values and the names"))
		shown := 0
		for _, j := range jobs {
			if len(jobs) > 1 && len(j.mended) > 0 && shown < manyRows {
				r.screen.Line(term.Strong.Render(term.Visible(fromHere(j.s.Dir))))
			}
			for _, f := range j.mended {
				if shown++; shown <= manyRows {
					r.screen.Line(fixLine(f))
				}
			}
		}
		if shown > manyRows {
			r.screen.Line(term.Dim.Render(term.Sprintf("  … and %s more", term.Number(shown-manyRows))))
		}
		if !asking {
			r.tellProbable(probable)
		}
		r.screen.Line()
	}
	if r.ask.yes && !r.asJSON {
		show()
	}
	if goes, err := r.agreed(r.ask, show, fmt.Sprintf("Do %s?", term.Count(len(mended), "thing")), "do what is sure"); !goes {
		if err == nil && r.asJSON {
			return r.tellReports(reports)
		}
		return err
	}
	name := filepath.Base(set.Places[0])
	var roots []journal.Root
	for _, j := range jobs {
		if in := slices.Index(set.Places, j.s.Dir); in >= 0 && len(roots) < manyRoots {
			root := journal.Root{In: in, Path: "."}
			if j.s.Project != nil {
				root.ID = j.s.Project.Label.ID
			}
			roots = append(roots, root)
		}
	}
	if _, err := r.carryOut(undertaking{plan: plan, doing: "mending", total: len(set.Changes), again: "vestibula undo takes it back",
		head: journal.Head{What: "mend", Title: name, Project: name, Roots: roots}}); err != nil {
		return err
	}
	if !r.asJSON {
		r.screen.Text(term.Good.Render("Mended") + " " + term.Count(len(mended), "thing") + ". vestibula undo takes it back.")
		r.screen.Line()
	}
	return r.after(paths, nil)
}

// fixLine is the line of a fix in a plan.
func fixLine(f *rules.Finding) term.Shown {
	why := f.Fix.Why()
	if why == "" {
		why = f.Message
	}
	note := term.Dim.Italic().Render("   " + term.Visible(why))
	if f.Fix.Makes() {
		return "  " + term.Good.Render("+") + " " + term.Visible(f.Fix.To()) + note
	}
	return "  " + term.Accent.Render("»") + " " + term.Visible(f.Path) + term.Dim.Render(" → ") + term.Visible(f.Fix.To()) + note
}

// tellProbable lists what needs an answer of its own.
func (r *checkRun) tellProbable(probable []*rules.Finding) {
	if len(probable) == 0 {
		return
	}
	r.screen.Line()
	r.screen.Line(term.Title.Render("Probable"), term.Dim.Render(": each needs an answer of its own, at a terminal without --yes"))
	for i, f := range probable {
		if i == manyRows {
			r.screen.Line(term.Dim.Render(term.Sprintf("  … and %s more", term.Number(len(probable)-i))))
			return
		}
		r.screen.Line("  ", term.Warn.Render("?"), " ", term.Visible(f.Path), term.Dim.Render(" → "), term.Visible(f.Fix.To()), term.Dim.Italic().Render("   "+term.Visible(f.Fix.Why())))
	}
}

// after looks again, when something was mended, and tells what is left.
func (r *checkRun) after(paths []string, reports []*inspect.Report) error {
	if reports == nil {
		var err error
		if reports, err = r.look(paths); err != nil {
			return err
		}
	}
	return r.tellReports(reports)
}

// givenSums is the change that notes in a project's label what new files hold.
func (r *checkRun) givenSums(s *inspect.Subject, changes []change.Change) ([]change.Change, error) {
	l := *s.Project.Label
	given := map[string]string{}
	for at, sum := range l.Given {
		given[at] = sum
	}
	before := len(given)
	for i := range changes {
		c := &changes[i]
		switch c.Op {
		case change.Make:
			sums, err := sumsOf(&tree.Node{Children: []*tree.Node{withName(c.Node, path.Base(c.Path))}})
			if err != nil {
				return nil, err
			}
			for at, sum := range sums {
				given[path.Join(path.Dir(c.Path), at)] = sum
			}
		case change.Move:
			for at, sum := range l.Given {
				if at == c.From || strings.HasPrefix(at, c.From+"/") {
					delete(given, at)
					given[c.Path+at[len(c.From):]] = sum
					before = -1
				}
			}
		}
	}
	if len(given) == before {
		return nil, nil
	}
	l.Given = given
	old, err := place.ReadFile(filepath.Join(s.Dir, label.FileName), label.MaxBytes)
	if err != nil {
		return nil, err
	}
	data, err := l.Encode()
	if err != nil {
		return nil, err
	}
	return []change.Change{replacing(0, label.FileName, old, data)}, nil
}

func withName(n *tree.Node, name string) *tree.Node {
	out := *n
	out.Name = name
	return &out
}
