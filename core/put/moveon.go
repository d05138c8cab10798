package put

import (
	"fmt"
	"maps"
	"path"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/proposal"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// MoveOn returns what moves folders of a project, by their paths in it, into another folder of
// it as a whole: each gets what the template has for it there, and the label notes that it is
// not asked for where it was. The project's files are read for it.
func MoveOn(l *project.Layout, folders []string, into string) (*proposal.Proposal, error) {
	out := &proposal.Proposal{Set: &change.Set{Places: []address.Address{l.Dir}}}
	out.Counts(change.At{Path: "."}, l.Label.ID)
	part := out.Part(l.Dir)
	goes := map[string]string{}
	for _, from := range folders {
		to := path.Join(into, path.Base(from))
		goes[from] = to
		out.Set.Move(change.At{Path: from}, change.At{Path: to}, change.Is(tree.Folder), "it moves on")
		part.Add(proposal.Step{Op: change.Move, From: from, To: to, Folder: true})
		root, _, err := place.Read(l.Dir.Join(from), nil, nil)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %s", from, place.Reason(err))
		}
		wanted, err := wantedAt(l, to)
		if err != nil {
			return nil, err
		}
		if wanted != nil {
			gets(out.Set, part, wanted, root, to)
		}
	}
	return out, closeAt(out.Set, l, folders, goes)
}

// wantedAt is what the template has for an item in a folder: of the lines there, one that
// its name is read by; nil where there is none.
func wantedAt(l *project.Layout, at string) (*tree.Node, error) {
	p := l.At(path.Dir(at))
	values := p.Values.Clone()
	if values == nil {
		values = template.Values{}
	}
	if p.Line != nil && p.Path == path.Dir(at) {
		for _, line := range p.Line.Inside() {
			reader := line.Names[0].Reader()
			read := make([]value.Value, len(reader.Fields()))
			if len(line.Names) != 1 || line.Names[0].Constant() || reader.Read(path.Base(at), read) != nil {
				continue
			}
			for i, name := range reader.Fields() {
				if l.Template.Field(name) != nil && !values[name].Given() {
					values[name] = read[i]
				}
			}
		}
	}
	x, err := l.Template.Tree(values, template.DefaultLimit)
	if err != nil {
		return nil, err
	}
	_, own := l.Template.Own(x.Root)
	return own.At(at), nil
}

// gets adds what a folder has not of what is wanted there.
func gets(set *change.Set, part *proposal.Part, wanted, is *tree.Node, at string) {
	for _, c := range wanted.Children {
		if c.Marks&(tree.Later|tree.Due|tree.Open) != 0 {
			continue
		}
		here := path.Join(at, c.Name)
		if there := is.Child(c.Name); there != nil {
			if there.Kind == tree.Folder && c.Kind == tree.Folder {
				gets(set, part, c, there, here)
			}
			continue
		}
		set.Make(change.At{Path: here}, c.Built(), "the template has it there")
		part.Add(proposal.Step{Op: change.Make, To: here, Folder: c.Kind == tree.Folder})
	}
}

// closeAt notes in the label what the template would ask for where folders were, and no longer
// what it has where they come to lie.
func closeAt(set *change.Set, l *project.Layout, folders []string, goes map[string]string) error {
	return project.Relabel(set, l.Dir, func(is *label.Label) error {
		closed := maps.Clone(is.Closed)
		if closed == nil {
			closed = map[string]string{}
		}
		for _, from := range folders {
			to := goes[from]
			if delete(closed, to); l.Wanted.Own.At(from) != nil {
				closed[from] = to
			}
			for at, there := range closed { // what moved on once moves on again
				if there == from {
					closed[at] = to
				}
			}
		}
		if len(closed) > 0 || is.Closed != nil {
			is.Closed = closed
		}
		return nil
	})
}
