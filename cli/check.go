package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A checkRun is one call of check.
type checkRun struct {
	*app
	flags           valueFlags
	asJSON          bool
	only            []string
	without         []string
	strict          bool
	explain, by, on string
	outFile         string
	ignore          []string
	fix             bool
	ask             consent
	accept, why     string
	given           []string               // values that go with --template
	set             func(flag string) bool // it stands in the call
}

// completeRules offers rules, several with commas between.
func completeRules(_ *cobra.Command, _ []string, word string) (list []string, _ cobra.ShellCompDirective) {
	before := word[:strings.LastIndexByte(word, ',')+1] // rules that stand there already
	for _, name := range rules.Names() {
		if !slices.Contains(strings.Split(before, ","), name) {
			list = append(list, before+name)
		}
	}
	return list, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
}

// here reports whether nothing was named in a project: that is meant then.
func here(args []string) bool {
	_, l, err := project.Find(".")
	return len(args) == 0 && err == nil && l != nil
}

func (a *app) checkCommand() *cobra.Command {
	r := &checkRun{app: a}
	c := &cobra.Command{
		Use:   "check TEMPLATE-OR-FOLDER… [field=value …]",
		Short: "Find what will go wrong in a template, or what is not as it should be in a folder.",
		Long: `Find what will go wrong with a template before anything is built: mistakes in
the text, and what its rules say about every tree that it can make.

Or hold real folders to what they were built from: what is missing, under another
name, in the wrong place, not wanted, or overdue. Folders and archives that no
template made are held to the one that you name with --template, and to the
defaults without. --fix fixes what can be fixed, and undo takes that back.

With --on, names are tried on a drive, or in a folder, in a hidden folder of which
nothing is left: which are refused or changed there, and how they are listed.

The exit status is 0 where nothing is found or there are warnings only, and 1
where there are errors; with --strict, warnings count too.`,
		Example: `  vestibula check commission
  vestibula check commission --only sorting,numbering --strict
  vestibula check --explain sorting
  vestibula check "2027-03 Oriel Pask BK"
  vestibula check "2027-03 Oriel Pask BK" --fix
  vestibula check Hand-ins/*.zip --template evening-course
  vestibula check --fix clients.folders
  vestibula check commission --on "2027-03 Oriel Pask BK"`,
		Args: func(c *cobra.Command, args []string) error {
			if r.explained(args) || r.explain != "" || r.on != "" {
				return nil
			}
			if here(args) {
				return nil
			}
			return templateArgs(c, args)
		},
		ValidArgsFunction: func(c *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
			if r.explain != "" && len(args) == 0 {
				return rules.Names(), cobra.ShellCompDirectiveNoFileComp
			}
			return a.completeTemplate(c, args, typed)
		},
		RunE: func(c *cobra.Command, args []string) error {
			r.set = c.Flags().Changed
			if r.explained(args) {
				r.explain, args = args[0], nil
			}
			if r.on == "" && (r.explain == "" || r.explain == everyRule) && here(args) {
				args = []string{"."}
			}
			return r.run(args)
		},
	}
	r.options(c)
	r.completes(c)
	return c
}

// options gives the command its options.
func (r *checkRun) options(c *cobra.Command) {
	r.flags.add(c)
	c.Flags().BoolVar(&r.asJSON, "json", false, "print JSON")
	c.Flags().StringVar(&r.outFile, "out", "", "write what is found into a new `FILE`: "+outEndings)
	c.Flags().StringSliceVar(&r.only, "only", nil, "hold only these `RULES` against it, with commas between")
	c.Flags().StringSliceVar(&r.without, "without", nil, "leave these `RULES` out, with commas between")
	c.Flags().BoolVar(&r.strict, "strict", false, "warnings fail as well")
	c.Flags().StringVar(&r.explain, "explain", "", "say what a `RULE` means, and why it matters; without one, list what was looked at, and what was proven")
	c.Flags().Lookup("explain").NoOptDefVal = everyRule
	c.Flags().StringVar(&r.on, "on", "", "try the names of a template, or awkward ones, on this `DRIVE` or in this folder")
	c.Flags().StringVar(&r.by, "template", "", "check a folder by the rules of this `TEMPLATE`")
	c.Flags().StringArrayVar(&r.ignore, "ignore", nil, "in a folder, skip paths that fit this `PATTERN`")
	c.Flags().BoolVar(&r.fix, "fix", false, "fix what can be fixed, in the template or in the folder")
	r.ask.addYes(c, "with --fix: do what is sure without asking")
	r.ask.addMoves(c)
	r.ask.addPlan(c)
	c.Flags().BoolVar(&r.ask.preview, "preview", false, "with --fix: show what would be done, and change nothing")
	c.Flags().StringVar(&r.accept, "accept", "", "accept what is found at this `PATH` of a project")
	c.Flags().StringVar(&r.why, "why", "", "with --accept: the `REASON`, which is kept in the project")
}

