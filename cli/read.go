package cli

import (
	"bytes"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"
	"golang.org/x/text/unicode/norm"

	"vestibula/cli/term"
	"vestibula/core/archive"
	"vestibula/core/catalog"
	"vestibula/core/inspect"
	"vestibula/core/label"
	"vestibula/core/naming"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A readRun is one call of read.
type readRun struct {
	*app
	in, only, links, outFile      string
	where                         []string
	asCSV, asJSON, newest, strict bool

	t      *template.Template // nil: those of the projects
	reader *catalog.Reader
	found  catalog.Found
	shown  map[*catalog.Entry]string // the paths of entries, as they are shown
	full   map[*catalog.Entry]string // and on the disk; empty in archives
	fields []string                  // of projects
	many   bool                      // more than one project, or a folder around them
	unread []string
}

// shownMisfits is how many names that do not fit are drawn.
const shownMisfits = 20

func (a *app) readCommand() *cobra.Command {
	r := &readRun{app: a, shown: map[*catalog.Entry]string{}, full: map[*catalog.Entry]string{}}
	c := &cobra.Command{
		Use:   "read [TEMPLATE] [PATH …]",
		Short: "Read file names back into their values, and find files by them.",
		Long: `Read file names back into their values by naming conventions, and find files by them.

PATH is a file name, a project, a folder in which projects lie, any other folder, or an
archive. Projects are read by their own templates, and their values stand beside those of
the names; elsewhere TEMPLATE says the conventions.

With --where only what has a value is kept: client~marrow is a part of a text, without
regard to case and accents; when=2027 is all that lies in that year; of dates, numbers
and terms, ranges too: received=2027-01..2027-03, n=100.. . --newest shows one of those
that differ only in a number or a day. Only what conventions speak of is counted.`,
		Example: `  vestibula read commission "2027-03-09 oriel-pask recto 001.tif"
  vestibula read Clients --where client~marrow --where day=2027
  vestibula read Clients --convention invoice --out invoices.xlsx
  vestibula read Clients --convention invoice --links "All invoices"`,
		ValidArgsFunction: a.completeTemplate,
		RunE:              func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	c.Flags().StringVar(&r.in, "in", "", "read all that lies in the folder or archive `DIR`")
	c.Flags().StringVar(&r.only, "convention", "", "read by this `NAME` alone")
	c.Flags().StringArrayVar(&r.where, "where", nil, "keep only what has `field=value`, or field~part")
	c.Flags().BoolVar(&r.newest, "newest", false, "of files that differ only in a number or a day, the newest")
	c.Flags().StringVar(&r.links, "links", "", "make or refresh the folder `DIR` of links to what was found")
	c.Flags().StringVar(&r.outFile, "out", "", "write what was found into the `FILE`: .csv, .xlsx, .json, .md or .txt")
	c.Flags().BoolVar(&r.strict, "strict", false, "exit with 1 where names do not fit")
	c.Flags().BoolVar(&r.asCSV, "csv", false, "print CSV, for a spreadsheet")
	c.Flags().BoolVar(&r.asJSON, "json", false, "print JSON")
	_ = c.MarkFlagDirname("in")
	_ = c.MarkFlagDirname("links")
	return c
}

func (r *readRun) run(args []string) error {
	paths, err := r.choose(args)
	if err != nil {
		return err
	}
	if r.in != "" {
		if !isThere(r.in) {
			return unclear("", "there is no folder %q", r.in)
		}
		paths = append(paths, r.in)
	}
	if len(paths) == 0 {
		return unclear("name files, projects or folders: vestibula read Clients", "which names?")
	}
	r.reader = &catalog.Reader{Only: r.only}
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
		r.found.Entries = catalog.Newest(r.found.Entries)
	}
	if r.links != "" {
		if err := r.makeLinks(); err != nil {
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
	for _, path := range r.unread {
		r.side.Text(term.Bad.Render("vestibula:") + " " + term.Visible(path) + " cannot be read; the rest was")
	}
	if err == nil && (r.strict && len(r.found.Misfits) > 0 || len(r.unread) > 0) {
		err = found
	}
	return err
}

// choose takes the template from the arguments, if one is named.
func (r *readRun) choose(args []string) (paths []string, err error) {
	if len(args) == 0 {
		return nil, nil
	}
	first := args[0]
	info, statErr := os.Stat(first)
	folder := statErr == nil && info.IsDir()
	src, err := r.find(first)
	switch {
	case err == nil && folder && src.path != "" && filepath.Clean(src.path) != filepath.Clean(first):
		return nil, unclear("write "+first+"/ or "+first+template.Ending, "%q is a folder, and a template", first)
	case err == nil && !folder && src.text != "" && (src.built || strings.HasSuffix(src.path, template.Ending) || first == "-"):
		if r.t, err = r.load(first); err != nil {
			return nil, err
		}
		if len(r.t.Names) == 0 {
			return nil, unclear("write them under names: in its header", "%s has no naming conventions", r.t.Name)
		}
		return args[1:], nil
	case statErr != nil:
		if s, standErr := r.standingIn(".", nil); standErr == nil && s.layout != nil {
			return args, nil // names of the project here
		}
		if err == nil {
			err = unclear("vestibula templates lists those that can be used by name", "there is no template %q", first)
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
	if r.only != "" && !slices.Contains(conventions, r.only) {
		help := "they are " + strings.Join(sorted(conventions), ", ")
		if near := outline.Nearest(r.only, conventions); near != "" {
			help = "did you mean " + near + "?"
		}
		return unclear(help, "there is no naming convention %q here", r.only)
	}
	for i := range r.reader.Filters {
		field := r.reader.Filters[i].Field
		if !slices.ContainsFunc(templates, func(t *template.Template) bool { return catalog.Has(t, field) }) {
			return unclear("they have "+strings.Join(sorted(fields), ", "), "no naming convention here has a field %q", field)
		}
	}
	return nil
}

// path reads what was named: a name, a folder or an archive.
func (r *readRun) path(p string) error {
	info, err := os.Stat(p)
	folder := err == nil && info.IsDir()
	packed := err == nil && !folder && archive.FormatOf(p) != archive.None
	if !folder && !packed && (err != nil || p != r.in) {
		return r.name(p)
	}
	done, end := r.progress("reading", -1)
	defer end()
	if folder {
		found, err := inspect.Projects(p)
		if err != nil {
			return unclear("", "%s cannot be read: %s", p, place.Reason(err))
		}
		if len(found.Projects) > 0 && (r.t == nil || found.Inside && r.t.Name == r.nameIn(found)) {
			return r.projects(p, found)
		}
	}
	if packed {
		if found, err := r.packed(p); found || err != nil {
			return err
		}
	}
	if r.t == nil {
		return unclear("name the template: vestibula read TEMPLATE "+shellWord(p), "there is no project at or below %q, and no template says how names are read", p)
	}
	root, unread, err := inspect.Tree(p, done)
	if err != nil {
		return unclear("", "%s cannot be read: %s", p, place.Reason(err))
	}
	for _, u := range unread {
		r.unread = append(r.unread, filepath.Join(p, filepath.FromSlash(u.Path)))
	}
	base := filepath.Base(p)
	if real, err := place.Real(p); err == nil {
		base = filepath.Base(real)
	}
	found, err := r.reader.Read(&catalog.Source{Template: r.t, Name: base, Root: root})
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
	c, err := archive.Open(p)
	if err != nil {
		return false, unclear("", "%s cannot be read: %s", p, place.Reason(err))
	}
	defer c.Close()
	open := r.opener()
	for _, f := range c.Files {
		if path.Base(f.Path) != label.FileName || f.Size > label.MaxBytes {
			continue
		}
		var data bytes.Buffer
		l := (*label.Label)(nil)
		if err := tree.Copy(&data, f.Content); err == nil {
			l, err = label.Parse(data.Bytes())
			if err != nil {
				l = nil
			}
		}
		at := path.Dir(f.Path)
		if l == nil || r.t != nil && l.Template != r.t.Name {
			continue
		}
		pr, err := open(filepath.FromSlash(at), l)
		if err != nil {
			r.unread = append(r.unread, filepath.Join(p, filepath.FromSlash(at)))
			continue
		}
		root := c.Root
		for name := range strings.SplitSeq(at, "/") {
			if at != "." && root != nil {
				root = root.Child(name)
			}
		}
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
		all, err := r.reader.Read(&catalog.Source{Project: pr, Template: pr.Template, Name: path.Base(at), Root: root})
		if err != nil {
			return false, unclear("", "%v", err)
		}
		r.add(all, path.Join(filepath.ToSlash(p), at), "")
		found, r.many = true, true
	}
	return found, nil
}

// nameIn is the template's name of the one project that was found.
func (r *readRun) nameIn(found *inspect.Found) string {
	if len(found.Projects) == 0 {
		return ""
	}
	var l readLabel
	if l.read(found.Projects[0].Dir); l.err != nil {
		return ""
	}
	return l.label.Template
}

// name reads one name.
func (r *readRun) name(p string) error {
	t, of := r.t, (*project.Project)(nil)
	dir, err := filepath.Abs(filepath.Dir(p))
	if err != nil {
		return unclear("", "%v", err)
	}
	if t == nil {
		s, err := r.standingIn(filepath.Dir(p), nil)
		if err != nil {
			return err
		}
		if s.layout == nil {
			return unclear("name the template: vestibula read TEMPLATE "+shellWord(p), "%q lies in no project, and no template says how it is read", p)
		}
		t, of = s.layout.Template, s.layout.Project
		if err := r.fits([]*template.Template{t}); err != nil {
			return err
		}
	}
	found := &catalog.Found{}
	if err := r.reader.Name(found, &catalog.Source{Template: t, Project: nil}, filepath.Base(dir), filepath.ToSlash(p)); err != nil {
		return unclear("", "%v", err)
	}
	for _, e := range found.Entries {
		e.Project = of
	}
	r.add(found, "", "")
	return nil
}

// projects reads the projects at or below a folder; of what lies in one project, what lies
// below that folder.
func (r *readRun) projects(p string, found *inspect.Found) error {
	real, err := place.Real(p)
	if err != nil {
		return unclear("", "%s cannot be read: %s", p, place.Reason(err))
	}
	r.many = r.many || !found.Inside || len(found.Projects) > 1
	open := r.opener()
	sources := make([]*catalog.Source, len(found.Projects))
	labels := make([]readLabel, len(found.Projects))
	several(len(labels), func() func(i int) {
		return func(i int) { labels[i].read(found.Projects[i].Dir) }
	})
	var templates []*template.Template
	for i := range found.Projects {
		own := &found.Projects[i]
		pr, err := (*project.Project)(nil), labels[i].err
		if err == nil {
			pr, err = open(own.Dir, labels[i].label)
		}
		if err != nil {
			r.unread = append(r.unread, fromHere(own.Dir))
			continue
		}
		root := own.Root
		if err := inspect.Prune(root); err != nil {
			return err
		}
		sources[i] = &catalog.Source{Project: pr, Template: pr.Template, Name: filepath.Base(own.Dir), Root: root}
		if !slices.Contains(templates, pr.Template) {
			templates = append(templates, pr.Template)
		}
		for _, u := range own.Unread {
			r.unread = append(r.unread, filepath.Join(fromHere(own.Dir), filepath.FromSlash(u.Path)))
		}
	}
	if err := r.fits(templates); err != nil {
		return err
	}
	for _, t := range templates {
		for _, name := range t.FieldNames() {
			if !slices.Contains(r.fields, name) {
				r.fields = append(r.fields, name)
			}
		}
	}
	lists, errs := make([]*catalog.Found, len(sources)), make([]error, len(sources))
	several(len(sources), func() func(i int) {
		own := &catalog.Reader{Only: r.reader.Only, Filters: r.reader.Filters}
		return func(i int) {
			if sources[i] != nil {
				lists[i], errs[i] = own.Read(sources[i])
			}
		}
	})
	for i, s := range sources {
		if s == nil {
			continue
		}
		all := lists[i]
		if errs[i] != nil {
			return unclear("", "%v", errs[i])
		}
		at := filepath.ToSlash(fromHere(s.Project.Dir))
		if below := strings.TrimPrefix(filepath.ToSlash(strings.TrimPrefix(real, s.Project.Dir)), "/"); found.Inside && real != s.Project.Dir {
			all = keptBelow(all, below)
		}
		if at == "." {
			at = ""
		}
		r.add(all, at, s.Project.Dir)
	}
	return nil
}

// keptBelow keeps what lies below a folder of a project.
func keptBelow(found *catalog.Found, below string) *catalog.Found {
	out := func(e *catalog.Entry) bool { return !strings.HasPrefix(e.Path, below+"/") }
	found.Entries, found.Misfits = slices.DeleteFunc(found.Entries, out), slices.DeleteFunc(found.Misfits, out)
	found.Others, found.Dropped = 0, 0
	return found
}

// add adds what was read in a folder, which is shown as it was named.
func (r *readRun) add(found *catalog.Found, named, dir string) {
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

// conventions are the names of the conventions that read something, in the order of the
// templates.
func (r *readRun) conventions() (names []string) {
	for _, e := range r.found.Entries {
		if !slices.Contains(names, e.Convention.Name) {
			names = append(names, e.Convention.Name)
		}
	}
	if r.t != nil {
		slices.SortStableFunc(names, func(a, b string) int {
			return slices.Index(r.t.ConventionNames(), a) - slices.Index(r.t.ConventionNames(), b)
		})
	}
	return names
}

// columns are the fields of the entries that a convention of some name reads; with those
// of projects that are asked for.
func (r *readRun) columns(convention string) (fields []string) {
	for _, e := range r.found.Entries {
		if e.Convention.Name != convention {
			continue
		}
		for _, f := range e.Convention.Fields {
			if !slices.Contains(fields, f.Name) {
				fields = append(fields, f.Name)
			}
		}
	}
	for i := range r.reader.Filters {
		if f := r.reader.Filters[i].Field; slices.Contains(r.fields, f) && !slices.Contains(fields, f) {
			fields = append(fields, f)
		}
	}
	return fields
}

// draw draws the summary, a table for each convention, and what does not fit.
func (r *readRun) draw() {
	counted := len(r.found.Entries) + len(r.found.Misfits) + r.found.Dropped
	summary := term.Count(len(r.found.Entries), "name") + " of " + term.Number(counted) + " read"
	if len(r.where) > 0 || r.newest {
		summary = term.Count(len(r.found.Entries), "name") + " of " + term.Number(counted) + " found"
	}
	if r.newest {
		summary += ", the newest of each"
	}
	var tied, unfit []*catalog.Entry
	for _, e := range r.found.Misfits {
		if e.Misfit.Tied {
			tied = append(tied, e)
		} else {
			unfit = append(unfit, e)
		}
	}
	if n := len(unfit); n > 0 {
		summary += "; " + term.Bad.Render(term.Number(n)) + " " + map[bool]term.Shown{true: "does", false: "do"}[n == 1] + " not fit"
	}
	if n := len(tied); n > 0 {
		summary += "; " + term.Bad.Render(term.Number(n)) + " " + map[bool]term.Shown{true: "fits", false: "fit"}[n == 1] + " two conventions alike"
	}
	r.screen.Line(summary)
	for _, convention := range r.conventions() {
		columns := r.columns(convention)
		var heading []term.Shown
		if r.many {
			heading = append(heading, "project")
		}
		for _, f := range columns {
			heading = append(heading, term.Visible(f))
		}
		var rows [][]term.Shown
		for _, e := range r.found.Entries {
			if e.Convention.Name != convention {
				continue
			}
			var row []term.Shown
			if r.many {
				row = append(row, term.Visible(r.projectOf(e)))
			}
			for _, f := range columns {
				row = append(row, term.Visible(e.Value(f).String()))
			}
			rows = append(rows, append(row, term.Dim.Render(term.Visible(r.below(e)))))
		}
		r.screen.Line()
		r.screen.Line(term.Title.Render(term.Visible(convention)))
		r.screen.Table(append(heading, "file"), rows)
	}
	if len(r.where) == 0 { // who looks for something is not helped by what has no values
		r.apart("do not fit", unfit)
		r.apart("fit two alike: --convention says by which to read", tied)
	}
	if r.found.Others > 0 {
		r.screen.Line()
		speaks := term.Shown(" that no convention speaks of, not counted.")
		r.screen.Text(term.Dim.Render(term.Count(r.found.Others, "file") + speaks))
	}
}

func (r *readRun) projectOf(e *catalog.Entry) string {
	if e.Project == nil {
		return ""
	}
	return filepath.Base(e.Project.Dir)
}

// below is the path of an entry as it is drawn: from its project, where that is said
// beside it, or from the folder that is read.
func (r *readRun) below(e *catalog.Entry) string {
	name := r.shown[e]
	if r.many && e.Project != nil {
		name = e.Path
	} else if r.in != "" {
		if below, inside := strings.CutPrefix(name, path.Clean(filepath.ToSlash(r.in))+"/"); inside {
			name = below
		}
	}
	if e.Folder {
		name += "/"
	}
	return name
}

// apart draws names that were not read, and why.
func (r *readRun) apart(title term.Shown, misfits []*catalog.Entry) {
	for i, m := range misfits {
		if i == 0 {
			r.screen.Line()
			r.screen.Line(term.Bad.Render(title))
		}
		if i == shownMisfits {
			r.screen.Line(term.Dim.Render("and " + term.Number(len(misfits)-i) + " more; --json lists all"))
			break
		}
		shown := r.shown[m]
		if !r.many {
			shown = r.below(m)
		}
		name := norm.NFC.String(path.Base(m.Path))
		r.screen.Line(term.Visible(shown))
		before := term.Columns(term.Visible(shown)) - term.Columns(term.Visible(name)) + term.Columns(term.Visible(name[:min(m.Misfit.At, len(name))]))
		r.screen.Line(term.Spaces(before), term.Bad.Render("^"), " ", term.Accent.Render(term.Visible(m.Misfit.Message)))
	}
}

// at is where reading stopped, in characters of the name from 1.
func at(m *catalog.Entry) int {
	name := norm.NFC.String(path.Base(m.Path))
	return utf8.RuneCountInString(name[:min(m.Misfit.At, len(name))]) + 1
}

// A misfitJSON is a name that fits no convention, or several alike.
type misfitJSON struct {
	Path    string `json:"path"`
	At      int    `json:"at"` // in characters of the file's name, from 1
	Message string `json:"message"`
}

func (r *readRun) result() any {
	type fit struct {
		Path       string            `json:"path"`
		Convention string            `json:"convention"`
		Values     map[string]string `json:"values"`
		Project    string            `json:"project,omitempty"`
		Of         map[string]string `json:"project-values,omitempty"`
	}
	out := struct {
		Read    int          `json:"read"`
		Fit     []fit        `json:"fit"`
		Misfits []misfitJSON `json:"misfits"`
		Others  int          `json:"others"` // that no convention speaks of
		Unread  []string     `json:"unread"` // folders and files that could not be opened
	}{len(r.found.Entries) + len(r.found.Misfits) + r.found.Dropped, []fit{}, []misfitJSON{}, r.found.Others, append([]string{}, r.unread...)}
	for _, e := range r.found.Entries {
		f := fit{Path: r.shown[e], Convention: e.Convention.Name, Values: map[string]string{}, Project: r.projectOf(e)}
		for i, field := range e.Convention.Fields {
			f.Values[field.Name] = e.Values[i].String()
		}
		if e.Project != nil {
			f.Of = map[string]string{}
			for _, name := range e.Project.Template.FieldNames() {
				f.Of[name] = e.Project.Values[name].String()
			}
		}
		out.Fit = append(out.Fit, f)
	}
	for _, m := range r.found.Misfits {
		out.Misfits = append(out.Misfits, misfitJSON{r.shown[m], at(m), m.Misfit.Message})
	}
	return out
}

func (r *readRun) json() error { return r.printJSON(r.result()) }

// rows is one table with the fields of all conventions and projects, the headings first.
func (r *readRun) rows() [][]string {
	columns := []string{"path", "convention"}
	if len(r.fields) > 0 {
		columns = append(columns, "project")
	}
	fixed := len(columns)
	for _, convention := range r.conventions() {
		for _, f := range r.columns(convention) {
			if !slices.Contains(columns[fixed:], f) {
				columns = append(columns, f)
			}
		}
	}
	if r.t != nil {
		for _, c := range r.t.Names {
			for _, f := range c.Fields {
				if (r.only == "" || r.only == c.Name) && !slices.Contains(columns[fixed:], f.Name) {
					columns = append(columns, f.Name)
				}
			}
		}
	}
	for _, f := range r.fields {
		if !slices.Contains(columns[fixed:], f) {
			columns = append(columns, f)
		}
	}
	columns = append(columns, "problem")
	rows := [][]string{columns}
	for _, e := range r.found.Entries {
		row := make([]string, len(columns))
		row[0], row[1] = r.shown[e], e.Convention.Name
		if fixed > 2 {
			row[2] = r.projectOf(e)
		}
		for i := fixed; i < len(columns)-1; i++ {
			row[i] = e.Value(columns[i]).String()
		}
		rows = append(rows, row)
	}
	if len(r.where) == 0 {
		for _, m := range r.found.Misfits {
			row := make([]string, len(columns))
			row[0], row[len(row)-1] = r.shown[m], m.Misfit.Message
			rows = append(rows, row)
		}
	}
	return rows
}
