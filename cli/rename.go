package cli

import (
	"fmt"
	"iter"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/text/unicode/norm"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/inspect"
	"vestibula/core/made"
	"vestibula/core/match"
	"vestibula/core/naming"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/pool"
	"vestibula/core/project"
	"vestibula/core/rename"
	"vestibula/core/rules"
	"vestibula/core/table"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
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
	trees     map[address.Address]*tree.Node // all that lies in the folders that were named
	outcomes  []*rename.Outcome
	paths     []string
	kept      int // files that have their names from the template
	elsewhere int // files in folders that do not hold the convention
}

func (a *app) renameCommand() *cobra.Command {
	r := &renameRun{app: a, locations: map[string]*location{}, trees: map[address.Address]*tree.Node{}}
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
	r.addYes(c, "rename them without asking")
	r.addPlan(c)
	r.addMoves(c)
	c.Flags().BoolVar(&r.preview, "preview", false, "show what would be done, and change nothing")
	c.Flags().BoolVar(&r.asJSON, "json", false, "print JSON")
	c.Flags().StringArrayVar(&r.from, "from", nil, "a `PATTERN` by which older names are read; more than once")
	c.Flags().StringVar(&r.table, "table", "", "a table, CSV or XLSX, with a row for each file: a `FILE`")
	c.Flags().StringVar(&r.sheet, "sheet", "", "the `NAME` of its sheet; the first one if you name none")
	return c
}

func (r *renameRun) run(args []string) error {
	var words, values []string
	for _, arg := range args {
		if name, _, isValue := strings.Cut(arg, "="); isValue && outline.IsWord(name) && !place.Exists(arg) {
			values = append(values, arg)
			continue
		}
		words = append(words, arg)
	}
	var err error
	if r.raw, err = rawArgs(values); err != nil {
		return err
	}
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
	if info, err := os.Stat(at); err != nil || !info.IsDir() {
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

// shapes reads the patterns of older names.
func (r *renameRun) shapes(conv *template.Convention) error {
	shapes := conv.Was
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
	}
	r.older = naming.NewOlder(conv, shapes)
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
		info, err := os.Stat(p)
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
		for _, u := range unread {
			r.side.Text(term.Bad.Render("vestibula:") + " " + term.Visible(filepath.Join(p, filepath.FromSlash(u.Path))) + " cannot be read; the rest is renamed")
		}
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
	holds := func(p *match.Place) bool {
		for ; p != nil; p = p.Up {
			if p.Line != nil && slices.Contains(p.Line.Holds, conv) {
				return true
			}
		}
		return false
	}
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
		if n := s.layout.Root.At(path.Join(s.below, f.Name)); n != nil && n.From > 0 {
			r.kept++
			continue
		}
		if f.Elsewhere = !named[f.At()] && !holds(s.here) && slices.ContainsFunc(s.layout.Places, holds); !f.Elsewhere {
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
		if _, ending := naming.Split(f.Name); len(conv.For) == 0 || slices.Contains(conv.For, ending) {
			r.elsewhere++
		}
		return true
	})
	return nil
}

// fileColumns are the names that a column with the names of files may have.
var fileColumns = []string{"file", "name", "path", "old", "filename", "file name"}

// readTable reads the values that a table has for each file.
func (r *renameRun) readTable(conv *template.Convention) error {
	if r.table == "" {
		return nil
	}
	data, err := place.ReadFile(r.table, table.MaxBytes)
	var t *table.Table
	if err == nil {
		t, err = table.Read(r.table, data, sheetOf(r.sheet, slices.Concat(fileColumns, fieldNames(conv))))
	}
	if err != nil {
		return noTable(r.table, err)
	}
	file := slices.IndexFunc(t.Headings, func(h string) bool { return slices.Contains(fileColumns, strings.ToLower(strings.TrimSpace(h))) })
	if file < 0 {
		return unclear("the headings are "+strings.Join(t.Headings, ", "), "%s has no column “file” that says which file a row is for", r.table)
	}
	columns := map[string]int{}
	for _, f := range conv.Fields {
		if i := slices.IndexFunc(t.Headings, func(h string) bool { return table.Folded(h) == table.Folded(f.Name) }); i >= 0 {
			columns[f.Name] = i
		}
	}
	r.rows = map[string]template.Values{}
	var bad []string
	for _, row := range t.Rows {
		if file >= len(row.Cells) || strings.TrimSpace(row.Cells[file].Text) == "" {
			continue
		}
		values := template.Values{}
		for _, f := range conv.Fields {
			i, joined := columns[f.Name]
			if !joined || i == file || i >= len(row.Cells) || strings.TrimSpace(row.Cells[i].Text) == "" {
				continue
			}
			v, err := f.Parse(template.Raw{Text: row.Cells[i].Text}, r.now)
			if err != nil {
				bad = append(bad, fmt.Sprintf("row %d: %s %v", row.Number, f.Name, err))
				continue
			}
			values[f.Name] = v
		}
		key := rowKey(row.Cells[file].Text)
		if _, twice := r.rows[key]; twice {
			bad = append(bad, fmt.Sprintf("row %d: \"%s\" has a row already", row.Number, row.Cells[file].Text))
		}
		r.rows[key] = values
	}
	if len(bad) > 0 {
		return unclear("", "%s cannot be used:\n%s", r.table, severalLines(strings.Join(bad[:min(len(bad), manyRows)], "\n")))
	}
	return nil
}

