package draft

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A convention is how some files are named.
type convention struct {
	name    string
	pattern string
	own     []ownField
	endings []string
}

// An ownField is a slot of a convention's own.
type ownField struct {
	name string
	of   []string // the codes of a choice
	next bool     // a number that counts on
}

// A found file is one whose name may be of a convention.
type found struct {
	instance int
	node     *tree.Node
	stem     string // as it may be read, with slots of known values
}

// leastNames is how many names tell a convention.
const leastNames = 3

// conventions finds the spellings in which names of files are written that no line stands for:
// counting are those alone of which there are more in one folder than in another, which
// cannot be names that all have.
func (m *meeting) conventions(counting bool) {
	if counting && !slices.ContainsFunc(m.rest, func(rest []*tree.Node) bool { return several(rest) }) {
		return
	}
	for {
		clusters := map[string][]found{}
		for i, rest := range m.rest {
			for _, n := range rest {
				if n.Kind != tree.File {
					continue
				}
				stem := stemOf(n.Name)
				seen := map[string]bool{}
				for _, reading := range m.readings(m.instances[i], stem) {
					if key := shapeOf(reading); key != "" && !seen[key] {
						seen[key] = true
						clusters[key] = append(clusters[key], found{i, n, reading})
					}
				}
			}
		}
		keys := slices.Collect(maps.Keys(clusters))
		slices.SortFunc(keys, func(a, b string) int {
			return cmp.Or(len(clusters[b])-len(clusters[a]), strings.Count(b, "<")-strings.Count(a, "<"), strings.Compare(a, b))
		})
		best := slices.IndexFunc(keys, func(key string) bool {
			list := clusters[key]
			return len(list) >= leastNames && slices.ContainsFunc(list, func(f found) bool { return f.stem != list[0].stem }) && (!counting || m.counts(list))
		})
		if best < 0 {
			return
		}
		m.addConvention(clusters[keys[best]])
	}
}

// several reports whether there are two files among some nodes.
func several(list []*tree.Node) bool {
	n := 0
	for _, c := range list {
		if c.Kind == tree.File {
			n++
		}
	}
	return n > 1
}

// counts reports whether there are several of some names in a folder, and not as many in
// each.
func (m *meeting) counts(list []found) bool {
	in := make([]int, len(m.instances))
	for _, f := range list {
		in[f.instance]++
	}
	slices.Sort(in)
	return in[0] != in[len(in)-1] && in[len(in)-1] > 1 && in[len(in)/2] > 1
}

// stemOf is a name without its ending.
func stemOf(name string) string {
	if e := template.Extension(name); e != "" {
		return name[:len(name)-len(e)-1]
	}
	return name
}

// shapeOf is what names of one convention have in common: signs, known values, and the
// kinds of what differs. It is empty where only words are in it.
func shapeOf(stem string) string {
	var b strings.Builder
	narrow, words := false, false
	for _, t := range tokens(stem) {
		switch {
		case calendar(t.kind):
			b.WriteString("{" + t.kind + t.form + "}")
			narrow = true
		case t.kind == "number":
			b.WriteString("{number}")
			narrow = true
		case t.kind == word && words: // of several words, one stands for all
			continue
		case t.kind == word:
			b.WriteString("{words}")
		case words && t.text == " ":
			continue
		default:
			b.WriteString(t.text)
		}
		words = t.kind == word
	}
	shape := b.String()
	if !narrow {
		return ""
	}
	return shape
}

