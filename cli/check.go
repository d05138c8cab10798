package cli

import (
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/label"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A checkRun is one call of check.
type checkRun struct {
	*app
	flags           valueFlags
	asJSON, asSARIF bool
	only            []string
	strict          bool
	explain, by     string
	ignore          []string
	fix, yes        bool
}

func (a *app) checkCommand() *cobra.Command {
	r := &checkRun{app: a}
	c := &cobra.Command{
		Use:   "check TEMPLATE-OR-FOLDER [field=value …]",
		Short: "Find what will go wrong, in a template or in a real folder.",
		Long: `Find what will go wrong with a template before anything is built: mistakes in
the text, and what its rules say about every tree that it can make. Or hold a
real folder to the rules of a template, whoever made it.

The exit status is 0 where nothing is found or there are warnings only, and 1
where there are errors; with --strict, warnings count too.`,
		Example: `  vestibula check commission
  vestibula check commission --only sorting,numbering --strict
  vestibula check --explain sorting
  vestibula check Clients --template commission --ignore "*.tmp"
  vestibula check --fix clients.folders`,
		Args: func(c *cobra.Command, args []string) error {
			if r.explain != "" {
				return nil
			}
			return templateArgs(c, args)
		},
		ValidArgsFunction: a.completeTemplate,
		RunE:              func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	r.flags.add(c)
	c.Flags().BoolVar(&r.asJSON, "json", false, "print JSON")
	c.Flags().BoolVar(&r.asSARIF, "sarif", false, "print SARIF 2.1.0, for a team's checks")
	c.Flags().StringSliceVar(&r.only, "only", nil, "hold only these `RULES` against it, with commas between")
	c.Flags().BoolVar(&r.strict, "strict", false, "warnings fail as well")
	c.Flags().StringVar(&r.explain, "explain", "", "say what a `RULE` means, and why it matters")
	c.Flags().StringVar(&r.by, "template", "", "check a folder by the rules of this `TEMPLATE`")
	c.Flags().StringArrayVar(&r.ignore, "ignore", nil, "in a folder, pass by paths that fit this `PATTERN`")
	c.Flags().BoolVar(&r.fix, "fix", false, "mend in the template what can be mended without asking")
	c.Flags().BoolVarP(&r.yes, "yes", "y", false, "with --fix: write without asking")
	_ = c.RegisterFlagCompletionFunc("explain", func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		return rules.Names(), cobra.ShellCompDirectiveNoFileComp
	})
	_ = c.RegisterFlagCompletionFunc("only", func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		return rules.Names(), cobra.ShellCompDirectiveNoFileComp
	})
	return c
}

func (r *checkRun) run(args []string) error {
	if r.explain != "" {
		return r.explainRule()
	}
	for i, name := range r.only {
		r.only[i] = strings.TrimSpace(name)
		known := append([]string{"language", "names", "same-name"}, rules.Names()...)
		if !slices.Contains(known, r.only[i]) {
			help := "the rules are " + strings.Join(known, ", ")
			if near := outline.Nearest(r.only[i], known); near != "" {
				help = "did you mean " + near + "?"
			}
			return unclear(help, "there is no rule %q", r.only[i])
		}
	}
	if info, err := os.Stat(args[0]); err == nil && info.IsDir() {
		return r.folder(args[0], args[1:])
	}
	src, err := r.find(args[0])
	if err != nil {
		return err
	}
	if r.fix {
		return r.mend(src)
	}
	result := &checkResult{Subject: src.name, Findings: []finding{}, path: src.path}
	if err := r.template(result, src, args[1:]); err != nil {
		return err
	}
	return r.tell(result)
}

// wanted reports whether findings of a rule are to be told.
func (r *checkRun) wanted(rule string) bool {
	return len(r.only) == 0 || slices.Contains(r.only, rule)
}

// tell prints the result and returns the stop that goes with it.
func (r *checkRun) tell(result *checkResult) error {
	var err error
	switch {
	case r.asSARIF:
		err = r.printJSON(sarif(result, r.version))
	case r.asJSON:
		err = r.printJSON(result)
	default:
		r.tellFindings(result)
	}
	if result.Errors > 0 || r.strict && result.Warnings > 0 || len(result.Unread) > 0 {
		return found
	}
	return err
}

// language puts messages about the text of a template into the result.
func (r *checkRun) language(result *checkResult, text string, errs outline.Errors, severity string) {
	if !r.wanted("language") {
		return
	}
	for _, e := range errs {
		result.put(finding{Rule: "language", Severity: severity, Line: e.Line, Column: e.Column, Width: e.Width,
			Message: e.Message, Help: e.Help, text: template.LineOf(text, e.Line)})
	}
}

// template checks a template: its text, and the trees that it makes.
func (r *checkRun) template(result *checkResult, src *source, args []string) error {
	t, err := template.Parse(src.name, src.text, src.starters)
	var errs outline.Errors
	if errors.As(err, &errs) {
		r.language(result, src.text, errs, "error")
		return nil
	}
	if err != nil {
		return err
	}
	set, errs := rules.Configure(t)
	set = set.Select(r.wanted)
	r.language(result, t.Text, errs, "error")
	r.language(result, t.Text, t.Warnings, "warning")
	result.Checked, result.fields = set.Names(), len(t.Fields)
	if len(t.Names) > 0 && r.wanted("names") {
		result.Checked = append(result.Checked, "names")
	}
	given, err := r.values(t, args, r.flags.file)
	if err != nil {
		return err
	}
	findings, err := r.judge(result, t, set, given)
	if errors.As(err, &errs) {
		r.language(result, t.Text, errs, "error")
		return nil
	}
	if err != nil {
		return r.tellErrors(t.Name, t.Text, err, statusFound)
	}
	if r.wanted("names") {
		findings = append(findings, rules.Conventions(t)...)
	}
	for _, f := range findings {
		result.put(placed(t, f))
	}
	return nil
}

