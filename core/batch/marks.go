package batch

import (
	"bytes"
	"fmt"
	"path/filepath"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/table"
	"vestibula/core/template"
)

// Mark adds to a proposal what marks the rows in the file of the table, and returns how many.
// Becomes says, by the folders of projects, which of them move in the same run, and where. The
// error is a [proposal.Refusal].
func (j *Job) Mark(p *proposal.Proposal, file string, becomes map[address.Address]address.Address) (n int, err error) {
	into := j.Place.Real
	if j.Pack != nil {
		into = into.Join(j.Pack.Name)
	}
	marks := j.marks(into, j.made, becomes)
	if len(marks) == 0 {
		return 0, nil
	}
	at, err := place.Real(file)
	if err != nil {
		return 0, proposal.Refused("", "the table %s: %s", file, place.Reason(err))
	}
	dir, name := filepath.Split(string(at))
	for _, lock := range []string{".~lock." + name + "#", "~$" + name} {
		if _, err := place.Lstat(filepath.Join(dir, lock)); err == nil {
			return 0, proposal.Refused("close it there, or build without marking rows", "the table %s is open in a spreadsheet program, which would write over the marks: %s is there", file, lock)
		}
	}
	data, err := j.Table.WithMarks(marks)
	if err != nil {
		return 0, proposal.Refused("or build without marking rows", "the table %s cannot be marked: %s", file, place.Reason(err))
	}
	if bytes.Equal(data, j.Table.Bytes()) {
		return 0, nil
	}
	p.Set.Join(change.Rewriting(at, j.Table.Bytes(), data))
	return len(marks), nil
}

// marks are those of rows that are built below a folder or a file, with the identities in
// labels, and of rows whose marks are not right any more.
func (b *Batch) marks(into address.Address, labels []*Label, becomes map[address.Address]address.Address) map[int]table.Mark {
	ids := map[string]string{}
	for _, l := range labels {
		ids[l.Folder] = l.Identity()
	}
	marks := map[int]table.Mark{}
	for _, r := range b.Builds {
		folder := r.Folder()
		marks[r.Row] = table.Mark{When: b.Now, Where: string(into.Join(folder)), ID: ids[folder]}
		for _, other := range b.Aside(r.Row) {
			marks[other.Number] = marks[r.Row]
		}
	}
	for _, k := range b.Kept {
		dir := k.Dir
		if to := becomes[dir]; to != "" {
			dir = to
		}
		if dir != "" && (string(dir) != k.Marking.Where || k.ID != "" && k.ID != k.Marking.As) {
			marks[k.Row] = table.Mark{Where: string(dir), ID: k.ID}
		}
		for _, other := range b.Aside(k.Row) {
			switch {
			case dir == "" || becomes == nil:
			case !b.Table.Marked(&other):
				marks[other.Number] = table.Mark{When: b.Now, Where: string(dir), ID: k.ID}
			case b.Table.Marking(&other).Where != string(dir):
				marks[other.Number] = table.Mark{Where: string(dir), ID: k.ID}
			}
		}
	}
	return marks
}

// went reports whether the history says that the project of a row went where it is.
func (b *Batch) went(k *Kept) bool {
	return b.Went != nil && b.Went(address.Address(k.Marking.Where).Slashed()) == k.Dir.Slashed()
}

// Updates returns the values that rows have by now, and their projects have not, by the folders
// of these. What cannot be brought up to date becomes a problem of its row; shown is how a
// person is told of a folder.
func (b *Batch) Updates(shown func(dir address.Address) string) map[address.Address]map[string]template.Raw {
	all := map[address.Address]map[string]template.Raw{}
	for _, k := range b.Kept {
		switch {
		case k.Standing == Unclear:
			b.Problems = append(b.Problems, Problem{Row: k.Row, Message: k.Why})
		case k.Standing != Changed:
		case k.Moved() && k.Marking.Where != "" && !b.went(k): // a label is no proof
			b.Problems = append(b.Problems, Problem{Row: k.Row, Message: fmt.Sprintf("it was built in %s; %s says that it is that project, and may be a copy of it: bring that up to date by itself", shown(address.Address(k.Marking.Where)), shown(k.Dir))})
		default:
			raw, is := map[string]template.Raw{}, label.NewBuild(b.Template, k.Values, b.Now, "").Raw()
			for _, d := range k.Diffs {
				raw[d.Field] = is[d.Field]
			}
			all[k.Dir] = raw
		}
	}
	return all
}
