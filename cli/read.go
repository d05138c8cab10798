package cli

import (
	"bytes"
	"encoding/csv"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"
	"golang.org/x/text/unicode/norm"

	"vestibula/cli/term"
	"vestibula/core/inspect"
	"vestibula/core/naming"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A readRun is one call of read.
type readRun struct {
	*app
	in             string
	only           string
	where          []string
	asCSV, asJSON  bool
	conventions    []*template.Convention
	filters        map[*template.Convention][]func([]value.Value) bool
	fits           []fitting
	misfits        []misfit
	unread         []string
	workDir        string
	total, dropped int
}

// A fitting is a name that fits a convention, with its values.
type fitting struct {
	path       string
	convention *template.Convention
	values     []string
}

// A misfit is a name that fits no convention, or several alike.
type misfit struct {
	Path    string `json:"path"`
	At      int    `json:"at"` // in characters of the file's name, from 1
	Message string `json:"message"`
	name    string
	tied    bool // it fits more than one alike
}

// shownMisfits is how many names that do not fit are drawn.
const shownMisfits = 20

func (a *app) readCommand() *cobra.Command {
	r := &readRun{app: a}
	c := &cobra.Command{
		Use:   "read TEMPLATE [PATH …]",
		Short: "Read file names back into their values by the naming conventions.",
		Long: `Read file names back into their values by the naming conventions of a template.

Names that do not fit are listed apart, with the place where reading stopped.
With --where only names with a value are kept; of dates and numbers, ranges too:
received=2027-01..2027-03, n=100.. . The exit status is 1 where names do not fit.`,
		Example: `  vestibula read commission "2027-03-09 oriel-pask recto 001.tif"
  vestibula read commission --in "05 Invoices"
  vestibula read commission --in . --where "client=Oriel Pask" --where day=2027-Q1 --csv`,
		Args:              templateArgs,
		ValidArgsFunction: a.completeTemplate,
		RunE:              func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	c.Flags().StringVar(&r.in, "in", "", "read all files of the folder `DIR`, and of those in it, or of an archive")
	c.Flags().StringVar(&r.only, "convention", "", "read by this `NAME` alone")
	c.Flags().StringArrayVar(&r.where, "where", nil, "keep only names with `field=value`")
	c.Flags().BoolVar(&r.asCSV, "csv", false, "print CSV, for a spreadsheet")
	c.Flags().BoolVar(&r.asJSON, "json", false, "print JSON")
	_ = c.MarkFlagDirname("in")
	return c
}

func (r *readRun) run(args []string) error {
	t, err := r.load(args[0])
	if err != nil {
		return err
	}
	if err := r.choose(t); err != nil {
		return err
	}
	if len(args) == 1 && r.in == "" {
		return unclear("name files, or a folder with --in", "which names?")
	}
	if r.workDir, err = os.Getwd(); err != nil {
		return err
	}
	reader := naming.NewFolders(t)
	if r.only != "" {
		reader = naming.NewFolders(&template.Template{Names: r.conventions})
	}
	for _, path := range args[1:] {
		r.name(reader, path)
	}
	if r.in != "" {
		if err := r.folder(reader); err != nil {
			return err
		}
	}
	switch {
	case r.asJSON:
		err = r.json()
	case r.asCSV:
		err = r.csv()
	default:
		r.draw()
	}
	for _, path := range r.unread {
		r.side.Text(term.Bad.Render("vestibula:") + " " + term.Visible(path) + " cannot be read; the rest was")
	}
	if err == nil && (len(r.misfits) > 0 || len(r.unread) > 0) {
		err = found
	}
	return err
}

// choose settles the conventions and the filters.
func (r *readRun) choose(t *template.Template) error {
	r.conventions = t.Names
	if len(t.Names) == 0 {
		return unclear("write them under names: in its header", "%s has no naming conventions", t.Name)
	}
	if r.only != "" {
		c := t.Convention(r.only)
		if c == nil {
			help := "it has " + strings.Join(t.ConventionNames(), ", ")
			if near := outline.Nearest(r.only, t.ConventionNames()); near != "" {
				help = "did you mean " + near + "?"
			}
			return unclear(help, "%s has no naming convention %q", t.Name, r.only)
		}
		r.conventions = []*template.Convention{c}
	}
	r.filters = map[*template.Convention][]func([]value.Value) bool{}
	var fields []string
	for _, c := range r.conventions {
		for _, f := range c.Fields {
			fields = append(fields, f.Name)
		}
	}
	for _, text := range r.where {
		filter, err := naming.NewFilter(text, r.now)
		if err != nil {
			return unclear("", "%v", err)
		}
		if !slices.Contains(fields, filter.Field) {
			help := "they have " + strings.Join(slices.Compact(slices.Sorted(slices.Values(fields))), ", ")
			return unclear(help, "no naming convention here has a field %q", filter.Field)
		}
		for _, c := range r.conventions {
			keep, err := filter.Prepare(c)
			if err != nil {
				return unclear("", "%v", err)
			}
			if keep == nil {
				keep = func([]value.Value) bool { return false }
			}
			r.filters[c] = append(r.filters[c], keep)
		}
	}
	return nil
}

// folder reads the names of all files in a folder or archive, but of those that are
// hidden or left there by programs.
func (r *readRun) folder(reader *naming.Folders) error {
	if _, err := os.Stat(r.in); err != nil {
		return unclear("", "there is no folder %q", r.in)
	}
	done, end := r.progress("reading", -1)
	root, unread, err := inspect.Tree(r.in, done)
	end()
	if err != nil {
		return unclear("", "%s cannot be read: %s", r.in, place.Reason(err))
	}
	for _, u := range unread {
		r.unread = append(r.unread, filepath.Join(r.in, filepath.FromSlash(u.Path)))
	}
	for at, n := range root.All() {
		if n.Kind == tree.File && n.Marks&tree.Link == 0 {
			r.name(reader, filepath.Join(r.in, filepath.FromSlash(at)))
		}
	}
	return nil
}

// around is the name of the folder that a path lies in.
func (r *readRun) around(path string) string {
	dir := filepath.Dir(path)
	if dir == "." {
		dir = r.workDir
	}
	return filepath.Base(dir)
}

func (r *readRun) name(reader *naming.Folders, path string) {
	r.total++
	name := filepath.Base(path)
	c, values, bad := reader.Read(r.around(path), name)
	if bad != nil {
		at := utf8.RuneCountInString(norm.NFC.String(name)[:min(bad.At, len(norm.NFC.String(name)))]) + 1
		r.misfits = append(r.misfits, misfit{path, at, bad.Message, norm.NFC.String(name), bad.Tied})
		return
	}
	for _, keep := range r.filters[c] {
		if !keep(values) {
			r.dropped++
			return
		}
	}
	texts := make([]string, len(values))
	for i, v := range values {
		texts[i] = v.String()
	}
	r.fits = append(r.fits, fitting{path, c, texts})
}

// draw draws the summary, a table for each convention, and what does not fit.
func (r *readRun) draw() {
	summary := term.Count(len(r.fits), "name") + " of " + term.Number(r.total) + " read"
	if len(r.where) > 0 {
		summary = term.Count(len(r.fits), "name") + " of " + term.Number(r.total) + " found"
	}
	var tied, unfit []misfit
	for _, m := range r.misfits {
		if m.tied {
			tied = append(tied, m)
		} else {
			unfit = append(unfit, m)
		}
	}
	if n := len(unfit); n > 0 {
		summary += "; " + term.Bad.Render(term.Number(n)) + " " + map[bool]term.Shown{true: "does", false: "do"}[n == 1] + " not fit"
	}
	if n := len(tied); n > 0 {
		summary += "; " + term.Bad.Render(term.Number(n)) + " " + map[bool]term.Shown{true: "fits", false: "fit"}[n == 1] + " two conventions alike"
	}
	r.screen.Line(summary)
	for _, c := range r.conventions {
		var rows [][]term.Shown
		for _, f := range r.fits {
			if f.convention == c {
				row := make([]term.Shown, 0, len(f.values)+1)
				for _, v := range f.values {
					row = append(row, term.Visible(v))
				}
				rows = append(rows, append(row, term.Dim.Render(term.Visible(r.shown(f.path)))))
			}
		}
		if len(rows) == 0 {
			continue
		}
		var heading []term.Shown
		for _, f := range c.Fields {
			heading = append(heading, term.Visible(f.Name))
		}
		r.screen.Line()
		r.screen.Line(term.Title.Render(term.Visible(c.Name)))
		r.screen.Table(append(heading, "file"), rows)
	}
	if len(r.where) > 0 {
		return // who looks for something is not helped by what has no values
	}
	r.apart("do not fit", unfit)
	r.apart("fit two alike: --convention says by which to read", tied)
}

// apart draws names that were not read, and why.
func (r *readRun) apart(title term.Shown, misfits []misfit) {
	for i, m := range misfits {
		if i == 0 {
			r.screen.Line()
			r.screen.Line(term.Bad.Render(title))
		}
		if i == shownMisfits {
			r.screen.Line(term.Dim.Render("and " + term.Number(len(misfits)-i) + " more; --json lists all"))
			break
		}
		r.screen.Line(term.Visible(r.shown(m.Path)))
		before := term.Columns(term.Visible(r.shown(m.Path))) - term.Columns(term.Visible(m.name)) + term.Columns(term.Visible(string([]rune(m.name)[:m.At-1])))
		r.screen.Line(term.Spaces(before), term.Bad.Render("^"), " ", term.Accent.Render(term.Visible(m.Message)))
	}
}

// shown is a path as it is drawn: below the folder that is read.
func (r *readRun) shown(path string) string {
	if rel, err := filepath.Rel(r.in, path); err == nil && r.in != "" && !strings.HasPrefix(rel, "..") {
		return filepath.ToSlash(rel)
	}
	return path
}

func (r *readRun) json() error {
	type fit struct {
		Path       string            `json:"path"`
		Convention string            `json:"convention"`
		Values     map[string]string `json:"values"`
	}
	out := struct {
		Read    int      `json:"read"`
		Fit     []fit    `json:"fit"`
		Misfits []misfit `json:"misfits"`
		Unread  []string `json:"unread"` // folders and files that could not be opened
	}{r.total, []fit{}, append([]misfit{}, r.misfits...), append([]string{}, r.unread...)}
	for _, f := range r.fits {
		values := map[string]string{}
		for i, field := range f.convention.Fields {
			values[field.Name] = f.values[i]
		}
		out.Fit = append(out.Fit, fit{f.path, f.convention.Name, values})
	}
	return r.printJSON(out)
}

// csv prints one table with the fields of all conventions.
func (r *readRun) csv() error {
	columns := []string{"path", "convention"}
	for _, c := range r.conventions {
		for _, f := range c.Fields {
			if !slices.Contains(columns[2:], f.Name) {
				columns = append(columns, f.Name)
			}
		}
	}
	columns = append(columns, "problem")
	var data bytes.Buffer
	w := csv.NewWriter(&data)
	_ = w.Write(columns)
	for _, f := range r.fits {
		row := make([]string, len(columns))
		row[0], row[1] = harmless(f.path), f.convention.Name
		for i, field := range f.convention.Fields {
			row[2+slices.Index(columns[2:], field.Name)] = harmless(f.values[i])
		}
		_ = w.Write(row)
	}
	if len(r.where) == 0 {
		for _, m := range r.misfits {
			row := make([]string, len(columns))
			row[0], row[len(row)-1] = harmless(m.Path), harmless(m.Message)
			_ = w.Write(row)
		}
	}
	w.Flush()
	out := data.Bytes()
	if r.screen.Terminal {
		out = []byte(term.Lines(data.String()))
	}
	if _, err := r.out.Write(out); err != nil {
		return unwritten(err)
	}
	return nil
}

// harmless keeps a spreadsheet from taking a cell for a formula: it begins with
// an apostrophe then, which spreadsheets do not show (OWASP, "CSV Injection").
func harmless(cell string) string {
	if cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
		return "'" + cell
	}
	return cell
}