// judge holds the rules against the trees of a template: against those of all
// its sizes, and the order of siblings against one in which texts are unknown.
func (r *checkRun) judge(result *checkResult, t *template.Template, set *rules.Set, given template.Values) ([]rules.Finding, error) {
	var all [][]rules.Finding
	ordered := set.Select(func(rule string) bool { return rule == "sorting" })
	others := set.Select(func(rule string) bool { return rule != "sorting" })
	for i, values := range t.Scenarios(given, r.now) {
		x, err := t.Tree(values, r.flags.limit)
		if err != nil {
			if i > 0 {
				continue // one size is too large, or cannot be made with these values
			}
			return nil, err
		}
		if i == 0 {
			result.facts = tree.Measure(x.Root)
		}
		if !t.HasTexts(given) {
			all = append(all, set.Check(x.Root))
			continue
		}
		all = append(all, others.Check(x.Root))
		if i < 2 {
			// The same again, with texts that nobody knows.
			if x, err = t.Tree(t.Marked(values, given, r.now), r.flags.limit); err == nil {
				all = append(all, ordered.Check(x.Root))
			}
		}
	}
	return rules.Combine(all...), nil
}

// folder holds a real folder to the rules of a template.
func (r *checkRun) folder(dir string, args []string) error {
	if len(args) > 0 {
		return unclear("values go with a template", "%q cannot be used when a folder is checked", args[0])
	}
	t, err := r.templateFor(dir)
	if err != nil {
		return err
	}
	set, errs := rules.Configure(t)
	if len(errs) > 0 {
		return r.tellErrors(t.Name, t.Text, errs, statusUnclear)
	}
	set = set.Select(r.wanted)
	skip, err := rules.Ignore(append(slices.Clone(t.Ignore), r.ignore...))
	if err != nil {
		return unclear("", "%v", err)
	}
	root, unread, err := tree.Read(dir, skip)
	if err != nil {
		return unclear("", "%s cannot be read: %s", dir, place.Reason(err))
	}
	result := &checkResult{Subject: dir, Findings: []finding{}, Checked: set.Names(), real: true}
	for _, u := range unread {
		result.Unread = append(result.Unread, u.Path)
	}
	result.facts = tree.Measure(root)
	abs, err := filepath.Abs(dir)
	if err != nil {
		return err
	}
	name := filepath.Base(abs)
	if !t.Locate(root, name) {
		name = ""
	}
	set.CheckFolder(root, name, func(f rules.Finding) {
		f.Line = 0
		result.put(placed(t, f))
	})
	for at, n := range root.All() {
		if n.Marks&tree.Link != 0 {
			result.Links = append(result.Links, at)
		}
	}
	return r.tell(result)
}

// templateFor returns the template by whose rules a folder is checked: the one
// that was named, or the one in the folder's label.
func (r *checkRun) templateFor(dir string) (*template.Template, error) {
	if r.by != "" {
		return r.load(r.by)
	}
	data, err := place.ReadFile(filepath.Join(dir, label.FileName), label.MaxBytes)
	if err != nil {
		return nil, unclear("name a template: --template commission", "%q was not built from a template, so it is not clear which rules hold", dir)
	}
	l, err := label.Parse(data)
	if err != nil {
		return nil, unclear("name a template: --template commission", "the label of %q cannot be read", dir)
	}
	b := &l.Build
	text, _ := label.WithoutStarters(b.Text)
	t, err := template.Parse(b.Template, text, nil)
	if err != nil {
		return nil, r.tellErrors(b.Template, b.Text, err, statusUnclear)
	}
	return t, nil
}

// explainRule prints the page of a rule.
func (r *checkRun) explainRule() error {
	page, ok := rules.Explain(r.explain)
	if !ok {
		help := "the rules are " + strings.Join(rules.Names(), ", ")
		if near := outline.Nearest(r.explain, rules.Names()); near != "" {
			help = "did you mean " + near + "?"
		}
		return unclear(help, "there is no rule %q", r.explain)
	}
	r.screen.Line(term.Title.Render(term.Visible(page.Name)))
	r.screen.Text(term.Strong.Render(term.Visible(page.About)))
	r.screen.Line()
	r.screen.Text(term.Visible(page.Why))
	parts := []struct{ title, text string }{{"What breaks it", page.Bad}, {"What keeps it", page.Good}}
	if page.Setting != "" {
		parts = slices.Insert(parts, 0, struct{ title, text string }{"How to set it", "rules:\n  " + strings.ReplaceAll(page.Setting, "\n", "\n  ")})
	}
	for _, part := range parts {
		r.screen.Line()
		r.screen.Line(term.Accent.Render(term.Visible(part.title)))
		for line := range strings.SplitSeq(part.text, "\n") {
			r.screen.Line("    ", term.Visible(line))
		}
	}
	if page.Standard != "" {
		r.screen.Line()
		r.screen.Text(term.Dim.Render(term.Sprintf("Holds by itself, as a warning, in a template without `rules:`. Turn it off with `%s: off`.", page.Name)))
	}
	return nil
}