// everyRule stands for all rules that were held against something.
const everyRule = "all"

// explained reports whether the only argument is the rule that is to be explained.
func (r *checkRun) explained(args []string) bool {
	if r.explain != everyRule || len(args) != 1 || place.Exists(args[0]) || place.Exists(args[0]+template.Ending) {
		return false
	}
	_, is := rules.Explain(args[0])
	return is || outline.Nearest(args[0], rules.Names()) != ""
}

// completes tells the shell which words the options take.
func (r *checkRun) completes(c *cobra.Command) {
	_ = c.RegisterFlagCompletionFunc("explain", func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		return rules.Names(), cobra.ShellCompDirectiveNoFileComp
	})
	_ = c.RegisterFlagCompletionFunc("only", completeRules)
	_ = c.RegisterFlagCompletionFunc("without", completeRules)
	_ = c.RegisterFlagCompletionFunc("template", r.completeTemplates)
}

func (r *checkRun) run(args []string) error {
	if r.ask.plan != "" && !r.fix && !r.sameOnly() {
		return unclear("", "--plan goes with --fix, or with --only twice")
	}
	if r.outFile != "" && (r.fix || r.accept != "" || r.ask.plan != "" || r.explain != "") {
		return unclear("leave one of them out", "--out writes what is found, and changes nothing: it goes without --fix, --accept, --plan and --explain")
	}
	if (r.ask.fixLinks || r.ask.addresses != "") && !r.fix {
		return unclear("", "--fix-links and --addresses go with --fix")
	}
	if r.explain != "" && r.explain != everyRule {
		return r.explainRule()
	}
	if r.on != "" {
		return r.tryOn(args)
	}
	for _, list := range [][]string{r.only, r.without} {
		if err := knownRules(list); err != nil {
			return err
		}
	}
	real, err := r.realOnes(args)
	if err != nil {
		return err
	}
	if real != nil {
		return r.folders(real)
	}
	switch {
	case r.accept != "" || r.why != "":
		return unclear("", "--accept goes with a project")
	case r.by != "":
		return unclear("", "--template goes with a folder, and \"%s\" is none", args[0])
	}
	src, err := r.find(args[0])
	if err != nil {
		return err
	}
	if r.fix {
		return r.fixText(src)
	}
	result := &checkResult{Subject: src.name, Findings: []finding{}, path: src.path, explain: r.explain != ""}
	if err := r.template(result, src, args[1:]); err != nil {
		return err
	}
	return r.tell(result)
}

// knownRules trims the names of rules, and refuses one that there is not.
func knownRules(names []string) error {
	known := append([]string{"language", "names", "same-name"}, rules.Names()...)
	for i := range names {
		if names[i] = strings.TrimSpace(names[i]); slices.Contains(known, names[i]) {
			continue
		}
		help := outline.Meant(names[i], known, "the rules are "+strings.Join(known, ", "))
		return unclear(help, "there is no rule \"%s\"", names[i])
	}
	return nil
}

// wanted reports whether findings of a rule are to be told.
func (r *checkRun) wanted(rule string) bool {
	return (len(r.only) == 0 || slices.Contains(r.only, rule)) && !slices.Contains(r.without, rule)
}

