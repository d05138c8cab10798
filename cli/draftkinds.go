package cli

import (
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/draft"
	"vestibula/core/tree"
)

const (
	// manyAtOnce is how many things in one folder are more than a project holds.
	manyAtOnce = 5_000
	// shownKinds is how many kinds of folders are told.
	shownKinds = 6
	// shownHas is how many names of what a kind holds are told.
	shownHas = 5
	// manyUnlike is of how many folders that are like no other nobody wants one template.
	manyUnlike = 500
	// leastUnlike is of how many folders it is told that they are not alike.
	leastUnlike = 4
)

// kinds looks which of the folders in what was read are alike. Where one folder holds many of a kind, those are
// learned from instead of it; where there are several kinds, or the folders that were named are of several,
// that is told instead. Like is a folder of the kind that is meant; "" where nobody said.
func (r *learning) kinds(source, like string) error {
	root := &tree.Node{Kind: tree.Folder}
	if one := len(r.samples) == 1; one {
		root = r.samples[0].Root
		if r.dirs[0] == "" {
			return nil
		}
		if like == "" && root.Count() <= manyAtOnce && r.isOne() {
			if k := r.listed(root); k != nil {
				return r.take(k)
			}
			return nil
		}
	} else {
		for _, s := range r.samples {
			root.Children = append(root.Children, &tree.Node{Name: s.Name, Kind: tree.Folder, Children: s.Root.Children})
		}
	}
	if len(r.samples) > 1 && (len(r.samples) < leastUnlike || fileFolders(root) || draft.Alike(root)) {
		return nil
	}
	kinds, unlike := draft.Kinds(root)
	if len(r.samples) > 1 {
		return r.tellKinds(kinds, unlike, "These folders are", "")
	}
	worth := 0
	for _, k := range kinds {
		if like != "" && slices.Contains(k.Paths, filepath.ToSlash(like)) {
			return r.take(k)
		}
		if k.Worth {
			worth++
		}
	}
	switch {
	case like != "":
		return unclear("name one of those that are alike", "no other folder is like “%s”", like)
	case worth == 1 && (root.Count() > manyAtOnce || 2*kinds[0].Count >= root.Count()):
		return r.take(kinds[0])
	case worth > 0 || unlike > manyUnlike:
		return r.tellKinds(kinds, unlike, "In it are", source)
	}
	return nil
}

// listed is the kind of which most folders of one are that a template explains wholly: those are learned from, and not their
// list; nil for none. Of a kind that lies deeper it is noted that it became a list.
func (r *learning) listed(root *tree.Node) *draft.Kind {
	r.lists, _ = draft.Kinds(root)
	folders := 0
	for _, c := range root.Children {
		if c.Kind == tree.Folder {
			folders++
		}
	}
	for _, k := range r.lists[:min(len(r.lists), 1)] {
		if k.Worth && k.In() == "." && 3*len(k.Paths) >= 2*folders && !slices.ContainsFunc(k.Paths, func(p string) bool { return strings.Contains(p, "/") }) {
			r.lists = nil
			return k
		}
	}
	return nil
}

// tellLists tells which alike folders became a list of one template, where they could have one of their own.
func (r *learning) tellLists() {
	for _, k := range r.lists[:min(len(r.lists), 1)] {
		if k.Worth {
			r.note(term.Sprintf("%d folders in %s are alike, and stand in it as a list. Name one of them behind the folder, and the template is one for each of them.", len(k.Paths), k.In()))
		}
	}
}

// isOne reports whether a template explains all of the folder that was read: it is one project, whatever is alike
// in it.
func (r *learning) isOne() bool {
	result, err := draft.Of("x", r.samples, r.given, nil)
	if err != nil {
		return true // it is told where it is learned from
	}
	proofs, err := result.Prove("x", r.now)
	return err != nil || proofs[0].Exact
}

// fileFolders reports whether hardly any of the folders holds folders, so that only their files say what they are.
func fileFolders(root *tree.Node) bool {
	with := 0
	for _, c := range root.Children {
		if slices.ContainsFunc(c.Children, func(n *tree.Node) bool { return n.Kind == tree.Folder }) {
			with++
		}
	}
	return 2*with < len(root.Children)
}

// take learns from the folders of a kind instead of what they lie in.
func (r *learning) take(k *draft.Kind) error {
	all, dir := r.samples[0], r.dirs[0]
	r.samples, r.dirs = nil, nil
	for _, p := range k.Paths {
		n := all.Root.At(p)
		r.samples = append(r.samples, draft.Sample{Name: n.Name, Root: &tree.Node{Kind: tree.Folder, Children: n.Children}})
		r.dirs = append(r.dirs, filepath.Join(dir, filepath.FromSlash(p)))
	}
	in := all.Name
	if k.In() != "." {
		in += "/" + k.In()
	}
	if !r.asJSON {
		r.screen.Text(term.Sprintf("%d folders in %s are alike: most hold %s. This is what they have in common.", len(k.Paths), in, strings.Join(r.few(k.Has), ", ")))
		r.screen.Line()
	}
	return nil
}

// tellKinds tells which kinds of folders there are, and how to learn from one of them.
func (r *learning) tellKinds(kinds []*draft.Kind, unlike int, are term.Shown, source string) error {
	if len(kinds) == 0 {
		return refused("name two or more that are alike", "Nothing was written: none of these folders is like another one")
	}
	r.screen.Text(term.Sprintf("%s %s of folders:", are, term.Count(len(kinds), "kind")))
	var rows [][]term.Shown
	for _, k := range kinds[:min(len(kinds), shownKinds)] {
		worth := term.Dim.Render("too little in common")
		if k.Worth {
			worth = term.Good.Render("worth a template")
		}
		in := k.In()
		if in == "." {
			in = k.Paths[0] + " …"
		}
		rows = append(rows, []term.Shown{term.Sprintf("  %d", len(k.Paths)), term.Visible(in), term.Visible(strings.Join(r.few(k.Has[:min(len(k.Has), shownHas)]), ", ")), worth})
	}
	r.screen.Columns(rows)
	if n := len(kinds) - shownKinds; n > 0 {
		r.screen.Text(term.Dim.Render(term.Sprintf("and %s more", term.Count(n, "kind"))))
	}
	if unlike > 0 {
		r.screen.Text(term.Dim.Render(term.Count(unlike, "folder") + " like no other"))
	}
	k := kinds[0]
	if source == "" || !k.Worth {
		return refused("name two or more of one kind", "Nothing was written: these folders are not of one kind")
	}
	example := filepath.Join(source, filepath.FromSlash(k.Paths[0]))
	return refused("name a folder of the kind that you mean behind it\n"+advise("so, for the first of them", "draft", typed(r.name), typed(source), typed(example)).String(), "Nothing was written: which of them?")
}