func fieldNames(conv *template.Convention) (names []string) {
	for _, f := range conv.Fields {
		names = append(names, f.Name)
	}
	return names
}

// rowKey is what a row is found by: the name of the file alone, however its accents are
// written.
func rowKey(file string) string {
	return norm.NFC.String(path.Base(strings.ReplaceAll(strings.TrimSpace(file), `\`, "/")))
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
	if _, errs := rules.Configure(r.t); len(errs) > 0 {
		return r.tellErrors(r.t.Name, r.t.Text, errs, statusUnclear)
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
		Free:  len(r.from) == 0,
		Known: r.knownValues(),
	}
	var err error
	r.outcomes, err = job.Plan(r.files)
	return err
}

// knownValues are the texts that are known of the projects in which files lie, and of those beside them.
func (r *renameRun) knownValues() map[string][]value.Value {
	var dirs []address.Address
	for _, s := range r.locations {
		if s.layout != nil {
			dirs = append(dirs, s.layout.Dir)
		}
	}
	return beside(dirs)
}

// beside are the texts that projects, and those beside them, have as values: by the names of their
// fields. What cannot be read says nothing.
func beside(dirs []address.Address) map[string][]value.Value {
	all, looked, known := map[string][]value.Value{}, map[address.Address]bool{}, map[string]bool{}
	for _, dir := range dirs {
		up := dir.Parent()
		if looked[up] {
			continue
		}
		looked[up] = true
		entries, _ := os.ReadDir(string(up))
		for _, e := range entries {
			l, _, err := project.ReadLabel(up.Join(e.Name()))
			if err != nil || !e.IsDir() {
				continue
			}
			for name, raw := range l.Raw() {
				if key := name + "\x00" + raw.Text; raw.Text != "" && !known[key] {
					known[key] = true
					all[name] = append(all[name], value.Of(raw.Text))
				}
			}
		}
	}
	return all
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
		entries, _ := os.ReadDir(filepath.FromSlash(dir))
		for _, e := range entries {
			names = append(names, e.Name())
		}
		return names
	}
}

// days are the values that come from a file itself.
func (r *renameRun) days(conv *template.Convention, f *rename.File, ofFile map[string]string) (values template.Values, note string) {
	values = template.Values{}
	for name, word := range ofFile {
		changed := time.Unix(0, f.Entry.Time).Local()
		day, from := changed, made.Changed
		if word == "made" {
			if file, err := place.OpenFile(filepath.FromSlash(f.At())); err == nil {
				_, ending := naming.Split(f.Name)
				day, from = made.Of(file, ending, f.Entry.Size, changed, r.now)
				file.Close()
			}
		}
		for _, field := range conv.Fields {
			if field.Name == name {
				values[name], note = field.Type.Specimen(name, value.OfDate(day)), name+" "+from
			}
		}
	}
	return values, note
}

// place is what is known in a folder.
func (r *renameRun) place(dir string) (template.Values, error) {
	s, known := r.locations[dir]
	if !known {
		// Folders of one project are known by its layout.
		for _, other := range r.locations {
			if other.layout != nil && strings.HasPrefix(dir+"/", other.layout.Dir.Slashed()+"/") {
				below := strings.TrimPrefix(strings.TrimPrefix(dir, other.layout.Dir.Slashed()), "/")
				s = &location{dir: address.Address(filepath.FromSlash(dir)), layout: other.layout, below: below, here: other.layout.At(below)}
			}
		}
		var err error
		if s == nil {
			if s, err = r.locate(filepath.FromSlash(dir), r.t); err != nil {
				return nil, err
			}
		}
		r.locations[dir] = s
	}
	if s.layout == nil {
		return nil, nil
	}
	return s.here.Values, nil
}

// counting returns what numbers count on from.
func (r *renameRun) counting(conv *template.Convention) func(f *rename.File) (string, []string) {
	lists := map[string][]string{}
	return func(f *rename.File) (key string, names []string) {
		dir := f.Dir
		key = dir
		n := &nameRun{app: r.app, t: r.t, convention: conv, dir: address.Address(filepath.FromSlash(dir)), place: r.locations[dir]}
		scope := conv.NextField().Next
		if s := r.locations[dir]; scope > template.InFolder && s != nil && s.layout != nil {
			if key = string(s.layout.Dir); scope == template.Everywhere {
				key = string(s.layout.Base(s.layout.Wanted.Expansion.Root))
			}
		}
		if _, known := lists[key]; !known {
			list, err := n.taken(scope)
			if err != nil {
				list = nil
			}
			lists[key] = list
		}
		return key, lists[key]
	}
}
