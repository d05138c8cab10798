package match

import (
	"fmt"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"vestibula/core/template"
	"vestibula/core/tree"
)

// systemFiles are what programs leave in folders, hidden or not; nobody named them.
var systemFiles = []string{".*", "~$*", "$RECYCLE.BIN/"}

// systemNames are names, in any capitals, of files in which systems keep how a folder is shown.
var systemNames = []string{"Thumbs.db", "ehthumbs.db", "desktop.ini", "Icon"}

func systemName(name string) bool {
	for _, s := range systemNames {
		if len(s) == len(name) && strings.EqualFold(s, name) {
			return true
		}
	}
	return false
}

// An Ignored says which paths are passed by when a real folder is judged.
type Ignored struct {
	list  []pathPattern
	paths bool // some pattern matches whole paths
}

type pathPattern struct {
	glob                     string
	lead                     string // what it begins with, up to the first wildcard
	anywhere, folders, taken bool
}

// Seen is what of a project is seen when it is held against a template: a copy of the tree of all
// that lies in it, without what the template and these patterns pass by.
func Seen(full *tree.Node, t *template.Template, patterns ...string) (*tree.Node, error) {
	ignored, err := Passing(t, patterns)
	if err != nil {
		return nil, err
	}
	seen := full.Copy()
	ignored.Prune(seen)
	return seen, nil
}

// Passing is what a template and these patterns pass by: never what bears a name that it makes.
func Passing(t *template.Template, patterns []string) (*Ignored, error) {
	var own []string
	for _, l := range t.Lines {
		for _, n := range l.Names {
			if n.Constant() && strings.HasPrefix(n.Pattern.Source, ".") {
				own = append(own, "!"+n.Pattern.Source)
			}
		}
	}
	return Ignore(slices.Concat(own, t.Ignore, patterns))
}

// Ignore reads patterns of paths that are passed by. A pattern without a slash matches
// names anywhere, one with a slash paths from the top; `**` stands for any folders; a
// slash at the end means folders only; `!` in front takes something back. The last
// pattern that matches decides. What programs leave in folders, and what is hidden, is
// passed by unless a pattern takes it back.
func Ignore(patterns []string) (*Ignored, error) {
	ignored := &Ignored{}
	for _, text := range append(append([]string{}, systemFiles...), patterns...) {
		p := pathPattern{}
		glob, taken := strings.CutPrefix(text, "!")
		p.taken = taken
		glob, p.folders = strings.CutSuffix(glob, "/")
		p.anywhere = !strings.Contains(glob, "/")
		ignored.paths = ignored.paths || !p.anywhere
		if p.glob = strings.TrimPrefix(glob, "/"); p.glob == "" || !doublestar.ValidatePattern(p.glob) {
			return nil, fmt.Errorf("\"%s\" is no pattern for paths: write *.tmp, drafts/ or archive/**", text)
		}
		p.lead = p.glob
		if i := strings.IndexAny(p.glob, `*?[{\`); i >= 0 {
			p.lead = p.glob[:i]
		}
		ignored.list = append(ignored.list, p)
	}
	return ignored, nil
}

// passes reports whether a name in a folder is passed by.
func (ig *Ignored) passes(dir, name string, folder bool) bool {
	at := name
	if ig.paths && dir != "" {
		at = dir + "/" + name
	}
	out := !folder && systemName(name)
	for i := range ig.list {
		p := &ig.list[i]
		against := at
		if p.anywhere {
			against = name
		}
		if p.folders && !folder || out != p.taken || !strings.HasPrefix(against, p.lead) {
			continue
		}
		if hit, _ := doublestar.Match(p.glob, against); hit {
			out = !p.taken
		}
	}
	return out
}

// Prune takes what is passed by out of a tree.
func (ig *Ignored) Prune(root *tree.Node) {
	var walk func(n *tree.Node, at string)
	walk = func(n *tree.Node, at string) {
		kept := n.Children[:0]
		for _, c := range n.Children {
			if ig.passes(at, c.Name, c.Kind == tree.Folder) {
				continue
			}
			kept = append(kept, c)
			if c.Kind != tree.Folder || len(c.Children) == 0 {
				continue
			}
			below := c.Name
			if ig.paths && at != "" {
				below = at + "/" + c.Name
			}
			walk(c, below)
		}
		n.Children = kept
	}
	walk(root, "")
}
