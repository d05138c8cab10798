package draft

import (
	"cmp"
	"maps"
	"slices"
	"strconv"
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
	none bool     // a text that need not be there
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
				stem, _ := tree.Split(n.Name)
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
		if len(m.names) >= template.MaxConventions {
			return // these folders have too little in common
		}
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
	free := m.freeOf()
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
		if e := strings.ToLower(tree.Extension(f.node.Name)); e != "" && !slices.Contains(c.endings, e) {
			c.endings = append(c.endings, e)
		}
		m.take(f.instance, f.node)
	}
	slices.Sort(c.endings)
	m.names = m.hold(m.parent, c, func() string { return m.conventionName(pieces) })
}

// freeOf returns what gives the slots of one convention names that no field has.
func (l *learner) freeOf() func(names ...string) string {
	used := map[string]bool{}
	return func(names ...string) string {
		for _, n := range names {
			if !l.taken[n] && !used[n] {
				used[n], l.own[n] = true, true
				return n
			}
		}
		return l.free(names[0])
	}
}

// dated adds the conventions of files whose names say their day in several ways to what a line holds.
func (l *learner) dated(ln *line, list []*dated) {
	for _, d := range list {
		free := l.freeOf()
		c := &convention{pattern: slot(free("day", "date", "on"), usualForms["date"]), endings: []string{d.ending}}
		who := slices.IndexFunc(l.fields, func(f *field) bool { return d.who != nil && slices.Equal(f.values, d.who) })
		if who >= 0 { // else the word stays in the topic: what joins a text that need not be there goes with it
			if d.word != "" {
				c.pattern += " " + d.word
			}
			c.pattern += " " + slot(l.fields[who].name, "like-this")
		}
		topic := free("topic", "text", "about")
		c.own, c.pattern = []ownField{{name: topic, none: true}}, c.pattern+" "+slot(topic, "")
		l.names = l.hold(ln, c, func() string {
			return l.freeConvention(named(cmp.Or(slugged(d.word), singular(slugOf(ln.name)), "file")))
		})
	}
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

// hold adds a convention to those that there are, which it returns, and to what a line holds: one with its pattern,
// where there is one.
func (l *learner) hold(ln *line, c *convention, name func() string) []*convention {
	names := l.names
	if at := slices.IndexFunc(names, func(o *convention) bool { return o.pattern == c.pattern }); at >= 0 {
		names[at].endings = distinct(append(names[at].endings, c.endings...))
		c = names[at]
	} else {
		c.name = name()
		names = append(names, c)
	}
	for i, clause := range ln.clauses {
		if held, is := strings.CutPrefix(clause, "holds: "); is {
			if !slices.Contains(strings.Split(held, ", "), c.name) {
				ln.clauses[i] += ", " + c.name
			}
			return names
		}
	}
	ln.clauses = append(ln.clauses, "holds: "+c.name)
	return names
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
	return m.freeConvention(named(cmp.Or(name, "file")))
}

// freeConvention is that name, or one like it that no convention has.
func (l *learner) freeConvention(name string) string {
	as := name
	for n := 2; l.taken[as] || slices.ContainsFunc(l.names, func(c *convention) bool { return c.name == as }); n++ {
		as = name + "-" + strconv.Itoa(n)
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
