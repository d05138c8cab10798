package upgrade

import (
	"slices"

	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// An item of a list that gets another name.
type renamedItem struct {
	to   string // folded
	sure bool
}

// renamedItems are the items of lists that got other names, by fields and by their old names, folded.
// It is sure where one alone changed and all others kept their places; where several did, or one went
// and one came elsewhere, or more came than went, it is only probable.
func renamedItems(t *template.Template, before, after template.Values) map[string]map[string]renamedItem {
	all := map[string]map[string]renamedItem{}
	for _, f := range t.Fields {
		was, is := folded(before[f.Name]), folded(after[f.Name])
		var gone, come []int
		for i, item := range was {
			if !slices.Contains(is, item) {
				gone = append(gone, i)
			}
		}
		for i, item := range is {
			if !slices.Contains(was, item) {
				come = append(come, i)
			}
		}
		if len(gone) != len(come) { // only what stands in its place may be it
			both := slices.DeleteFunc(slices.Clone(gone), func(i int) bool { return !slices.Contains(come, i) })
			gone, come = both, both
		}
		if len(gone) == 0 {
			continue
		}
		sure := len(gone) == 1 && len(was) == len(is) && gone[0] == come[0] && slices.Equal(slices.Delete(slices.Clone(was), gone[0], gone[0]+1), slices.Delete(slices.Clone(is), come[0], come[0]+1))
		all[f.Name] = map[string]renamedItem{}
		for k, i := range gone {
			all[f.Name][was[i]] = renamedItem{is[come[k]], sure}
		}
	}
	return all
}

// renamed reports whether an item of a list got another name, or may have.
func (j *Job) renamed() bool {
	return len(renamedItems(j.Template, j.Project.Values, j.Values)) > 0
}

func folded(v value.Value) []string {
	items := make([]string, len(v.Items))
	for i, item := range v.Items {
		items[i] = tree.Folded(item.String())
	}
	return items
}
