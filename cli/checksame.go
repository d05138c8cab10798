package cli

import (
	"path"
	"slices"

	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/inspect"
	"vestibula/core/place"
)

// twiceInto is the folder into which a plan moves what is there more than once.
const twiceInto = "Twice"

// sameOnly reports whether nothing is asked for but what is there more than once.
func (r *checkRun) sameOnly() bool { return slices.Equal(r.only, []string{"twice"}) }

// planSame writes a plan that moves what is there more than once into a folder of its own:
// a table to decide in, of which nothing is sure.
func (r *checkRun) planSame(reports []*inspect.Report) error {
	set := &change.Set{}
	for _, report := range reports {
		for _, s := range report.Subjects {
			if s.Dir == "" {
				return unclear("unpack it first", "%s is an archive, and stays as it is", report.Path)
			}
			in := len(set.Places)
			for _, f := range s.Findings {
				if f.Rule != "twice" {
					continue
				}
				if in == len(set.Places) {
					set.Places = append(set.Places, s.Dir)
				}
				e, err := look(path.Join(string(s.Dir), f.Path))
				if err != nil {
					continue // it went meanwhile
				}
				set.Move(change.At{In: in, Path: f.Path}, change.At{In: in, Path: path.Join(twiceInto, f.Path)}, change.State{Entry: e}, "it holds the same as "+f.Related+": "+f.Help).Probable = true
			}
			if len(set.Places) > in {
				way := set.Way(func(at change.At) bool { return place.Exists(path.Join(string(s.Dir), at.Path)) })
				for _, c := range slices.Clone(set.Changes) {
					if c.In == in {
						way.To(change.At{In: in, Path: path.Dir(c.Path)}, "for what is there more than once")
					}
				}
			}
		}
	}
	if len(set.Changes) == 0 {
		r.screen.Text(term.Good.Render("Nothing") + " is there more than once; no plan was written.")
		return nil
	}
	return r.writePlan(set, r.ask)
}

// tellTwice draws what is there more than once in groups: first the one that is to stay.
func (r *checkRun) tellTwice(result *checkResult) {
	groups := map[string][]finding{}
	var order []string
	for _, f := range result.Findings {
		if f.Rule != "twice" || f.Meant != "" {
			continue
		}
		if groups[f.Related] == nil {
			order = append(order, f.Related)
		}
		groups[f.Related] = append(groups[f.Related], f)
	}
	for i, same := range order {
		if i == r.most(manyRows) {
			r.more(len(order)-i, "")
			break
		}
		list := groups[same]
		r.screen.Line(term.Strong.Render(term.Visible(same)), term.Dim.Italic().Render("   "+term.Visible(list[0].Help)))
		for k, f := range list {
			if k == shownAlike && len(list) > shownAlike+1 && !r.all {
				r.screen.Line(term.Dim.Render(term.Sprintf("    … and %s more", term.Number(len(list)-k))))
				break
			}
			r.screen.Line("  ", term.Warn.Render("="), " ", term.Visible(f.Path))
		}
	}
	if len(order) > 0 {
		r.screen.Line()
	}
}