// addConvention adds the convention of some names to those that the folder holds.
func (m *meeting) addConvention(list []found) {
	var stems []string
	for _, f := range list {
		stems = append(stems, f.stem)
	}
	c := &convention{}
	used := map[string]bool{}
	free := func(names ...string) string {
		for _, n := range names {
			if !m.taken[n] && !used[n] {
				used[n], m.own[n] = true, true
				return n
			}
		}
		return m.free(names[0])
	}
	pieces := infer(stems)
	for i, p := range pieces {
		switch {
		case p.kind == "":
			c.pattern += p.literal
		case p.kind == "number":
			own := ownField{name: free("n", "number", "count"), next: i == len(pieces)-1}
			c.own = append(c.own, own)
			c.pattern += slot(own.name, p.form)
		case calendar(p.kind):
			c.pattern += slot(free(map[string][]string{"date": {"day", "date", "on"}, "month": {"month", "of"}, "quarter": {"quarter", "of"}, "week": {"week", "of"}, "year": {"year", "of"}}[p.kind]...), cmp.Or(p.form, usualForms[p.kind]))
		default:
			of := distinct(p.values)
			single := !slices.ContainsFunc(of, func(s string) bool {
				return s == "" || strings.ContainsFunc(s, func(r rune) bool { return !isLetter(r) })
			})
			if single && len(of)*3 <= len(stems) && len(of) <= 12 && apart(of) {
				own := ownField{name: free("kind", "part", "what"), of: of}
				c.own = append(c.own, own)
				c.pattern += slot(own.name, "")
				continue
			}
			c.pattern += slot(free("topic", "text", "about"), styleOf(p.values))
		}
	}
	for _, f := range list {
		if e := strings.ToLower(template.Extension(f.node.Name)); e != "" && !slices.Contains(c.endings, e) {
			c.endings = append(c.endings, e)
		}
		m.take(f.instance, f.node)
	}
	slices.Sort(c.endings)
	if at := slices.IndexFunc(m.names, func(o *convention) bool { return o.pattern == c.pattern }); at >= 0 {
		m.names[at].endings = distinct(append(m.names[at].endings, c.endings...))
		m.hold(m.names[at].name)
		return
	}
	c.name = m.conventionName(pieces)
	m.names = append(m.names, c)
	m.hold(c.name)
}

// apart reports whether no two codes differ in capitals alone.
func apart(codes []string) bool {
	for i, code := range codes {
		if slices.ContainsFunc(codes[:i], func(o string) bool { return strings.EqualFold(o, code) }) {
			return false
		}
	}
	return true
}

// usualForms are how days and periods are written by themselves. In a convention the type
// of a slot follows from its form, so that it cannot be left out.
var usualForms = map[string]string{"date": "yyyy-mm-dd", "month": "yyyy-mm", "quarter": "yyyy-Qq", "week": "yyyy-Www", "year": "yyyy"}

// hold adds what a convention names to what the folder of the meeting holds.
func (m *meeting) hold(name string) {
	for i, c := range m.parent.clauses {
		if strings.HasPrefix(c, "holds: ") {
			if !slices.Contains(strings.Split(strings.TrimPrefix(c, "holds: "), ", "), name) {
				m.parent.clauses[i] += ", " + name
			}
			return
		}
	}
	m.parent.clauses = append(m.parent.clauses, "holds: "+name)
}

// conventionName is a word that all its names have, else one for the folder that they lie in.
func (m *meeting) conventionName(pieces []piece) string {
	var name string
	for _, p := range pieces {
		for _, t := range tokens(p.literal) {
			if p.kind == "" && t.kind == word && len(t.text) > 2 {
				name = slugged(t.text)
			}
		}
	}
	if name == "" {
		name = singular(slugOf(m.parent.name))
	}
	name = named(cmp.Or(name, "file"))
	as := name
	for n := 2; slices.ContainsFunc(m.names, func(c *convention) bool { return c.name == as }) || m.taken[as] && n < 100; n++ {
		as = name + "-" + string(rune('0'+n%10))
	}
	return as
}

// styleOf is the form in which all texts are written; empty where there is none, or
// where they could be written in several.
func styleOf(texts []string) string {
	joined := slices.ContainsFunc(texts, func(s string) bool { return strings.ContainsAny(s, "-_") })
	for _, p := range []string{"like-this", "like_this"} {
		if joined && !slices.ContainsFunc(texts, func(s string) bool { return !pattern.Looks(s, p) }) {
			return p
		}
	}
	return ""
}
