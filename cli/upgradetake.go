package cli

import (
	"cmp"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/table"
	"vestibula/core/takeover"
	"vestibula/core/template"
	"vestibula/core/upgrade"
	"vestibula/core/value"
)

// A taking is what upgrade takes over that no template made.
type taking struct {
	file   string                                      // a table that says which folders, and their values
	each   map[address.Address]map[string]template.Raw // what that says
	list   []*takeover.Folder                          // those that were found
	search *takeover.Search
	names  bool                       // they get the names that the template has for them
	name   map[address.Address]string // what own folders would be called, where they are called otherwise
}

// folderHeading is the column of a table of folders that are taken over.
const folderHeading = "folder"

// takeFrom finds the folders at or below a path that look like projects of the template that was
// named. Taken reports whether there are any.
func (r *upgradeRun) takeFrom(at string, found *project.Found) (taken bool, err error) {
	if r.by == "" || found.Inside {
		return false, nil
	}
	t, err := r.load(r.by)
	if err != nil {
		return false, err
	}
	given, errs := t.ParseValues(r.raw, r.now)
	if len(errs) > 0 {
		return false, badValues(errs)
	}
	home, _ := os.UserHomeDir()
	s := &takeover.Search{Template: t, Dir: found.Dir, Root: found.Root, Home: address.Address(home), Given: given, Limit: r.limit, Now: r.now}
	if r.take.each != nil {
		s.Only = func(dir address.Address) bool { return r.take.each[dir] != nil }
		s.Each = func(dir address.Address) template.Values {
			values, _ := t.ParseValues(r.take.each[dir], r.now) // what cannot be is told where the table is read
			return values
		}
	}
	list, err := s.Find()
	if err != nil {
		return false, r.tellErrors(t.Name, t.Text, err, statusFound)
	}
	r.take.list, r.take.search = append(r.take.list, list...), s
	return len(list) > 0, nil
}

// takeTable reads which folders are taken over, and with which values.
func (r *upgradeRun) takeTable() error {
	t, err := readTable(r.take.file, table.Options{})
	if err != nil {
		return err
	}
	at := slices.Index(t.Headings, folderHeading)
	if at < 0 || r.by == "" {
		return unclear("", "%s goes with --template, and one of its columns is “%s”", r.take.file, folderHeading)
	}
	tpl, err := r.load(r.by)
	if err != nil {
		return err
	}
	r.take.each = map[address.Address]map[string]template.Raw{}
	var wrong []string
	for i := range t.Rows {
		row := &t.Rows[i]
		text := strings.TrimSpace(row.Cells[at].Text)
		if text == "" {
			continue
		}
		dir, err := place.Real(filepath.FromSlash(text))
		if err != nil {
			wrong = append(wrong, fmt.Sprintf("row %d: there is no folder “%s”", row.Number, text))
			continue
		}
		raw := map[string]template.Raw{}
		for k, heading := range t.Headings {
			if cell := strings.TrimSpace(row.Cells[k].Text); k != at && cell != "" && tpl.Field(heading) != nil {
				raw[heading] = template.Raw{Text: cell}
			}
		}
		if _, errs := tpl.ParseValues(raw, r.now); len(errs) > 0 {
			wrong = append(wrong, fmt.Sprintf("row %d: %v", row.Number, errs[0]))
		}
		r.take.each[dir] = raw
	}
	if len(wrong) > 0 {
		return refused("", "Nothing was changed: %s", severalLines(strings.Join(r.few(wrong), "\n")))
	}
	return nil
}

// writeTake writes the folders that would be taken over as a table, with an empty cell for each value
// that nothing says.
func (r *upgradeRun) writeTake() error {
	t, err := r.load(r.by)
	if err != nil {
		return err
	}
	var fields []*template.Field
	for _, f := range t.Fields {
		if !f.Made() && (f.Needed() || slices.ContainsFunc(r.take.list, func(d *takeover.Folder) bool { return d.Values[f.Name].Given() })) {
			fields = append(fields, f)
		}
	}
	rows := [][]string{{folderHeading}}
	for _, f := range fields {
		rows[0] = append(rows[0], f.Name)
	}
	rows[0] = append(rows[0], "why")
	for _, d := range r.take.list {
		row := []string{"./" + filepath.ToSlash(fromHere(d.Dir))}
		for _, f := range fields {
			row = append(row, d.Values[f.Name].String())
		}
		rows = append(rows, append(row, cmp.Or(d.Left, d.Why)))
	}
	var lists []table.List
	for i, f := range fields {
		var codes []string
		for _, o := range f.Type.Of {
			codes = append(codes, o.Code)
		}
		if f.Type.Kind == value.YesNo {
			codes = []string{"yes", "no"}
		}
		if f.Type.Kind == value.Choice || f.Type.Kind == value.YesNo {
			lists = append(lists, table.List{Column: i + 1, Of: codes})
		}
	}
	data, err := table.Write(r.plan, rows, lists...)
	if err != nil {
		return unclear("name it folders.csv or folders.xlsx", "%v", err)
	}
	if err := r.writeFile("table", r.plan, data, term.Count(len(rows)-1, "folder")+". Nothing else was changed"); err != nil {
		return err
	}
	r.screen.Text(advise("Fill in what is empty, take out what is not meant, and take the rest over", "upgrade", "--template", r.by, "--table", typed(r.plan)).line())
	return &stop{status: statusDone}
}

