package batch

import (
	"path/filepath"

	"vestibula/core/table"
)

// Marks are the marks of rows that are built below a folder or a file, with the identities in
// labels, and of rows whose marks are not right any more. Becomes says, by the folders of
// projects, which of them move in the same run, and where.
func (b *Batch) Marks(into string, labels []*Label, becomes map[string]string) map[int]table.Mark {
	ids := map[string]string{}
	for _, l := range labels {
		ids[l.Folder] = l.Identity()
	}
	marks := map[int]table.Mark{}
	for _, r := range b.Builds {
		folder := r.Folder()
		marks[r.Row] = table.Mark{When: b.Now, Where: filepath.Join(into, filepath.FromSlash(folder)), ID: ids[folder]}
	}
	for _, k := range b.Kept {
		dir := k.Dir
		if to := becomes[dir]; to != "" {
			dir = to
		}
		if dir != "" && (dir != k.Marking.Where || k.ID != "" && k.ID != k.Marking.As) {
			marks[k.Row] = table.Mark{Where: dir, ID: k.ID}
		}
	}
	return marks
}
