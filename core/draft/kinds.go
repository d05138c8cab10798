package draft

import (
	"cmp"
	"path"
	"slices"
	"strings"
	"unicode"

	"vestibula/core/tree"
)

// A Kind is what folders that hold folders of the same names have in common.
type Kind struct {
	Paths []string // of the folders, from the one that was looked at, sorted
	Has   []string // the names that most of them hold, those that more hold first
	Count int      // of all that lies in them
	Worth bool     // there are enough of them, and enough that they share, for a template
}

// In is the deepest folder in which all of a kind lie; "." for the one that was looked at.
func (k *Kind) In() string {
	at := path.Dir(k.Paths[0])
	for _, p := range k.Paths {
		for at != "." && !strings.HasPrefix(p, at+"/") {
			at = path.Dir(at)
		}
	}
	return at
}

// maxLeaders is how many kinds a folder is held against: those that share a name with it and came first.
const maxLeaders = 40

// A holder is a folder that holds folders.
type holder struct {
	at     string
	node   *tree.Node
	tokens []string // what the names of those have in common with others, each once, sorted
	kind   int
	rest   bool // it lies in a folder of a kind, or joined none
}

// A group is a kind while it is gathered.
type group struct {
	tokens []string
	of     []*holder
}

// Kinds finds the kinds of folders below a folder, those that hold most first: folders are of one kind
// where at least half of the names of folders in them are the same, numbers, dates, case and accents
// aside. What lies in a folder of a kind that is more than two folders with a few names belongs to that. Unlike is how many folders that hold folders
// are of no kind, and hold none of one.
func Kinds(root *tree.Node) (kinds []*Kind, unlike int) {
	var all []*holder
	var gather func(n *tree.Node, at string)
	gather = func(n *tree.Node, at string) {
		for _, c := range n.Children {
			if c.Kind == tree.Folder {
				below := path.Join(at, c.Name)
				if h := (&holder{at: below, node: c, tokens: tokensOf(c), kind: -1}); len(h.tokens) > 0 {
					all = append(all, h)
				}
				gather(c, below)
			}
		}
	}
	gather(root, "")
	groups := grouped(all)
	inside := "" // the folder of a kind that was met last: what lies in it follows
	for _, h := range all {
		if h.rest = inside != "" && strings.HasPrefix(h.at, inside+"/"); h.rest {
			continue
		}
		if g := groups[h.kind]; len(g.of) > 1 && len(h.tokens) > 1 && (len(g.of) > 2 || len(g.tokens) > 3) {
			inside = h.at
		}
	}
	beside := map[string][]*holder{}
	for _, h := range all {
		if !h.rest {
			beside[path.Dir(h.at)] = append(beside[path.Dir(h.at)], h)
		}
	}
	for _, g := range groups {
		if k := g.become(beside); k != nil {
			kinds = append(kinds, k)
		}
	}
	slices.SortStableFunc(kinds, func(a, b *Kind) int { return cmp.Or(boolInt(b.Worth)-boolInt(a.Worth), b.Count-a.Count) })
	way := map[string]bool{}
	for _, k := range kinds {
		for _, p := range k.Paths {
			for p = path.Dir(p); p != "." && !way[p]; p = path.Dir(p) {
				way[p] = true
			}
		}
	}
	for _, h := range all {
		if !h.rest && !way[h.at] && (h.kind < 0 || len(groups[h.kind].of) == 0) {
			unlike++
		}
	}
	return kinds, unlike
}

// Alike reports whether at least half of the folders in one hold something that at least half of them hold.
func Alike(root *tree.Node) bool {
	holds := map[string]int{}
	for _, c := range root.Children {
		for _, t := range tokensOf(c) {
			holds[t]++
		}
	}
	n, with := len(root.Children), 0
	for _, c := range root.Children {
		if slices.ContainsFunc(tokensOf(c), func(t string) bool { return 2*holds[t] >= n }) {
			with++
		}
	}
	return 2*with >= n
}