// takeAll makes projects of what was found, asking once for all for what no name says, and tells what
// is left.
func (r *upgradeRun) takeAll() error {
	if len(r.take.list) == 0 {
		return nil
	}
	if r.plan != "" {
		return r.writeTake()
	}
	t, err := r.load(r.by)
	if err != nil {
		return err
	}
	for all := takeover.Missing(r.take.list); len(all) > 0 && r.interactive() && !r.yes && !r.asJSON; all = nil {
		r.side.Line(term.Title.Render("For all folders that do not say it"))
		values := template.Values{}
		if err := r.askFields(all, values); err != nil {
			return err
		}
		for _, d := range r.take.list {
			for _, f := range d.Lacks {
				d.Values[f.Name] = values[f.Name]
			}
			d.Lacks = nil
		}
		r.take.search.Settle(r.take.list)
	}
	left := map[string][]string{} // the folders, by why
	for _, d := range r.take.list {
		why := d.Left
		if why == "" && len(d.Lacks) > 0 {
			names := make([]string, len(d.Lacks))
			for i, f := range d.Lacks {
				names[i] = f.Name
			}
			why = "nothing says its " + strings.Join(names, " and its ")
			if d.Why != "" {
				why += ": " + d.Why
			}
		}
		if why != "" {
			left[why] = append(left[why], fromHere(d.Dir))
			continue
		}
		if err := r.takeOver(t, d); err != nil {
			return err
		}
	}
	r.tellNotTaken(left)
	if len(r.jobs) == 0 {
		return refused(r.sameCall("to write what is missing into a table", "--plan", "folders.csv").String(), "Nothing was changed.")
	}
	r.planAll(r.jobs)
	for _, u := range r.jobs {
		if u.err != nil {
			return r.wrong(u)
		}
	}
	return nil
}

// tellNotTaken tells which folders are left, and why.
func (r *upgradeRun) tellNotTaken(left map[string][]string) {
	for _, why := range slices.Sorted(maps.Keys(left)) {
		r.note(term.Sprintf("%s: %s; left as it is.", strings.Join(r.few(left[why]), ", "), why))
	}
}

// takeOver makes a project of a folder.
func (r *upgradeRun) takeOver(t *template.Template, d *takeover.Folder) error {
	values := t.Complete(maps.Clone(d.Values), r.now)
	l := &label.Label{ID: label.NewID(), Build: *label.NewBuild(t, values, r.now, r.version)}
	l.Laid(t, d.Dir)
	p := &project.Project{Dir: d.Dir, Label: l, Template: t, Values: values}
	u := &upgrading{project: p}
	u.Says = d.Says(t)
	u.job = &upgrade.Job{Project: p, Template: t, Values: values, Full: d.Root, Taken: true, Limit: r.limit, Now: r.now, Own: label.Own}
	r.jobs = append(r.jobs, u)
	if d.Wanted != "" {
		if r.take.name == nil {
			r.take.name = map[address.Address]string{}
		}
		r.take.name[d.Dir] = d.Wanted
	}
	return nil
}

// ownNames asks, once for all, whether folders that are taken over get the names that the template has
// for them.
func (r *upgradeRun) ownNames() error {
	n := len(r.take.name)
	if n == 0 {
		return nil
	}
	var shown []string
	for _, dir := range slices.Sorted(maps.Keys(r.take.name)) {
		shown = append(shown, dir.Name()+" → "+r.take.name[dir])
	}
	if !r.take.names && (!r.interactive() || r.yes || r.preview || r.asJSON) {
		keeps := term.Shown(" keep their own names, and the template has others for them: ")
		if n == 1 {
			keeps = " keeps its own name, and the template has another one for it: "
		}
		r.note(term.Count(n, "folder") + keeps + term.Visible(strings.Join(r.few(shown), ", ")))
		r.side.Text("  " + r.sameCall("to give these names as well", "--folder-names").line())
		return nil
	}
	if !r.take.names {
		for _, line := range r.few(shown) {
			r.side.Line("  ", term.Visible(line))
		}
		yes, err := r.confirm(fmt.Sprintf("Give %s the names that the template has for them, too?", term.Count(n, "folder")))
		if err != nil || !yes {
			return err
		}
		r.call = append(r.call, "--folder-names") // what would do it without questions
	}
	for _, u := range r.jobs {
		if name := r.take.name[u.project.Dir]; name != "" {
			u.Becomes = name
			if err := u.Noted(); err != nil {
				return err
			}
		}
	}
	return nil
}
