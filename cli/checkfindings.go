package cli

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A finding is one message of a check, as JSON shows it too.
type finding struct {
	Rule     string `json:"rule"`
	Severity string `json:"severity"`
	Line     int    `json:"line,omitempty"`
	Column   int    `json:"column,omitempty"`
	Width    int    `json:"width,omitempty"`
	Path     string `json:"path,omitempty"`
	Message  string `json:"message"`
	Help     string `json:"help,omitempty"`
	Proof    string `json:"proof,omitempty"` // what shows that it is so
	More     int    `json:"more,omitempty"`  // findings of the same kind at the same line
	Fix      string `json:"fix,omitempty"`   // sure or probable, where --fix can fix it
	To       string `json:"to,omitempty"`    // and where that leads
	Meant    string `json:"meant,omitempty"`
	Related  string `json:"related,omitempty"` // another path that it is about
	text     string // of the line
	marks    []term.Span
	kind     any // equal for those that say the same of several names
}

// A checkResult is what a check found.
type checkResult struct {
	Subject  string    `json:"subject"` // the template's file, or the folder
	Findings []finding `json:"findings"`
	Errors   int       `json:"errors"`
	Warnings int       `json:"warnings"`
	Advice   int       `json:"advice"`
	explain  bool      // what was looked at is listed
	Checked  []string  `json:"checked"`            // the rules
	Sets     int       `json:"sets,omitempty"`     // of values that a template was looked at with
	Proven   []string  `json:"proven,omitempty"`   // rules that were decided for all texts
	Left     []string  `json:"left-out,omitempty"` // what values were not looked at
	Unread   []string  `json:"unread,omitempty"`
	Unjudged []string  `json:"unjudged,omitempty"` // what lies beside a project, and belongs to none
	Links    []string  `json:"links,omitempty"`    // not followed
	Template string    `json:"template,omitempty"`
	Kind     string    `json:"kind,omitempty"`     // of a backup, and what else has a list of what it holds
	Compared int       `json:"compared,omitempty"` // files in it
	Open     []string  `json:"open,omitempty"`     // fields whose values are not known yet
	root     string    // of a real folder, where it lies
	facts    tree.Facts
	fields   int
	real     bool
	path     string // of the template on the disk
}

func (r *checkResult) put(f finding) {
	switch f.Severity {
	case "error":
		r.Errors++
	case "warning":
		r.Warnings++
	default:
		r.Advice++
	}
	r.Findings = append(r.Findings, f)
}

// placed gives a finding the place of its line's name.
func placed(t *template.Template, f rules.Finding) finding {
	out := finding{Rule: f.Rule, Severity: f.Severity.String(), Line: f.Line, Column: f.Column, Width: f.Width, Path: f.Path,
		Message: f.Message.String(), Help: f.Help, Proof: f.Proof, More: f.More}
	for _, m := range f.Marks {
		out.marks = append(out.marks, term.Span(m))
	}
	if f.Line > 0 {
		out.text = t.Line(f.Line)
	}
	if f.Line > 0 && f.Column == 0 {
		pos, width := t.Place(f.Line)
		out.Column, out.Width = pos.Column, width
	}
	return out
}

func severityStyle(severity string) term.Style {
	switch severity {
	case "error":
		return term.Bad
	case "warning":
		return term.Warn
	}
	return term.Accent
}

// shownOfRule is how many findings of one rule are drawn in a template.
const shownOfRule = 8

// tellFindings draws what a check found in a template, the worst first; of one rule a few, or
// all.
func (a *app) tellFindings(r *checkResult, all bool) {
	for _, severity := range []string{"error", "warning", "advice"} {
		told := map[string]int{}
		for _, f := range r.Findings {
			if f.Severity != severity {
				continue
			}
			if told[f.Rule]++; all || f.Rule == "language" || told[f.Rule] <= shownOfRule {
				a.tellFinding(r.Subject, f)
				a.screen.Line()
			}
		}
		for _, rule := range slices.Sorted(maps.Keys(told)) {
			if n := told[rule] - shownOfRule; n > 0 && !all && rule != "language" {
				a.more(n, "of "+term.Visible(rule))
				a.screen.Line()
			}
		}
	}
	a.verdict(r)
}