// grouped finds for each of the folders those that are like it: what most folders hold exactly leads.
func grouped(all []*holder) (groups []*group) {
	by := map[string]*group{}
	var exact []*group
	for _, h := range all {
		key := strings.Join(h.tokens, "\x00")
		if by[key] == nil {
			by[key] = &group{tokens: h.tokens}
			exact = append(exact, by[key])
		}
		by[key].of = append(by[key].of, h)
	}
	slices.SortStableFunc(exact, func(a, b *group) int {
		return cmp.Or(len(b.of)*len(b.tokens)-len(a.of)*len(a.tokens), len(b.tokens)-len(a.tokens))
	})
	with := map[string][]int{} // the kinds that hold a name
	for _, e := range exact {
		shared := map[int]int{}
		for _, t := range e.tokens {
			for _, g := range with[t][:min(len(with[t]), maxLeaders)] {
				shared[g]++
			}
		}
		best := -1
		for g, n := range shared {
			if union := len(groups[g].tokens) + len(e.tokens) - n; 2*n >= union && (n > 1 || union == 1) && (best < 0 || n > shared[best] || n == shared[best] && g < best) {
				best = g
			}
		}
		if best < 0 {
			best = len(groups)
			groups = append(groups, &group{tokens: e.tokens})
			for _, t := range e.tokens {
				with[t] = append(with[t], best)
			}
		}
		for _, h := range e.of {
			h.kind = best
		}
		groups[best].of = append(groups[best].of, e.of...)
	}
	return groups
}

// become is the kind that a group is; nil for one of a single folder. What lies beside its folders and
// holds one of the same names is of that kind too.
func (g *group) become(beside map[string][]*holder) *Kind {
	g.of = slices.DeleteFunc(g.of, func(h *holder) bool { return h.rest })
	if len(g.of) < 2 || len(g.tokens) < 2 {
		g.of = nil
		return nil
	}
	dirs, holds := map[string]int{}, map[string]int{}
	for _, h := range g.of {
		dirs[path.Dir(h.at)]++
		for _, t := range h.tokens {
			holds[t]++
		}
	}
	most := len(g.of)
	own := g.of[0].kind
	for dir, n := range dirs {
		for _, h := range beside[dir] {
			if h.kind != own && 2*n > most && slices.ContainsFunc(h.tokens, func(t string) bool { return 2*holds[t] > most }) {
				h.kind, g.of = own, append(g.of, h)
			}
		}
	}
	k := &Kind{}
	names := map[string]map[string]int{}
	shared := 0
	for _, h := range g.of {
		k.Paths, k.Count = append(k.Paths, h.at), k.Count+1+h.node.Count()
		for _, c := range h.node.Children {
			if t := token0(c); t != "" && 2*holds[t] >= most {
				if names[t] == nil {
					names[t] = map[string]int{}
				}
				names[t][c.Name]++
				shared++
			}
		}
	}
	slices.Sort(k.Paths)
	tokens := sortedKeys(names)
	slices.SortStableFunc(tokens, func(a, b string) int { return holds[b] - holds[a] })
	for _, t := range tokens {
		k.Has = append(k.Has, commonest(names[t]))
	}
	k.Worth = len(tokens) > 1 && (len(g.of) > 2 || len(tokens) > 3) && 3*shared >= 2*len(g.of)*len(tokens)
	return k
}

// commonest is the name that comes most often, of several the plainest: with the fewest digits and signs, and one capital.
func commonest(names map[string]int) string {
	odd := func(name string) (signs, capitals int) {
		capitals = -1
		for _, r := range name {
			switch {
			case unicode.IsUpper(r):
				capitals++
			case !unicode.IsLetter(r) && r != ' ':
				signs++
			}
		}
		return signs, max(capitals, -2*capitals)
	}
	return slices.MinFunc(sortedKeys(names), func(a, b string) int {
		signs, capitals := odd(a)
		others, more := odd(b)
		return cmp.Or(names[b]-names[a], signs-others, capitals-more)
	})
}

// tokensOf are what the names of the folders in a folder have in common with others.
func tokensOf(n *tree.Node) (list []string) {
	for _, c := range n.Children {
		if t := token0(c); t != "" {
			list = append(list, t)
		}
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// token0 is the name of a folder without case, signs and numbers; "" for what is none.
func token0(n *tree.Node) string {
	if n.Kind != tree.Folder || n.Marks&tree.Link != 0 {
		return ""
	}
	if t := strings.TrimFunc(strings.Map(func(r rune) rune {
		if unicode.IsDigit(r) {
			return -1
		}
		return r
	}, tree.Key(n)), unicode.IsSpace); t != "" {
		return t
	}
	return "#"
}

func boolInt(b bool) int {
	if b {
		return 1
	}
	return 0
}
