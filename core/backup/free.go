package backup

import (
	"path"
	"strings"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/tree"
)

// Freeing plans the end of the backups of a project that were moved aside, by their identity. It returns
// how many bytes they hold. The error is that of one that cannot be read.
func Freeing(into address.Address, id string) (p *proposal.Proposal, size int64, err error) {
	p = &proposal.Proposal{Set: &change.Set{Places: []address.Address{into}}, Roots: []journal.Root{{Path: "."}}}
	part := p.Part("")
	for _, b := range bundle.Backups(into.Join(Older), id) {
		at := change.At{Path: path.Join(Older, b.Dir.Name())}
		note, err := bundle.Note(b.Dir)
		if err != nil {
			return nil, 0, err
		}
		_, held := note.Manifest("")
		size += held
		part.Add(proposal.Step{Op: change.Remove, From: at.Path, Folder: !bundle.IsFile(b.Dir), Sized: true, Size: held})
		if bundle.IsFile(b.Dir) {
			p.Set.Remove(at, change.Is(tree.File), "older")
			continue
		}
		root, unread, err := place.Read(string(b.Dir), nil, nil)
		if err == nil && len(unread) > 0 {
			err = unread[0].Err
		}
		if err != nil {
			return nil, 0, err
		}
		p.Set.Remove(at, change.Is(tree.Folder), "older")
		for below, n := range root.All() {
			kind := n.Kind
			if n.Marks&tree.Link != 0 {
				kind = tree.Symlink
			}
			p.Set.Remove(at.Below(strings.Clone(below)), change.Is(kind), "older")
		}
	}
	return p, size, nil
}
