package cli

import (
	"errors"
	"maps"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/naming"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/rules"
	"vestibula/core/standing"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A nameRun is one call of name.
type nameRun struct {
	*app
	in, ext        string
	from           []string
	count          int
	create, asJSON bool

	t          *template.Template
	convention *template.Convention
	place      *location
	dir        address.Address // that the names are for
	fresh      string          // the same from the own folder, where it is not there yet
	values     template.Values // of the place
}

func (a *app) nameCommand() *cobra.Command {
	n := &nameRun{app: a}
	c := &cobra.Command{
		Use:   "name [TEMPLATE] CONVENTION [field=value …]",
		Short: "Print the name that a naming convention makes of values.",
		Long: `Print the name that a naming convention makes of values.

In a project the template need not be named, and what the project and the folders
on the way say need not be given; --in names another folder, or a project, in which
the one folder is found that holds such files. A number that counts on is the next
free one. Nothing is made unless you ask for it with --create, and never over a file
that exists.`,
		Example: `  vestibula name commission scan client="Oriel Pask" received=2027-03-09 side=recto n=1
  vestibula name commission scan --in . side=verso --ext tif
  vestibula name commission invoice --in "05 Invoices" day=today what=deposit --create --ext md`,
		ValidArgsFunction: n.complete,
		RunE:              func(_ *cobra.Command, args []string) error { return n.run(args) },
	}
	c.Flags().StringVar(&n.in, "in", "", "the folder `DIR` that the name is for, or a project")
	c.Flags().StringVar(&n.ext, "ext", "", "the ending of the file, such as `tif`")
	c.Flags().IntVar(&n.count, "count", 1, "`N` names, the number counting on")
	c.Flags().BoolVar(&n.create, "create", false, "make the file")
	c.Flags().StringArrayVar(&n.from, "from", nil, "with --create: begin as a copy of this `FILE`, whose ending it keeps; more than once, one name for each")
	c.Flags().BoolVar(&n.asJSON, "json", false, "print JSON")
	_ = c.MarkFlagDirname("in")
	return c
}

func (n *nameRun) run(args []string) error {
	if n.in == "" {
		n.in = "."
	}
	if err := n.choose(&args); err != nil {
		return err
	}
	if len(n.from) > 0 && n.count == 1 {
		n.count = len(n.from)
	}
	switch {
	case n.count < 1 || n.count > 10_000:
		return unclear("", "--count needs a number from 1 to 10,000")
	case n.count > 1 && n.convention.NextField() == nil:
		return unclear("write `next: yes` at the number that is to count on", "with this convention, %d names would all be the same", n.count)
	case len(n.from) > 0 && !n.create:
		return unclear("", "--from goes with --create")
	case len(n.from) > 1 && n.count != len(n.from):
		return unclear("leave out --count", "%d names for %d files?", n.count, len(n.from))
	}
	values, err := n.gather(args)
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
		n.note(term.Sprintf("the %s “%s” is written “%s”", c.Field, c.Was, c.Is))
	}
	return nil
}

func (a *app) note(text term.Shown) {
	a.side.Text(term.Warn.Render("note:") + " " + text)
}

// choose finds the template and the convention that are meant, and takes them from the
// arguments.
func (n *nameRun) choose(args *[]string) error {
	words := 0
	for words < len(*args) && words < 2 && !strings.Contains((*args)[words], "=") {
		words++
	}
	var rest []string
	var err error
	n.t, n.place, rest, err = n.templateHere((*args)[:words], 1, n.in)
	if errors.Is(err, errNoProject) {
		if words == 0 {
			return unclear(examplesOf("name"), "which template, and which of its naming conventions?")
		}
		if n.t, err = n.load((*args)[0]); err != nil {
			return err
		}
		rest = nil
	}
	if err != nil {
		return err
	}
	name := ""
	if len(rest) > 0 {
		name = rest[0]
	}
	*args = (*args)[words:]
	n.convention, err = convention(n.t, name)
	return err
}

