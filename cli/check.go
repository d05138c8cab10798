package cli

import (
	"errors"
	"fmt"
	"strings"

	"charm.land/lipgloss/v2"
	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/outline"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

func (a *app) checkCommand() *cobra.Command {
	var flags valueFlags
	var asJSON bool
	c := &cobra.Command{
		Use:   "check TEMPLATE [field=value …]",
		Short: "Find what will go wrong with a template, before anything is built.",
		Long: `Find what will go wrong with a template, before anything is built: mistakes in
the text, and what its rules say about the tree that it makes.

The exit status is 0 where nothing is found or there are warnings only, and 1
where there are errors.`,
		Example: `  vestibula check commission
  vestibula check evening-course weeks=14`,
		Args:              templateArgs,
		ValidArgsFunction: a.completeTemplate,
		RunE: func(_ *cobra.Command, args []string) error {
			src, err := a.find(args[0])
			if err != nil {
				return err
			}
			r := &checkResult{Template: src.name, Findings: []finding{}}
			t, err := template.Parse(src.name, src.text, src.starters)
			var errs outline.Errors
			switch {
			case errors.As(err, &errs):
				r.add(src.text, errs, "error", "language")
			case err != nil:
				return err
			default:
				if err := a.judge(r, t, args[1:], flags); err != nil {
					return err
				}
			}
			if asJSON {
				err = a.printJSON(r)
			} else {
				a.tellFindings(r)
			}
			if r.Errors > 0 {
				err = found
			}
			return err
		},
	}
	flags.add(c)
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

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
	More     int    `json:"more,omitempty"` // findings of the same kind at the same line
	text     string // of the line
}

// A checkResult is what a check found.
type checkResult struct {
	Template string    `json:"template"`
	Findings []finding `json:"findings"`
	Errors   int       `json:"errors"`
	Warnings int       `json:"warnings"`
	Advice   int       `json:"advice"`
	Checked  []string  `json:"checked"` // the rules
	facts    tree.Facts
	fields   int
}

func (r *checkResult) put(f finding) {
	switch f.Severity {
	case "error":
		r.Errors += 1 + f.More
	case "warning":
		r.Warnings += 1 + f.More
	default:
		r.Advice += 1 + f.More
	}
	r.Findings = append(r.Findings, f)
}

func (r *checkResult) add(text string, errs outline.Errors, severity, rule string) {
	for _, e := range errs {
		r.put(finding{Rule: rule, Severity: severity, Line: e.Line, Column: e.Column, Width: e.Width,
			Message: e.Message, Help: e.Help, text: template.LineOf(text, e.Line)})
	}
}

// judge holds a template that was read without errors against its rules.
func (a *app) judge(r *checkResult, t *template.Template, args []string, flags valueFlags) error {
	set, errs := rules.Configure(t.Rules)
	r.add(t.Text, errs, "error", "language")
	r.add(t.Text, t.Warnings, "warning", "language")
	r.Checked = set.Names
	if len(t.Names) > 0 {
		r.Checked = append(r.Checked, "names")
	}
	values, err := a.values(t, args, flags.file)
	if err != nil {
		return err
	}
	x, err := t.Tree(t.Sample(values, a.now), flags.limit)
	if errors.As(err, &errs) {
		r.add(t.Text, errs, "error", "language")
		return nil
	}
	if err != nil {
		return a.tellErrors(t.Name, t.Text, err, statusFound)
	}
	r.facts, r.fields = tree.Measure(x.Root), len(t.Fields)
	for _, f := range append(set.Check(x.Root), rules.Conventions(t)...) {
		r.put(placed(t, f))
	}
	return nil
}

// placed gives a finding the place of its line's name.
func placed(t *template.Template, f rules.Finding) finding {
	out := finding{Rule: f.Rule, Severity: f.Severity.String(), Line: f.Line, Column: f.Column, Width: f.Width, Path: f.Path,
		Message: f.Message, Help: f.Help, More: f.More}
	if f.Line > 0 {
		out.text = t.Line(f.Line)
	}
	if f.Line > 0 && f.Column == 0 {
		pos, width := t.Place(f.Line)
		out.Column, out.Width = pos.Column, width
	}
	return out
}

func severityStyle(severity string) lipgloss.Style {
	switch severity {
	case "error":
		return term.Bad
	case "warning":
		return term.Warn
	}
	return term.Accent
}

// tellFindings draws what a check found, the worst first.
func (a *app) tellFindings(r *checkResult) {
	for _, severity := range []string{"error", "warning", "advice"} {
		for _, f := range r.Findings {
			if f.Severity == severity {
				a.tellFinding(r.Template, f)
				a.screen.Line()
			}
		}
	}
	if len(r.Findings) == 0 {
		a.screen.Text(term.Good.Render("All is well") + " with " + term.Visible(r.Template) + ".")
	}
	var counts []string
	for _, c := range []struct {
		n    int
		noun string
	}{{r.Errors, "error"}, {r.Warnings, "warning"}} {
		if c.n > 0 {
			counts = append(counts, term.Count(c.n, c.noun))
		}
	}
	if r.Advice > 0 {
		counts = append(counts, term.Count(r.Advice, "piece")+" of advice")
	}
	if len(counts) > 0 {
		a.screen.Text(strings.Join(counts, ", ") + " in " + term.Visible(r.Template) + ".")
	}
	if len(r.Checked) > 0 {
		a.screen.Text(term.Dim.Render(fmt.Sprintf("Checked: the text, %s, %s and %s; %s.",
			term.Count(r.fields, "field"), term.Count(r.facts.Folders, "folder"), term.Count(r.facts.Files, "file"), strings.Join(r.Checked, ", "))))
	}
}

func (a *app) tellFinding(file string, f finding) {
	help := f.Help
	if f.More > 0 {
		help = strings.TrimPrefix(help+"\n", "\n") + "and " + term.Number(f.More) + " more like this at this line"
	}
	message := f.Message
	if f.Rule != "language" {
		message += " [" + f.Rule + "]"
	}
	a.screen.Message(term.Place{File: file, Line: f.Line, Column: f.Column, Width: f.Width, Text: f.text}, severityStyle(f.Severity), message, help)
}
