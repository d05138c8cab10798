package cli

import (
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/core/address"
	"vestibula/core/inspect"
	"vestibula/core/label"
	"vestibula/core/naming"
	"vestibula/core/outline"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/read"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A readRun is one call of read.
type readRun struct {
	*app
	in, links, outFile            string
	only, where                   []string
	asCSV, asJSON, newest, strict bool

	t      *template.Template // nil: those of the projects
	reader *read.Reader
	found  read.Found
	shown  map[*read.Entry]string // the paths of entries, as they are shown
	full   map[*read.Entry]string // and on the disk; empty in archives
	fields []string               // of projects
	many   bool                   // more than one project, or a folder around them
	unread []string
	far    int // so many of what was found lies where nothing is connected now
}

func (a *app) readCommand() *cobra.Command {
	r := &readRun{app: a, shown: map[*read.Entry]string{}, full: map[*read.Entry]string{}}
	c := &cobra.Command{
		Use:   "read [TEMPLATE] [PATH …] [WORD …]",
		Short: "Read file names back into their values, and find files by them.",
		Long: `Read file names back into their values by naming conventions, and find files by them.

PATH is a file name, a project, a folder in which projects lie, any other folder, or an
archive. Projects are read by their own templates, and their values stand beside those of
the names; elsewhere TEMPLATE says the conventions.

With --where only what has a value is kept: client~marrow is a part of a text, without
regard to case and accents; when=2027 is all that lies in that year; of dates, numbers
and terms, ranges too: received=2027-01..2027-03, n=100.. . --newest shows one of those
that differ only in a number or a day. Only what conventions speak of is counted.

Words behind a folder are found there anywhere: in the names of files and folders, in the
values of projects and in what was archived, with naming conventions or without.`,
		Example: `  vestibula read commission "2027-03-09 oriel-pask recto 001.tif"
  vestibula read Clients --where client~marrow --where day=2027
  vestibula read Clients --convention invoice --out invoices.xlsx
  vestibula read Clients pask leather
  vestibula read Clients --convention invoice --links "All invoices"`,
		ValidArgsFunction: a.completeTemplate,
		RunE:              func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	c.Flags().StringVar(&r.in, "in", "", "read all that lies in the folder or archive `DIR`")
	c.Flags().StringSliceVar(&r.only, "convention", nil, "read by this `NAME` alone, or by several, with commas between")
	c.Flags().StringArrayVar(&r.where, "where", nil, "keep only what has `field=value`, or field~part")
	_ = c.RegisterFlagCompletionFunc("where", r.completeWhere)
	c.Flags().BoolVar(&r.newest, "newest", false, "of files that differ only in a number or a day, the newest")
	c.Flags().StringVar(&r.links, "links", "", "make or refresh the folder `DIR` of links to what was found")
	c.Flags().StringVar(&r.outFile, "out", "", "write what was found into the `FILE`: "+outEndings)
	c.Flags().BoolVar(&r.strict, "strict", false, "exit with 1 where names do not fit")
	c.Flags().BoolVar(&r.asCSV, "csv", false, "print CSV, for a spreadsheet")
	c.Flags().BoolVar(&r.asJSON, "json", false, "print JSON")
	_ = c.MarkFlagDirname("in")
	_ = c.MarkFlagDirname("links")
	_ = c.RegisterFlagCompletionFunc("convention", a.conventionsHere)
	return c
}

func (r *readRun) run(args []string) error {
	paths, err := r.choose(args)
	if err != nil {
		return err
	}
	if r.in != "" {
		if !place.Exists(r.in) {
			return unclear("", "there is no folder \"%s\"", r.in)
		}
		paths = append(paths, r.in)
	}
	if at, words := r.words(paths); len(words) > 0 && r.in == "" && len(r.only)+len(r.where) == 0 && !r.newest && r.outFile == "" && !r.asCSV {
		return r.findWords(at, words)
	}
	if len(paths) == 0 {
		return unclear("name files, projects or folders\n"+examplesOf("read"), "which names?")
	}
	r.reader = &read.Reader{Only: r.only}
	for _, text := range r.where {
		filter, err := naming.NewFilter(text, r.now)
		if err != nil {
			return unclear("", "%v", err)
		}
		r.reader.Filters = append(r.reader.Filters, filter)
	}
	if r.t != nil {
		if err := r.fits([]*template.Template{r.t}); err != nil {
			return err
		}
	}
	for _, p := range paths {
		if err := r.path(p); err != nil {
			return err
		}
	}
	if r.newest {
		r.found.Entries = read.Newest(r.found.Entries)
	}
	return r.tell()
}

// tell links, writes, prints or draws what was found.
func (r *readRun) tell() (err error) {
	if r.links != "" {
		if err := r.makeLinks(r.links, r.linkedEntries(), r.asJSON || r.asCSV); err != nil {
			return err
		}
	}
	switch {
	case r.outFile != "":
		err = r.write()
	case r.asJSON:
		err = r.json()
	case r.asCSV:
		err = r.csv()
	case r.links != "":
	default:
		r.draw()
	}
	r.tellUnread()
	if err == nil && (r.strict && len(r.found.Misfits) > 0 || len(r.unread) > 0) {
		err = found
	}
	return err
}

// tellUnread tells what could not be read.
func (r *readRun) tellUnread() {
	for _, path := range r.unread {
		r.unreadable(path, "was looked at")
	}
}

// choose takes the template from the arguments, if one is named.
func (r *readRun) choose(args []string) (paths []string, err error) {
	if len(args) == 0 {
		return nil, nil
	}
	first := args[0]
	info, statErr := place.Stat(first)
	folder := statErr == nil && info.IsDir()
	src, err := r.find(first)
	switch {
	case err == nil && folder && src.path != "" && filepath.Clean(src.path) != filepath.Clean(first):
		return nil, unclear("write "+first+"/ or "+first+template.Ending, "\"%s\" is a folder, and a template", first)
	case err == nil && !folder && src.text != "" && (src.built || strings.HasSuffix(src.path, template.Ending) || first == "-"):
		if r.t, err = r.load(first); err != nil {
			return nil, err
		}
		if len(r.t.Names) == 0 {
			return nil, unclear("write them under names: in its header", "%s has no naming conventions", r.t.Name)
		}
		return args[1:], nil
	case statErr != nil:
		if s, standErr := r.locate(".", nil); standErr == nil && s.layout != nil {
			return args, nil // names of the project here
		}
		if err == nil {
			err = unclear(advise("those that can be used by name", "templates").String(), "there is no template \"%s\"", first)
		}
		return nil, err
	}
	return args, nil
}

// fits refuses what is asked for and no template has.
func (r *readRun) fits(templates []*template.Template) error {
	var conventions, fields []string
	for _, t := range templates {
		conventions = append(conventions, t.ConventionNames()...)
		fields = append(fields, t.FieldNames()...)
		for _, c := range t.Names {
			for _, f := range c.Fields {
				fields = append(fields, f.Name)
			}
		}
	}
	sorted := func(list []string) []string { return slices.Compact(slices.Sorted(slices.Values(list))) }
	for _, only := range r.only {
		if slices.Contains(conventions, only) {
			continue
		}
		help := outline.Meant(only, conventions, "they are "+strings.Join(sorted(conventions), ", "))
		return unclear(help, "there is no naming convention \"%s\" here", only)
	}
	for i := range r.reader.Filters {
		field := r.reader.Filters[i].Field
		if !slices.ContainsFunc(templates, func(t *template.Template) bool { return read.Has(t, field) }) {
			return unclear("they have "+strings.Join(sorted(fields), ", "), "no naming convention here has a field \"%s\"", field)
		}
	}
	return nil
}

// path reads what was named: a name, a folder or an archive.
func (r *readRun) path(p string) error {
	info, err := place.Stat(p)
	folder := err == nil && info.IsDir()
	packed := err == nil && !folder && packed.FormatOf(p) != packed.None
	if !folder && !packed && (err != nil || p != r.in) {
		return r.name(p)
	}
	done, end := r.progress("reading", -1)
	defer end()
	if folder {
		found, err := project.Below(p, nil, done)
		if err != nil {
			return unreadable(p, err)
		}
		archived := found.Archived()
		if len(found.Projects)+len(archived) > 0 && (r.t == nil || found.Inside && r.t.Name == r.nameIn(found)) {
			return r.projects(p, found, archived)
		}
	}
	if packed {
		if found, err := r.packed(p); found || err != nil {
			return err
		}
	}
	if r.t == nil {
		return unclear("name the template in front\n"+advise("those that can be used by name", "templates").String(), "there is no project at or below \"%s\", and no template says how names are read", p)
	}
	root, unread, err := inspect.Tree(p, done)
	if err != nil {
		return unreadable(p, err)
	}
	for _, u := range unread {
		r.unread = append(r.unread, filepath.Join(p, filepath.FromSlash(u.Path)))
	}
	base := filepath.Base(p)
	if real, err := place.Real(p); err == nil {
		base = real.Name()
	}
	found, err := r.reader.Read(&read.Source{Template: r.t, Name: base, Root: root})
	if err != nil {
		return unclear("", "%v", err)
	}
	at := p
	if !folder {
		at = ""
	}
	r.add(found, filepath.ToSlash(p), at)
	return nil
}

// packed reads the projects in an archive by their labels, if there are any.
func (r *readRun) packed(p string) (found bool, err error) {
	c, err := packed.Open(p)
	if err != nil {
		return false, unreadable(p, err)
	}
	defer c.Close()
	for _, f := range c.Files {
		if path.Base(f.Path) != label.FileName || f.Size > label.MaxBytes {
			continue
		}
		at := path.Dir(f.Path)
		l, _, err := project.LabelOf(f.Content)
		if err != nil {
			r.badLabel(address.Address(filepath.Join(p, filepath.FromSlash(at))), err)
			continue
		}
		if r.t != nil && l.Template != r.t.Name {
			continue
		}
		pr, err := r.store().Open(address.Address(filepath.FromSlash(at)), l)
		if err != nil {
			r.unread = append(r.unread, filepath.Join(p, filepath.FromSlash(at)))
			continue
		}
		root := c.Root.At(at)
		if root == nil {
			continue
		}
		if err := inspect.Prune(root); err != nil {
			return false, err
		}
		if err := r.fits([]*template.Template{pr.Template}); err != nil {
			return false, err
		}
		for _, name := range pr.Template.FieldNames() {
			if !slices.Contains(r.fields, name) {
				r.fields = append(r.fields, name)
			}
		}
		all, err := r.reader.Read(&read.Source{Project: pr, Template: pr.Template, Name: path.Base(at), Root: root})
		if err != nil {
			return false, unclear("", "%v", err)
		}
		r.add(all, path.Join(filepath.ToSlash(p), at), "")
		found, r.many = true, true
	}
	return found, nil
}

// nameIn is the template's name of the one project that was found.
func (r *readRun) nameIn(found *project.Found) string {
	if l := found.Projects[0].Label; l != nil {
		return l.Template
	}
	return "" // what is wrong with its label is told when it is read
}

// name reads one name.
func (r *readRun) name(p string) error {
	t, of := r.t, (*project.Project)(nil)
	dir, err := filepath.Abs(filepath.Dir(p))
	if err != nil {
		return unclear("", "%v", err)
	}
	if t == nil {
		s, err := r.locate(filepath.Dir(p), nil)
		if err != nil {
			return err
		}
		if s.layout == nil {
			return unclear("name the template in front\n"+advise("those that can be used by name", "templates").String(), "\"%s\" lies in no project, and no template says how it is read", p)
		}
		t, of = s.layout.Template, s.layout.Project
		if err := r.fits([]*template.Template{t}); err != nil {
			return err
		}
	}
	found := &read.Found{}
	if err := r.reader.Name(found, &read.Source{Template: t, Project: nil}, filepath.Base(dir), filepath.ToSlash(p)); err != nil {
		return unclear("", "%v", err)
	}
	for _, e := range found.Entries {
		e.Project = of
	}
	r.add(found, "", "")
	return nil
}

// inside is a tree in which another one lies at a path.
func inside(n *tree.Node, at string) *tree.Node {
	names := strings.Split(at, "/")
	for _, name := range slices.Backward(names) {
		n = &tree.Node{Name: n.Name, Kind: n.Kind, Children: n.Children}
		n.Name = name
		n = &tree.Node{Children: []*tree.Node{n}}
	}
	return n
}

// keptBelow keeps what lies below a folder of a project.
func keptBelow(found *read.Found, below string) *read.Found {
	out := func(e *read.Entry) bool { return !strings.HasPrefix(e.Path, below+"/") }
	found.Entries, found.Misfits = slices.DeleteFunc(found.Entries, out), slices.DeleteFunc(found.Misfits, out)
	found.Others, found.Dropped = 0, 0
	return found
}

// add adds what was read in a folder, which is shown as it was named.
func (r *readRun) add(found *read.Found, named, dir string) {
	for _, e := range slices.Concat(found.Entries, found.Misfits) {
		r.shown[e] = path.Join(named, e.Path)
		if named == "" && dir == "" {
			r.shown[e] = e.Path
		}
		if dir != "" {
			r.full[e] = filepath.Join(dir, filepath.FromSlash(e.Path))
		}
	}
	r.found.Entries, r.found.Misfits = append(r.found.Entries, found.Entries...), append(r.found.Misfits, found.Misfits...)
	r.found.Others += found.Others
	r.found.Dropped += found.Dropped
}