// gather collects the values: those given, those of the place, defaults, and where
// somebody can be asked, the answers.
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
	given := values.Clone()
	maps.Copy(given, more)
	if err := n.stand(given); err != nil {
		return nil, err
	}
	for name, v := range n.values {
		if _, said := values[name]; !said && v.Given() && v.Kind != value.Pending {
			if f := n.t.Field(name); f != nil && (f.Made() || f.Borrowed) && more[name].Given() {
				continue
			}
			values[name] = v
		}
	}
	made := values.Clone()
	for name := range made {
		if f := n.t.Field(name); f == nil || f.Made() {
			delete(made, name) // a folder on the way says it, or it follows from others
		}
	}
	if made, err = n.t.WithMade(n.t.Complete(made, n.now)); err != nil {
		return nil, unclear("", "%v", err)
	}
	for name, v := range made {
		if v.Given() {
			values[name] = v
		}
	}
	maps.Copy(values, more)
	if err := n.askLacking(values); err != nil {
		return nil, err
	}
	return values, n.countOn(values)
}

// askLacking asks for what a name still needs, where somebody can be asked.
func (n *nameRun) askLacking(values template.Values) error {
	lacking, err := n.lacking(values)
	if err != nil || len(lacking) == 0 {
		return err
	}
	if !n.interactive() || n.asJSON {
		return missing(n.convention.Name, lacking)
	}
	if err := n.askFields(lacking, values); err != nil {
		return err
	}
	made := template.Values{}
	for name, v := range values {
		if f := n.t.Field(name); f != nil && !f.Made() {
			made[name] = v
		}
	}
	if made, err = n.t.WithMade(made); err != nil {
		return unclear("", "%v", err)
	}
	maps.Copy(values, made)
	return nil
}

