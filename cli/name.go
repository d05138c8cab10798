package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/naming"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A nameRun is one call of name.
type nameRun struct {
	*app
	in, ext, from  string
	count          int
	create, asJSON bool

	t          *template.Template
	convention *template.Convention
}

func (a *app) nameCommand() *cobra.Command {
	n := &nameRun{app: a}
	c := &cobra.Command{
		Use:   "name TEMPLATE CONVENTION [field=value …]",
		Short: "Print the name that a naming convention makes of values.",
		Long: `Print the name that a naming convention makes of values.

With --in, the values of the project come from its label, and a number that
counts on is the next free one among the names in that folder. Nothing is made
unless you ask for it with --create, and never over a file that exists.`,
		Example: `  vestibula name commission scan client="Oriel Pask" received=2027-03-09 side=recto n=1
  vestibula name commission scan --in . side=verso --ext tif
  vestibula name commission invoice --in "05 Invoices" day=today what=deposit --create --ext md`,
		Args: func(c *cobra.Command, args []string) error {
			if len(args) == 0 {
				return templateArgs(c, args)
			}
			return nil
		},
		ValidArgsFunction: n.complete,
		RunE:              func(_ *cobra.Command, args []string) error { return n.run(args) },
	}
	c.Flags().StringVar(&n.in, "in", "", "the folder `DIR` that the name is for")
	c.Flags().StringVar(&n.ext, "ext", "", "the ending of the file, such as `tif`")
	c.Flags().IntVar(&n.count, "count", 1, "how many names, the number counting on")
	c.Flags().BoolVar(&n.create, "create", false, "make the file")
	c.Flags().StringVar(&n.from, "from", "", "with --create: begin as a copy of this `FILE`")
	c.Flags().BoolVar(&n.asJSON, "json", false, "print JSON")
	_ = c.MarkFlagDirname("in")
	return c
}

func (n *nameRun) run(args []string) error {
	var err error
	if n.t, err = n.load(args[0]); err != nil {
		return err
	}
	if err := n.choose(args); err != nil {
		return err
	}
	switch {
	case n.count < 1 || n.count > 10_000:
		return unclear("", "--count needs a number from 1 to 10,000")
	case n.count > 1 && n.convention.NextField() == nil:
		return unclear("write `next: yes` at the number that is to count on", "with this convention, %d names would all be the same", n.count)
	case n.from != "" && !n.create:
		return unclear("", "--from goes with --create")
	}
	values, err := n.gather(args[2:])
	if err != nil {
		return err
	}
	names, changes, err := n.names(values)
	if err != nil {
		return err
	}
	if n.create {
		if err := n.make(names); err != nil {
			return err
		}
	}
	if n.asJSON {
		return n.printJSON(names)
	}
	for _, name := range names {
		n.screen.Line(term.Visible(name))
	}
	for _, c := range changes {
		n.side.Text(term.Warn.Render("note:") + term.Sprintf(" the %s “%s” is written “%s”", c.Field, term.Visible(c.Was), term.Visible(c.Is)))
	}
	return nil
}

// choose finds the convention that is meant.
func (n *nameRun) choose(args []string) error {
	known := n.t.ConventionNames()
	if len(known) == 0 {
		return unclear("write them under names: in its header", "%s has no naming conventions", n.t.Name)
	}
	list := "it has " + strings.Join(known, ", ")
	if len(args) == 1 {
		return unclear(list, "which naming convention of %s?", n.t.Name)
	}
	if n.convention = n.t.Convention(args[1]); n.convention == nil {
		if near := outline.Nearest(args[1], known); near != "" {
			list = "did you mean " + near + "?"
		}
		return unclear(list, "%s has no naming convention %q", n.t.Name, args[1])
	}
	return nil
}

// gather collects the values: those given, those of the project, defaults, and
// where somebody can be asked, the answers.
func (n *nameRun) gather(args []string) (template.Values, error) {
	raw, err := rawArgs(args)
	if err != nil {
		return nil, err
	}
	// Fields of the template that stand in the pattern only through others,
	// such as file-ref, may be given as well.
	own, ofTemplate := map[string]template.Raw{}, map[string]template.Raw{}
	for name, r := range raw {
		if f := n.t.Field(name); f != nil {
			ofTemplate[name] = r
		} else {
			own[name] = r
		}
	}
	values, errs := n.t.ParseValues(ofTemplate, n.now)
	more, moreErrs := n.convention.ParseValues(own, n.now)
	if errs = append(errs, moreErrs...); len(errs) > 0 {
		return nil, badValues(errs)
	}
	if n.in != "" {
		project, err := n.project()
		if err != nil {
			return nil, err
		}
		for name, v := range project {
			if _, given := values[name]; !given {
				values[name] = v
			}
		}
	}
	if values, err = n.t.WithMade(n.t.Complete(values, n.now)); err != nil {
		return nil, unclear("", "%v", err)
	}
	for name, v := range more {
		values[name] = v
	}
	if err := n.countOn(values); err != nil {
		return nil, err
	}
	lacking, err := n.lacking(values)
	if err != nil || len(lacking) == 0 {
		return values, err
	}
	if !n.interactive() || n.asJSON {
		return nil, missing(n.convention.Name, lacking)
	}
	if err := n.askFields(lacking, values); err != nil {
		return nil, err
	}
	return n.t.WithMade(values)
}

// lacking fills in the defaults of the convention's own fields, and returns the
// fields that are still to be given.
func (n *nameRun) lacking(values template.Values) (lacking []*template.Field, err error) {
	for _, field := range n.convention.Fields {
		if _, given := values[field.Name]; given {
			continue
		}
		for _, f := range n.t.Ingredients(field) {
			_, given := values[f.Name]
			switch {
			case given || slices.Contains(lacking, f):
			case f.Default == nil:
				lacking = append(lacking, f)
			default:
				if values[f.Name], err = f.Parse(*f.Default, n.now); err != nil {
					return nil, unclear("", "%s %v", f.Name, err)
				}
			}
		}
	}
	return lacking, nil
}

