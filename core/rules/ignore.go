package rules

import (
	"fmt"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"vestibula/core/tree"
)

// systemFiles are what programs leave in folders, hidden or not; nobody named them.
var systemFiles = []string{".*", "Thumbs.db", "desktop.ini", "~$*", "$RECYCLE.BIN/"}

// Ignore returns a function that says which paths are passed by when a real
// folder is checked. A pattern without a slash matches names anywhere, one with
// a slash paths from the top; `**` stands for any folders; a slash at the end
// means folders only; `!` in front takes something back. The last pattern that
// matches decides. What programs leave in folders, and what is hidden, is passed by
// unless a pattern takes it back.
func Ignore(patterns []string) (func(path string, folder bool) bool, error) {
	type pattern struct {
		glob                     string
		lead                     string // what it begins with, up to the first wildcard
		anywhere, folders, taken bool
	}
	var list []pattern
	for _, text := range append(append([]string{}, systemFiles...), patterns...) {
		p := pattern{}
		glob, taken := strings.CutPrefix(text, "!")
		p.taken = taken
		glob, p.folders = strings.CutSuffix(glob, "/")
		p.anywhere = !strings.Contains(glob, "/")
		if p.glob = strings.TrimPrefix(glob, "/"); p.glob == "" || !doublestar.ValidatePattern(p.glob) {
			return nil, fmt.Errorf("%q is no pattern for paths: write *.tmp, drafts/ or archive/**", text)
		}
		p.lead = p.glob
		if i := strings.IndexAny(p.glob, `*?[{\`); i >= 0 {
			p.lead = p.glob[:i]
		}
		list = append(list, p)
	}
	return func(at string, folder bool) bool {
		ignored := false
		base := at[strings.LastIndexByte(at, '/')+1:]
		for i := range list {
			p := &list[i]
			against := at
			if p.anywhere {
				against = base
			}
			if p.folders && !folder || ignored != p.taken || !strings.HasPrefix(against, p.lead) {
				continue
			}
			if hit, _ := doublestar.Match(p.glob, against); hit {
				ignored = !p.taken
			}
		}
		return ignored
	}, nil
}

// Prune takes what is passed by out of a tree: see [Ignore].
func Prune(root *tree.Node, ignored func(path string, folder bool) bool) {
	var walk func(n *tree.Node, at string)
	walk = func(n *tree.Node, at string) {
		kept := n.Children[:0]
		for _, c := range n.Children {
			below := c.Name
			if at != "" {
				below = at + "/" + c.Name
			}
			if ignored(below, c.Kind == tree.Folder) {
				continue
			}
			kept = append(kept, c)
			if c.Kind == tree.Folder && len(c.Children) > 0 {
				walk(c, below)
			}
		}
		n.Children = kept
	}
	walk(root, "")
}
