package draft

import (
	"maps"
	"strings"

	"vestibula/core/tree"
)

// measureNoise notes whether so much lies in one project alone that it is chance, not rule.
func (l *learner) measureNoise(tops []*instance) {
	if len(tops) < 4 {
		return
	}
	count := map[string]int{}
	in := map[string]int{} // the sample in which each was seen last
	for _, t := range tops {
		var walk func(n *tree.Node, above string)
		walk = func(n *tree.Node, above string) {
			for _, c := range n.Children {
				if c.Kind == tree.Folder {
					at := above + l.masked(t.sample, c.Name)
					count[at]++
					in[at] = t.sample
					walk(c, at+"/")
				}
			}
		}
		walk(t.node, "")
	}
	above := func(at string) string { return at[:max(strings.LastIndexByte(at, '/'), 0)] }
	lone := map[string]map[int]bool{} // by what they lie in, the samples that have some
	singles := map[string]int{}
	often, total := map[string]int{}, map[string]int{} // what lies in a folder: its commonest, and all
	for at, n := range count {
		dir := above(at)
		often[dir] = max(often[dir], n)
		total[dir] += n
		if n == 1 && (dir == "" || count[dir] > 1) {
			if lone[dir] == nil {
				lone[dir] = map[int]bool{}
			}
			lone[dir][in[at]] = true
			singles[dir]++
		}
	}
	all, spread := 0, map[int]bool{}
	for dir, n := range singles {
		// In a list most projects have an item that no other one has, or none is in all of them.
		most := len(lone[dir])*10 >= 6*min(len(tops), count[dir])
		varied := total[dir] >= 2*count[dir] && often[dir]*4 <= count[dir]*3
		if isList := dir != "" && (most || varied); !isList {
			all += n
			maps.Copy(spread, lone[dir])
		}
	}
	l.noisy = all > len(tops) && 2*len(spread) > len(tops) // what one project alone has is its own
}

// masked is a name with the values of its sample and all digits taken out.
func (l *learner) masked(sample int, name string) string {
	for _, f := range l.spellings[sample] {
		if len(f.text) > 2 {
			name = strings.ReplaceAll(name, f.text, "\x00")
		}
	}
	return strings.Map(func(r rune) rune {
		if isDigit(r) {
			return '0'
		}
		return r
	}, name)
}