// tell prints the result and returns the stop that goes with it.
func (r *checkRun) tell(result *checkResult) error {
	var err error
	switch {
	case r.outFile != "":
		err = r.writeResults([]*checkResult{result}, nil, nil, result)
	case r.asJSON:
		err = r.printJSON(result)
	default:
		r.tellFindings(result, r.all)
	}
	if err == nil && (result.Errors > 0 || r.strict && result.Warnings > 0 || len(result.Unread) > 0) {
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
	t, err := src.parse()
	var errs outline.Errors
	if errors.As(err, &errs) {
		r.language(result, src.text, errs, "error")
		return nil
	}
	if err != nil {
		return err
	}
	set, errs := rules.Configure(t, r.only...)
	set = set.Select(r.wanted)
	r.language(result, t.Text, errs, "error")
	r.language(result, t.Text, t.Warnings, "warning")
	result.Checked, result.fields = set.Held(false, true), len(t.Fields)
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
	if r.wanted("names") && len(t.Names) > 0 {
		findings = append(findings, rules.Conventions(t)...)
		result.Proven = append(result.Proven, "names")
	}
	if r.wanted("same-name") {
		findings = append(findings, rules.Periods(t)...)
	}
	if r.wanted("sorting") {
		findings = append(findings, rules.SchoolYears(t)...)
	}
	for _, f := range rules.Places(t) {
		if r.wanted(f.Rule) {
			findings = append(findings, f)
		}
	}
	for _, f := range findings {
		result.put(placed(t, f))
		result.Proven = slices.DeleteFunc(result.Proven, func(rule string) bool { return rule == f.Rule })
	}
	return nil
}

// maxLooked is how many things are looked at, about, before the other sets of values are
// left out and that is told.
const maxLooked = 1_000_000

// judge holds the rules against the trees of a template: against those of all
// its sizes, and the order of siblings against one in which texts are unknown.
func (r *checkRun) judge(result *checkResult, t *template.Template, set *rules.Set, given template.Values) ([]rules.Finding, error) {
	var all [][]rules.Finding
	ordered := set.Select(func(rule string) bool { return rule == "sorting" })
	others := set.Select(func(rule string) bool { return rule != "sorting" })
	scenarios, left := t.Scenarios(given, r.now)
	result.Left = left
	made, unmade := 0, 0
	done, end := r.progress("checking", len(scenarios))
	defer end()
	for i, values := range scenarios {
		done(1)
		if made > maxLooked {
			result.Left = append(result.Left, fmt.Sprintf("%d of %d sets of values, as this makes so much", len(scenarios)-i, len(scenarios)))
			break
		}
		x, err := t.Tree(values, r.flags.limit)
		if err != nil {
			if i > 0 {
				unmade++ // one size is too large, or cannot be made with these values
				continue
			}
			return nil, err
		}
		result.Sets++
		if made += x.Root.Count(); i == 0 {
			result.facts = tree.Measure(x.Root)
		}
		if !t.HasTexts(given) {
			all = append(all, set.Check(x.Root))
			continue
		}
		all = append(all, others.Check(x.Root))
		if made <= maxLooked {
			// The same again, with texts that nobody knows.
			if x, err = t.Tree(t.Marked(values, given, r.now), r.flags.limit); err == nil {
				all = append(all, ordered.Check(x.Root))
			}
		}
	}
	if unmade > 0 {
		result.Left = append(result.Left, fmt.Sprintf("%d of %d sets of values, of which no tree can be made here", unmade, len(scenarios)))
	}
	if t.HasTexts(given) && len(ordered.Names()) > 0 {
		result.Proven = append(result.Proven, "sorting")
	}
	return rules.Combine(all...), nil
}

// explainRule prints the page of a rule.
func (r *checkRun) explainRule() error {
	page, ok := rules.Explain(r.explain)
	if !ok {
		help := outline.Meant(r.explain, rules.Names(), "the rules are "+strings.Join(rules.Names(), ", "))
		return unclear(help, "there is no rule \"%s\"", r.explain)
	}
	r.screen.Line(term.Title.Render(term.Visible(page.Name)))
	r.screen.Text(term.Strong.Render(term.Visible(page.About)))
	r.screen.Line()
	r.screen.Text(term.Visible(page.Why))
	parts := page.Examples()
	if page.Setting != "" {
		parts = slices.Insert(parts, 0, rules.Example{Title: "How to set it", Text: "rules:\n  " + strings.ReplaceAll(page.Setting, "\n", "\n  ")})
	}
	for _, part := range parts {
		r.screen.Line()
		r.screen.Line(term.Accent.Render(term.Visible(part.Title)))
		for line := range strings.SplitSeq(part.Text, "\n") {
			r.screen.Line("    ", term.Visible(line))
		}
	}
	if page.Standard != "" {
		r.screen.Line()
		r.screen.Text(term.Dim.Render(term.Sprintf("Holds by itself. Turn it off with `%s: off`.", page.Name)))
	}
	return nil
}