// project returns the values of the project that the folder lies in, from its
// label.
func (n *nameRun) project() (template.Values, error) {
	if info, err := os.Stat(n.in); err != nil || !info.IsDir() {
		return nil, unclear("", "there is no folder %q", n.in)
	}
	dir, err := place.Real(n.in)
	if err != nil {
		return nil, err
	}
	own, l, err := project.Find(dir)
	if err != nil {
		return nil, unclear("", "%v", err)
	}
	if l == nil || l.Template != n.t.Name {
		return nil, nil
	}
	values := template.Values{}
	for name, raw := range l.Raw() {
		// A field that has changed since is as good as not given.
		if f := n.t.Field(name); f != nil && !f.Made() {
			if v, err := f.Parse(raw, n.now); err == nil && v.Kind != value.Pending {
				values[name] = v
			}
		}
	}
	if own != dir && len(values) > 0 {
		n.side.Text(term.Warn.Render("note:") + " values come from the project " + term.Visible(own))
	}
	return values, nil
}

// countOn gives the field that counts on the next free number.
func (n *nameRun) countOn(values template.Values) error {
	f := n.convention.NextField()
	if f == nil {
		return nil
	}
	if _, given := values[f.Name]; given {
		return nil
	}
	names, err := n.taken()
	if err != nil {
		return err
	}
	next, odd, err := naming.Next(n.convention, names)
	if err != nil {
		return refused("", "%v", err)
	}
	if len(odd) > 0 {
		others := ""
		if len(odd) > 3 {
			others = fmt.Sprintf(" and %d more", len(odd)-3)
		}
		n.side.Text(term.Warn.Render("note:") + term.Sprintf(" not counted, because the convention cannot read them: %s%s", strings.Join(odd[:min(3, len(odd))], ", "), others))
	}
	values[f.Name] = value.OfNumber(next)
	return nil
}

// taken returns the names in the folder that the name is for.
func (n *nameRun) taken() ([]string, error) {
	dir := n.in
	if dir == "" {
		if !n.create {
			return nil, nil
		}
		dir = "."
	}
	real, err := place.Real(dir)
	if err != nil {
		return nil, unclear("", "the folder %q cannot be read: %s", dir, place.Reason(err))
	}
	p, err := place.Open(real)
	if err != nil {
		return nil, unclear("", "%v", err)
	}
	defer p.Close()
	entries, err := p.List(".")
	if err != nil {
		return nil, unclear("", "the folder %q cannot be read: %s", dir, place.Reason(err))
	}
	names := make([]string, len(entries))
	for i, e := range entries {
		names[i] = e.Name
	}
	return names, nil
}

// names writes the names, counting on from the first.
func (n *nameRun) names(values template.Values) (names []string, changes []template.Change, err error) {
	ext := strings.TrimPrefix(n.ext, ".")
	if ext == "" && len(n.convention.For) > 0 {
		ext = n.convention.For[0]
	}
	if ext != "" {
		if template.Extension("x."+ext) == "" {
			return nil, nil, unclear("an ending is one to eight letters or digits, such as tif", "%q is no ending", n.ext)
		}
		if len(n.convention.For) > 0 && !slices.Contains(n.convention.For, strings.ToLower(ext)) {
			return nil, nil, unclear("it is for "+strings.Join(n.convention.For, ", "), "the convention %q is not for .%s", n.convention.Name, ext)
		}
		ext = "." + ext
	}
	for i := range n.count {
		if i > 0 {
			f := n.convention.NextField()
			v := values[f.Name].Next()
			if f.Type.Max != nil && v.Number > *f.Type.Max {
				return nil, nil, refused("", "only %s can be made: <%s> goes up to %d", term.Count(i, "name"), f.Name, *f.Type.Max)
			}
			values[f.Name] = v
		}
		name, changed, err := n.convention.Write(values)
		if err != nil {
			return nil, nil, refused("", "%v", err)
		}
		if i == 0 {
			changes = changed
		}
		if err := naming.Check(n.convention, name+ext, values); err != nil {
			help := ""
			if ext == "" {
				help = "give the file its ending with --ext, or use another value"
			}
			return nil, nil, refused(help, "%q is no name for this convention: %v", name+ext, err)
		}
		names = append(names, name+ext)
	}
	return names, changes, nil
}

// maxFrom is the largest file that new ones begin as a copy of.
const maxFrom = 1 << 30

// make makes the files, or none of them.
func (n *nameRun) make(names []string) error {
	dir := n.in
	if dir == "" {
		dir = "."
	}
	var data []byte
	if n.from != "" {
		var err error
		if data, err = place.ReadFile(n.from, maxFrom); err != nil {
			return unclear("", "%s cannot be read: %s", n.from, place.Reason(err))
		}
	}
	var files []newFile
	for _, name := range names {
		files = append(files, newFile{filepath.Join(dir, name), tree.Bytes(data)})
	}
	title := names[0]
	if len(names) > 1 {
		title = string(term.Count(len(names), "file")) + " from " + names[0]
	}
	return n.makeFiles("name", title, files, false)
}

func (n *nameRun) complete(c *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	if len(args) != 1 {
		return n.completeTemplate(c, args, typed)
	}
	src, err := n.find(args[0])
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	t, err := template.Parse(src.name, src.text, src.starters)
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return t.ConventionNames(), cobra.ShellCompDirectiveNoFileComp
}
