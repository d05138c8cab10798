package cli

import (
	"io"
	"iter"
	"maps"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/digest"
	"vestibula/core/inspect"
	"vestibula/core/match"
	"vestibula/core/naming"
	"vestibula/core/pattern"
	"vestibula/core/place"
	"vestibula/core/pool"
	"vestibula/core/project"
	"vestibula/core/rename"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A renameRun is one call of rename.
type renameRun struct {
	*app
	consent
	from         []string
	table, sheet string

	t         *template.Template
	older     *naming.Older
	raw       map[string]template.Raw
	files     []*rename.File
	rows      map[string]template.Values     // of the table, by the names of files
	locations map[string]*location           // by folders
	layouts   map[string]*project.Layout     // by the own folders of projects
	trees     map[address.Address]*tree.Node // all that lies in the folders that were named
	outcomes  []*rename.Outcome
	paths     []string
	kept      int // files that have their names from the template
	elsewhere int // files in folders that do not hold the convention
}

func (a *app) renameCommand() *cobra.Command {
	r := &renameRun{app: a, locations: map[string]*location{}, layouts: map[string]*project.Layout{}, trees: map[address.Address]*tree.Node{}}
	c := &cobra.Command{
		Use:   "rename [TEMPLATE] CONVENTION PATH… [field=value …]",
		Short: "Bring the names of files to a naming convention.",
		Long: `Bring the names of files to a naming convention. What an older name says is read as a person
would: days in any order and with any signs, months by their names, numbers, choices, values
that are known; what is left over is the free text. Where it is not clear in which order a
day is written, other names in the folder may decide it; else it is asked. With --from it is
read by your patterns alone, and by those under “was” in the convention before all. What it
does not say comes from the project, from the folders on the way, from field=value, from
a table with a row for each file, or from the file: day=made is when a photograph was
taken or a document begun, day=changed when it was changed last.

PATH is a file, or a folder with all that lies in it. Files stay in their folders. What
cannot be read is listed, with the place where reading stopped, and left; so is what
would get the name of another file.`,
		Example: `  vestibula rename commission scan "02 Condition survey" --from "<client> <received:d.m.yyyy> <side> <n:0>"
  vestibula rename commission invoice "05 Invoices" --from "invoice <n:0>" day=made what=invoice --preview`,
		ValidArgsFunction: func(c *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
			if len(args) > 1 {
				return nil, cobra.ShellCompDirectiveDefault // files
			}
			names, _ := a.conventionsHere(c, args, typed)
			if len(args) == 0 {
				templates, _ := a.completeTemplate(c, args, typed)
				names = append(names, templates...)
			}
			return names, cobra.ShellCompDirectiveDefault
		},
		RunE: func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	r.addAnswers(c, "rename them")
	r.addPlan(c)
	r.addMoves(c)
	c.Flags().StringArrayVar(&r.from, "from", nil, "a `PATTERN` by which older names are read; more than once")
	c.Flags().StringVar(&r.table, "table", "", "a table, CSV or XLSX, with a row for each file: a `FILE`")
	c.Flags().StringVar(&r.sheet, "sheet", "", "the `NAME` of its sheet; the first one if you name none")
	return c
}

func (r *renameRun) run(args []string) error {
	var words []string
	words, r.raw = wordsAndValues(args)
	conv, err := r.choose(words)
	if err != nil {
		return err
	}
	if err := r.shapes(conv); err != nil {
		return err
	}
	if err := r.read(); err != nil {
		return err
	}
	if err := r.choosy(conv); err != nil {
		return err
	}
	if err := r.readTable(conv); err != nil {
		return err
	}
	if err := r.plan(conv); err != nil {
		return err
	}
	return r.carryOut(conv)
}

// choose finds the convention, and the paths: the template may be left out in a project.
func (r *renameRun) choose(words []string) (*template.Convention, error) {
	if len(words) < 2 {
		return nil, unclear(examplesOf("rename"), "which convention, and which files?")
	}
	at := words[1]
	if info, err := place.Stat(at); err != nil || !info.IsDir() {
		at = filepath.Dir(at)
	}
	if s, err := r.locate(at, nil); err == nil && s.layout != nil && place.Exists(words[1]) {
		if conv := s.layout.Template.Convention(words[0]); conv != nil {
			r.t, r.paths = s.layout.Template, words[1:]
			return conv, nil
		}
	}
	var err error
	if r.t, err = r.load(words[0]); err != nil {
		if conv := r.shared(words[1], words[0]); conv != nil {
			r.paths = words[1:]
			return conv, nil
		}
		return nil, err
	}
	conv, err := convention(r.t, words[1])
	if err != nil {
		return nil, err
	}
	if r.paths = words[2:]; len(r.paths) == 0 {
		return nil, unclear("name files, or a folder", "which files?")
	}
	return conv, nil
}

// shared is a convention of the projects below a folder, where all that have one of that name have the
// same; nil where there is none.
func (r *renameRun) shared(at, name string) (conv *template.Convention) {
	if !place.Exists(at) {
		return nil
	}
	found, err := project.Below(at, nil, nil)
	if err != nil {
		return nil
	}
	for i := range found.Projects {
		own := &found.Projects[i]
		if own.Err != nil {
			continue
		}
		p, err := r.store().Open(own.Dir, own.Label)
		if err != nil {
			continue
		}
		switch c := p.Template.Convention(name); {
		case c == nil:
		case conv == nil:
			conv, r.t = c, p.Template
		case p.Template.Text != r.t.Text:
			return nil // which is meant cannot be known
		}
	}
	return conv
}

// shapes reads the patterns of older names.
func (r *renameRun) shapes(conv *template.Convention) error {
	shapes, others := conv.Was, []*pattern.Name(nil)
	for i, text := range r.from {
		if i == 0 {
			shapes = nil
		}
		name, dropped, errs := conv.Shape(text)
		if len(errs) > 0 {
			return unclear(errs[0].Help, "--from \"%s\": %s", text, errs[0].Message)
		}
		for _, field := range dropped {
			r.note(term.Sprintf("<%s> is no field of %s: it is read, and not kept", field, conv.Name))
		}
		shapes = append(shapes, name)
		for _, other := range naming.Forgiving(text) {
			if name, _, errs := conv.Shape(other); len(errs) == 0 {
				others = append(others, name)
			}
		}
	}
	if r.older = naming.NewOlder(conv, shapes); len(r.from) > 0 {
		r.older.Forgive(others)
	}
	return nil
}

// lookAt looks at the files, where somebody asks for the day of a file.
func (r *renameRun) lookAt() {
	if len(r.raw) == 0 {
		return
	}
	pool.Each(len(r.files), 512, func(numbers iter.Seq[int]) {
		var l looker
		defer l.close()
		for i := range numbers {
			r.files[i].Entry, _ = l.look(filepath.FromSlash(r.files[i].At()))
		}
	})
	r.files = slices.DeleteFunc(r.files, func(f *rename.File) bool { return f.Entry.Kind != tree.File })
}

// read finds the files.
func (r *renameRun) read() error {
	known := map[string]bool{}
	add := func(dir, name string) {
		f := &rename.File{Dir: dir, Name: name}
		if len(r.paths) > 1 {
			if known[f.At()] {
				return
			}
			known[f.At()] = true
		}
		r.files = append(r.files, f)
	}
	defer r.lookAt()
	done, end := r.progress("reading", -1)
	defer end()
	for _, p := range r.paths {
		info, err := place.Stat(p)
		if err != nil {
			return unclear("", "there is no \"%s\"", p)
		}
		full, err := place.Real(p)
		if err != nil {
			return unreadable(p, err)
		}
		if info.Mode().IsRegular() {
			add(full.Parent().Slashed(), full.Name())
			continue
		}
		everything, unread, err := inspect.Everything(full, done)
		root := everything
		if err == nil {
			r.trees[full], root = everything, everything.Copy()
			err = inspect.Prune(root)
		}
		if err != nil {
			return unreadable(p, err)
		}
		r.tellPassed(p, unread, "is renamed")
		var walk func(dir string, n *tree.Node)
		walk = func(dir string, n *tree.Node) {
			for _, c := range n.Children {
				switch {
				case c.Kind == tree.Folder:
					walk(strings.TrimSuffix(dir, "/")+"/"+c.Name, c)
				case c.Kind == tree.File && c.Marks&tree.Link == 0:
					add(dir, c.Name)
				}
			}
		}
		r.files = slices.Grow(r.files, everything.Count())
		walk(full.Slashed(), root)
	}
	return nil
}

// choosy leaves out of what lies in projects what has its name from the template, and what lies in
// folders that do not hold the convention, where others of the project do; a folder in a project
// that was named itself is meant.
func (r *renameRun) choosy(conv *template.Convention) error {
	named := map[string]bool{} // files, and folders of projects, that were named
	for _, p := range r.paths {
		if full, err := place.Real(p); err == nil {
			named[full.Slashed()] = true
		}
	}
	holds := func(p *match.Place) bool { return heldIn(p, conv) }
	type known struct {
		*tree.Finder
		holds bool // in some place
	}
	projects := map[*project.Layout]*known{}
	var kept []*rename.File
	held := false
	for _, f := range r.files {
		if _, err := r.place(f.Dir); err != nil {
			return err
		}
		s := r.locations[f.Dir]
		if s.layout == nil {
			kept = append(kept, f)
			continue
		}
		p := projects[s.layout]
		if p == nil {
			p = &known{tree.NewFinder(s.layout.Root), slices.ContainsFunc(s.layout.Places, holds)}
			projects[s.layout] = p
		}
		if n := p.At(path.Join(s.below, f.Name)); n != nil && n.From > 0 {
			r.kept++
			continue
		}
		if f.Elsewhere = p.holds && !named[f.At()] && !holds(s.here); !f.Elsewhere {
			held = true
		}
		kept = append(kept, f)
	}
	r.files = slices.DeleteFunc(kept, func(f *rename.File) bool {
		if !f.Elsewhere {
			return false
		}
		for dir := f.Dir; !held && dir != r.locations[f.Dir].layout.Dir.Slashed(); dir = path.Dir(dir) {
			if named[dir] {
				return false
			}
		}
		if _, ending := tree.Split(f.Name); len(conv.For) == 0 || slices.Contains(conv.For, ending) {
			r.elsewhere++
		}
		return true
	})
	return nil
}

// heldIn reports whether a place, or one that it lies in, holds a convention.
func heldIn(p *match.Place, conv *template.Convention) bool {
	for ; p != nil; p = p.Up {
		if p.Line != nil && slices.Contains(p.Line.Holds, conv) {
			return true
		}
	}
	return false
}

// plan finds out what becomes of each file.
func (r *renameRun) plan(conv *template.Convention) error {
	given, ofFile := template.Values{}, map[string]string{}
	for name, raw := range r.raw {
		f := (*template.Field)(nil)
		for _, field := range conv.Fields {
			if field.Name == name {
				f = field
			}
		}
		if f == nil {
			var names []string
			for _, field := range conv.Fields {
				names = append(names, field.Name)
			}
			return unclear("it has "+strings.Join(names, ", "), "%s has no field \"%s\"", conv.Name, name)
		}
		if word := strings.TrimSpace(raw.Text); f.Type.Kind.Calendar() && (word == "made" || word == "changed") {
			ofFile[name] = word
			continue
		}
		v, err := f.Parse(raw, r.now)
		if err != nil {
			return unclear("", "%s %v", name, err)
		}
		given[name] = v
	}
	if _, err := r.rulesOf(r.t); err != nil {
		return err
	}
	job := &rename.Job{Older: r.older.Fork,
		Place: r.place,
		Own: func(f *rename.File) (own, spare template.Values, note string) {
			if spare = given; len(ofFile) > 0 {
				spare, note = r.days(conv, f, ofFile)
				maps.Copy(spare, given)
			}
			if len(r.rows) > 0 {
				own = r.rows[rowKey(f.Name)]
			}
			return own, spare, note
		},
		Counting: r.counting(conv),
		Judge: func() func(name string) string {
			set, _ := rules.Configure(r.t)
			return func(name string) string { return fault(set, name) }
		},
		Names: r.namesIn(),
		Same:  sameFiles,
		Free:  len(r.from) == 0,
		Known: r.knownValues(),
	}
	var err error
	r.outcomes, err = job.Plan(r.files)
	return err
}

// fault is what rules find wrong with a name; "" for nothing.
func fault(set *rules.Set, name string) string {
	for _, f := range set.CheckName(name) {
		if f.Severity == rules.Error {
			return f.Message.String()
		}
	}
	return ""
}

// namesIn returns what says the names of all that lies in a folder; none where it cannot
// be read. Several goroutines may ask.
func (r *renameRun) namesIn() func(dir string) []string {
	read := map[string]*tree.Node{}
	var walk func(at string, n *tree.Node)
	walk = func(at string, n *tree.Node) {
		read[at] = n
		for _, c := range n.Children {
			if c.Kind == tree.Folder {
				walk(at+"/"+c.Name, c)
			}
		}
	}
	for top, root := range r.trees {
		walk(strings.TrimSuffix(top.Slashed(), "/"), root)
	}
	return func(dir string) (names []string) {
		if n := read[dir]; n != nil {
			for _, c := range n.Children {
				names = append(names, c.Name)
			}
			return names
		}
		entries, _ := place.ReadDir(filepath.FromSlash(dir))
		for _, e := range entries {
			names = append(names, e.Name())
		}
		return names
	}
}

// sameFiles reports whether two files hold the same. What cannot be read does not.
func sameFiles(a, b string) bool {
	one, err := place.Stat(a)
	if err != nil {
		return false
	}
	two, err := place.Stat(b)
	if err != nil || one.Size() != two.Size() {
		return false
	}
	parts := digest.Same(2, one.Size(), func(i int) (io.ReadCloser, error) { return place.OpenFile([]string{a, b}[i]) }, func(int, error) {})
	return len(parts) == 1 && len(parts[0]) == 2
}
