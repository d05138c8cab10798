package cli

import (
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"golang.org/x/text/unicode/norm"

	"vestibula/core/address"
	"vestibula/core/label"
	"vestibula/core/made"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/rename"
	"vestibula/core/standing"
	"vestibula/core/table"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// fileColumns are the names that a column with the names of files may have.
var fileColumns = []string{"file", "name", "path", "old", "filename", "file name"}

// readTable reads the values that a table has for each file.
func (r *renameRun) readTable(conv *template.Convention) error {
	if r.table == "" {
		return nil
	}
	t, err := readTable(r.table, sheetOf(r.sheet, slices.Concat(fileColumns, fieldNames(conv))))
	if err != nil {
		return err
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
		entries, _ := place.ReadDir(up)
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

// days are the values that come from a file itself.
func (r *renameRun) days(conv *template.Convention, f *rename.File, ofFile map[string]string) (values template.Values, note string) {
	values = template.Values{}
	for name, word := range ofFile {
		changed := time.Unix(0, f.Entry.Time).Local()
		day, from := changed, made.Changed
		if word == "made" {
			if file, err := place.OpenFile(filepath.FromSlash(f.At())); err == nil {
				_, ending := tree.Split(f.Name)
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
		var err error
		for own := dir; s == nil; own = path.Dir(own) {
			if layout := r.layouts[own]; layout != nil {
				below := strings.TrimPrefix(strings.TrimPrefix(dir, own), "/")
				s = &location{dir: address.Address(filepath.FromSlash(dir)), layout: layout, below: below, here: layout.At(below)}
			}
			if own == path.Dir(own) || place.Exists(path.Join(own, label.FileName)) {
				break
			}
		}
		if s == nil {
			if s, err = r.locate(filepath.FromSlash(dir), r.t); err != nil {
				return nil, err
			}
		}
		if r.locations[dir] = s; s.layout != nil {
			r.layouts[s.layout.Dir.Slashed()] = s.layout
		}
	}
	if s.layout == nil {
		return nil, nil
	}
	return s.here.Values, nil
}

// counting returns what numbers count on from.
func (r *renameRun) counting(conv *template.Convention) func(f *rename.File) (string, func() ([]string, error)) {
	return func(f *rename.File) (string, func() ([]string, error)) {
		dir := address.Address(filepath.FromSlash(f.Dir))
		count := &standing.Count{Template: r.t, Convention: conv, Layout: r.locations[f.Dir].layout}
		return string(count.Top(dir)), func() ([]string, error) { return count.Names(dir) }
	}
}