// verdict draws the closing lines: how much was found, and what was looked at.
func (a *app) verdict(r *checkResult) {
	var counts []term.Shown
	for _, c := range []struct {
		n    int
		noun term.Shown
	}{{r.Errors, "error"}, {r.Warnings, "warning"}} {
		if c.n > 0 {
			counts = append(counts, term.Count(c.n, c.noun))
		}
	}
	if r.Advice > 0 {
		counts = append(counts, term.Count(r.Advice, "piece")+" of advice")
	}
	switch {
	case len(counts) > 0:
		a.screen.Text(term.Join(counts, ", ") + " in " + term.Visible(r.Subject) + ".")
	case len(r.Unread) > 0:
		a.screen.Text(term.Sprintf("Nothing was found in what could be read of %s.", r.Subject))
	default:
		a.screen.Text(term.Good.Render("All is well") + " with " + term.Visible(r.Subject) + ".")
	}
	if r.real && r.root != "" {
		a.fixable(r)
	}
	if len(r.Checked) == 0 {
		return
	}
	what := fmt.Sprintf("%s and %s", term.Count(r.facts.Folders, "folder"), term.Count(r.facts.Files, "file"))
	if r.Sets > 1 {
		what += fmt.Sprintf(", with %d sets of values,", r.Sets)
	}
	a.screen.Text(term.Dim.Render(term.Sprintf("%s looked at.", what)))
	if r.explain {
		how := term.Shown("Looked at by these rules, with values that stand for all sizes and choices: %s.")
		if r.real {
			how = "Looked at by these rules, name by name: %s."
		}
		a.screen.Text(term.Dim.Render(term.Sprintf(how, strings.Join(r.Checked, ", "))))
		if len(r.Proven) > 0 {
			a.screen.Text(term.Dim.Render(term.Sprintf("Proven for all values that there can be: %s. What a rule means: ", strings.Join(r.Proven, ", "))) + advise("", "check", "--explain", r.Proven[0]).line())
		}
	}
	if len(r.Left) > 0 {
		a.screen.Text(term.Dim.Render(term.Sprintf("Not looked at: %s.", strings.Join(r.Left, "; "))))
	}
}

// fixable says how to fix what can be fixed.
func (a *app) fixable(results ...*checkResult) {
	n, all := 0, 0
	for _, r := range results {
		all += r.Errors + r.Warnings
		if r.root == "" { // an archive is not fixed as it is
			return
		}
		for _, f := range r.Findings {
			if f.Fix != "" && f.Meant == "" {
				n++
			}
		}
	}
	if n > 0 && !slices.Contains(a.call, "--fix") {
		what := fmt.Sprintf("%d of them can be fixed; to see how", n)
		if n == 1 && all == 1 {
			what = "It can be fixed; to see how"
		}
		a.screen.Text(term.Accent.Render(a.sameCall(what, "--fix").line()))
	}
}

// tellFinding draws one that was found in a template.
func (a *app) tellFinding(file string, f finding) {
	help := f.Help
	if f.More > 0 {
		help = strings.TrimPrefix(help+"\n", "\n") + fmt.Sprintf("and %s more like this at this line", term.Number(f.More))
	}
	message := f.Severity + ": " + f.Message
	if f.Rule != "language" {
		message += " [" + f.Rule + "]"
	}
	if f.Line == 0 && f.Path != "" {
		file = f.Path
	}
	a.screen.Message(term.Place{File: file, Line: f.Line, Column: f.Column, Width: f.Width, Text: f.text, Marks: f.marks, Proof: f.Proof}, severityStyle(f.Severity), message, help)
}
