package cli

import (
	"path"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/disk"
	"vestibula/core/naming"
	"vestibula/core/place"
	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// misnamed are the new names that a set gives in projects, and that their templates would refuse to
// build: with why, by their paths in the places of the set.
func (a *app) misnamed(set *change.Set) (list []disk.Blocked) {
	type judge struct {
		set   *rules.Set
		reads *naming.Reader
	}
	known, folders := map[*template.Template]*judge{}, map[address.Address]*judge{}
	in := func(dir address.Address) *judge {
		if j, looked := folders[dir]; looked {
			return j
		}
		var j *judge
		if p := a.projectIn(string(dir)); p != nil {
			if j = known[p.Template]; j == nil {
				j = &judge{reads: naming.NewReader(p.Template.Names)}
				j.set, _ = rules.Configure(p.Template)
				known[p.Template] = j
			}
		}
		folders[dir] = j
		return j
	}
	for i := range set.Changes {
		c := &set.Changes[i]
		name := path.Base(c.Path)
		if c.Op == change.Replace || c.Op == change.Remove || c.From != "" && path.Base(c.From) == name {
			continue
		}
		at := set.Places[c.In].Join(c.Path)
		j := in(innermost(at.Parent()))
		if j == nil {
			continue
		}
		n := &tree.Node{Name: name, Kind: c.Kind()}
		if c.Op == change.Make {
			n = c.Node
		}
		if n.Kind == tree.File {
			if _, _, misfit := j.reads.Read(name); misfit == nil {
				n = &tree.Node{Name: name, Kind: tree.File, Marks: tree.Conforms}
			}
		}
		for _, f := range j.set.CheckNames(&tree.Node{Children: []*tree.Node{n}}) {
			list = append(list, disk.Blocked{Path: path.Join(path.Dir(c.Path), f.Path), Why: f.Message.String()})
		}
	}
	return list
}

// rulesOf are the rules of a template; what is wrong with their settings is told.
func (a *app) rulesOf(t *template.Template) (*rules.Set, error) {
	set, errs := rules.Configure(t)
	if len(errs) > 0 {
		return nil, a.tellErrors(t.Name, t.Text, errs, statusUnclear)
	}
	return set, nil
}

// innermost is the innermost folder on a way that is there.
func innermost(dir address.Address) address.Address {
	for dir != dir.Parent() {
		if real, err := place.Real(dir); err == nil {
			return real
		}
		dir = dir.Parent()
	}
	return dir
}
