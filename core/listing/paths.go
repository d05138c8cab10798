package listing

import (
	"slices"
	"strings"
)

// paths reads paths, without what all of them begin with where that leads to where they lie.
func (r *reader) paths(lines []string) {
	r.listing.Form = Paths
	var all [][]string
	rooted := true
	for _, line := range lines {
		text := strings.TrimSpace(line)
		rooted = rooted && drive().MatchString(text)
		text = strings.ReplaceAll(text, `\`, "/")
		folder := strings.HasSuffix(text, "/")
		text = strings.TrimPrefix(drive().ReplaceAllString(text, ""), "./")
		var names []string
		for part := range strings.SplitSeq(strings.Trim(text, "/"), "/") {
			if part != "" && part != "." && part != ".." {
				names = append(names, part)
			}
		}
		if folder && len(names) > 0 {
			names[len(names)-1] += "/"
		}
		if len(names) > 0 && len(names) < maxDepth {
			all = append(all, names)
		}
	}
	if rooted && len(all) > 1 {
		for shared(all) {
			for i := range all {
				all[i] = all[i][1:]
			}
		}
	}
	for _, names := range all {
		r.chain(names)
	}
}

// shared reports whether all paths begin in the same folder, and go on in it.
func shared(all [][]string) bool {
	for _, names := range all {
		if len(names) < 2 || names[0] != all[0][0] {
			return false
		}
	}
	return true
}

// chain adds a path, in the folders that are there already.
func (r *reader) chain(names []string) {
	r.open = nil
	list := &r.listing.Entries
	for i, text := range names {
		name, note, slashed := r.name(text)
		if name == "" {
			return
		}
		at := slices.IndexFunc(*list, func(e *Entry) bool { return e.Name == name })
		if at < 0 {
			r.add(&Entry{Name: name, Note: note})
			at = len(*list) - 1
		}
		e := (*list)[at]
		e.Folder = e.Folder || slashed || i < len(names)-1
		r.open = append(r.open, level{i, e})
		list = &e.Inside
	}
}

// columns reads a table: each column lies in the one to its left, and an empty cell is as
// the one above.
func (r *reader) columns(lines []string) {
	r.listing.Form = Columns
	var rows [][]string
	for i, line := range lines {
		if ruler().MatchString(line) {
			if i == 1 {
				rows = nil // what stood above are headings
			}
			continue
		}
		cells := strings.Split(line, "\t")
		if bare := strings.TrimSpace(line); strings.HasPrefix(bare, "|") {
			cells = strings.Split(strings.Trim(bare, "|"), "|")
		}
		for k := range cells {
			cells[k] = strings.TrimSpace(cells[k])
		}
		rows = append(rows, cells)
	}
	var above []string
	for _, cells := range rows {
		var names []string
		last := len(cells)
		for last > 0 && cells[last-1] == "" {
			last--
		}
		for k := range min(last, maxDepth) {
			text := cells[k]
			if text == "" && k < len(above) {
				text = above[k]
			}
			if text == "" {
				break
			}
			names = append(names, text)
		}
		if len(names) > 0 {
			r.chain(names)
			above = names
		}
	}
}