// lacking fills in the defaults of the convention's own fields, and returns the
// fields that are still to be given.
func (n *nameRun) lacking(values template.Values) (lacking []*template.Field, err error) {
	for _, field := range n.convention.Fields {
		if values[field.Name].Given() || field.Next > template.Uncounted {
			continue
		}
		for _, f := range n.t.Ingredients(field) {
			switch {
			case values[f.Name].Given() || slices.Contains(lacking, f):
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

// stand finds the folder that the name is for, and what is known there.
func (n *nameRun) stand(given template.Values) error {
	s := n.place
	if s == nil || s.layout == nil {
		var err error
		n.dir, err = place.Real(n.in)
		return err
	}
	n.dir, n.values = s.dir, s.here.Values
	if s.here.Line != nil && slices.Contains(s.here.Line.Holds, n.convention) {
		if why := contradicted(n.convention, given, n.values); why != "" {
			return refused("leave that value out, or name the folder that it belongs in with --in", "%s.", why)
		}
		return nil
	}
	switch list := s.holders(n.convention, given); {
	case len(list) == 1 && !list[0].there && list[0].Want.Marks&tree.Later == 0:
		return refused(advise("to make what is missing", "check", typed(fromHere(s.layout.Dir)), "--fix").String(), "the folder for it, %s, is not there.", list[0].Path)
	case len(list) == 1:
		n.dir, n.values = s.layout.Dir.Join(list[0].dir), list[0].known
		switch {
		case !list[0].there:
			n.fresh = list[0].dir
			n.note(term.Sprintf("the name is for %s, which is not there yet", fromHere(n.dir)))
		case n.dir != s.dir:
			n.note(term.Sprintf("the name is for %s", fromHere(n.dir)))
		}
	case len(list) > 1 && n.create:
		var paths []string
		for _, p := range list[:min(len(list), 5)] {
			paths = append(paths, n.sameCall("", "--in", typed(fromHere(s.layout.Dir.Join(p.dir)))).String())
		}
		return unclear("name one of them:\n"+strings.Join(paths, "\n"), "%s hold files named %s", term.Count(len(list), "folder"), n.convention.Name)
	}
	if why := contradicted(n.convention, given, n.values); why != "" {
		return refused("leave that value out, or name another folder with --in", "%s.", why)
	}
	return nil
}

// names writes the names, counting on from the first.
func (n *nameRun) names(values template.Values) (names []string, changes []template.Change, err error) {
	var set *rules.Set
	for i := range n.count {
		if i > 0 {
			f := n.convention.NextField()
			v := values[f.Name].Next()
			if f.Type.Max != nil && v.Number > *f.Type.Max {
				return nil, nil, refused("", "only %s can be made: <%s> goes up to %d", term.Count(i, "name"), f.Name, *f.Type.Max)
			}
			values[f.Name] = v
		}
		ext, err := n.ending(i)
		if err != nil {
			return nil, nil, err
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
			return nil, nil, refused(help, "\"%s\" is no name for this convention: %v", name+ext, err)
		}
		if set == nil {
			if set, err = n.rulesOf(n.t); err != nil {
				return nil, nil, err
			}
		}
		for _, f := range set.CheckName(name + ext) {
			if f.Severity == rules.Error {
				return nil, nil, refused("the rules of "+n.t.Name+" ask for it: use shorter or other values", "%s.", f.Message)
			}
			n.note(term.Visible(f.Message.String()))
		}
		names = append(names, name+ext)
	}
	return names, changes, nil
}

// ending is that of the i-th file, with its dot.
func (n *nameRun) ending(i int) (string, error) {
	ext := strings.TrimPrefix(n.ext, ".")
	if ext == "" && i < len(n.from) {
		ext = tree.Extension(filepath.Base(n.from[i]))
	} else if ext == "" && len(n.from) == 0 && len(n.convention.For) > 0 {
		ext = n.convention.For[0]
	}
	switch {
	case ext == "":
		return "", nil
	case tree.Extension("x."+ext) == "":
		return "", unclear("an ending is one to eight letters or digits, such as tif", "\"%s\" is no ending", n.ext)
	case len(n.convention.For) > 0 && !slices.Contains(n.convention.For, strings.ToLower(ext)):
		return "", unclear("it is for "+strings.Join(n.convention.For, ", "), "the convention \"%s\" is not for .%s", n.convention.Name, ext)
	}
	return "." + ext, nil
}

// maxFrom is the largest file that new ones begin as a copy of.
const maxFrom = 1 << 30

// make makes the files, or none of them.
func (n *nameRun) make(names []string) error {
	var files []newFile
	for i, name := range names {
		content := tree.Content(tree.Bytes(nil))
		if len(n.from) > 0 {
			from := n.from[min(i, len(n.from)-1)]
			data, err := place.ReadFile(from, maxFrom)
			if err != nil {
				return unreadable(from, err)
			}
			content = tree.Bytes(data)
		}
		files = append(files, newFile{string(n.dir.Join(name)), content})
	}
	title := names[0]
	if len(names) > 1 {
		title = string(term.Count(len(names), "file")) + " from " + names[0]
	}
	if n.fresh == "" {
		return n.makeFiles("name", title, files, false)
	}
	changes, err := standing.Folder(n.place.layout, n.fresh, n.values, template.DefaultLimit)
	if err != nil {
		return n.tellErrors(n.t.Name, n.t.Text, err, statusFound)
	}
	set := &change.Set{Places: []address.Address{n.place.layout.Dir}, Changes: changes}
	p := &proposal.Proposal{Set: set}
	for _, f := range files {
		at := change.At{Path: path.Join(n.fresh, filepath.Base(f.path))}
		set.MakeFile(at, f.content, "")
		p.Counts(at, "")
	}
	return n.propose(consent{named: true}, &task{Proposal: p, undertaking: undertaking{doing: "writing", head: journal.Head{What: "name", Title: title, Project: title}}})
}

func (n *nameRun) complete(c *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	p := n.projectIn(".")
	if len(args) == 0 {
		names, directive := n.completeTemplate(c, args, typed)
		if p != nil {
			names = append(p.Template.ConventionNames(), names...)
		}
		return names, directive
	}
	var conv *template.Convention
	if p != nil { // no template is named in one
		conv = p.Template.Convention(args[0])
	}
	if t := n.offered(args[0]); conv == nil && t != nil {
		if len(args) == 1 && !strings.Contains(typed, "=") {
			return t.ConventionNames(), cobra.ShellCompDirectiveNoFileComp
		}
		if len(args) > 1 {
			conv = t.Convention(args[1])
		}
	}
	if conv == nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return completeFields(conv.Fields, typed)
}
