package upgrade

import (
	"slices"
	"strings"

	"vestibula/core/match"
	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A correspondence says which line of a new template is what became of a line of an
// old one.
type correspondence struct {
	old, new *template.Template
	to       map[*template.Line]*template.Line // from old lines to new ones
	from     map[*template.Line]*template.Line
	also     map[*template.Line]*template.Line // old lines that became one with another
	readers  map[*pattern.Name]*itemReader
}

// An itemReader reads the item of a line that repeats from its names.
type itemReader struct {
	*pattern.Reader
	values []value.Value
	item   int // which of the values; -1 where it does not show
}

// correspond follows the lines of a template by what stayed the same: the names on the
// way and its own; a former name; the name without its number; and the only one left
// with the same slots. Folder is the line that makes a project's own folder by the old one.
func correspond(old, new *template.Template, folder *template.Line) *correspondence {
	c := &correspondence{old, new, map[*template.Line]*template.Line{}, map[*template.Line]*template.Line{}, map[*template.Line]*template.Line{}, map[*pattern.Name]*itemReader{}}
	c.level(old.Top(), new.Top())
	c.paths(old.Top(), new.Top(), folder)
	return c
}

func (c *correspondence) pair(a, b *template.Line) {
	if c.to[a] == nil && c.from[b] == nil {
		c.to[a], c.from[b] = b, a
		c.level(a.Inside(), b.Inside())
	}
}

// into returns the line that an old line became, alone or together with another.
func (c *correspondence) into(old *template.Line) *template.Line {
	if to := c.to[old]; to != nil {
		return to
	}
	return c.also[old]
}

// join notes that a line became one with another that is paired already, and so did
// what lies in it under the same name.
func (c *correspondence) join(a, b *template.Line) {
	if c.to[a] != nil || c.also[a] != nil || a.Each != nil || b.Each != nil {
		return
	}
	c.also[a] = b
	c.level(a.Inside(), b.Inside())
	for _, inside := range a.Inside() {
		for _, to := range b.Inside() {
			if bare(inside) == bare(to) {
				c.join(inside, to)
			}
		}
	}
}

// level pairs lines that lie side by side.
func (c *correspondence) level(old, new []*template.Line) {
	for _, b := range new { // of several former names, the first that there was
		for _, was := range b.Was {
			for _, a := range old {
				if !called(was, source(a)) {
					continue
				}
				if c.to[a] == nil && c.from[b] == nil {
					c.pair(a, b)
				} else {
					c.join(a, b)
				}
			}
		}
	}
	for _, same := range []func(a, b *template.Line) bool{
		func(a, b *template.Line) bool { return source(a) == source(b) && every(a) == every(b) },
		func(a, b *template.Line) bool { return bare(a) == bare(b) && every(a) == every(b) },
		func(a, b *template.Line) bool {
			return slots(a) != "" && slots(a) == slots(b) && every(a) == every(b) && a.Kind == b.Kind
		},
	} {
		for _, a := range old {
			if c.to[a] != nil {
				continue
			}
			var only *template.Line
			several := false
			for _, b := range new {
				if c.from[b] == nil && same(a, b) {
					several = only != nil
					only = b
				}
			}
			if only == nil || several || slices.ContainsFunc(old, func(o *template.Line) bool { return o != a && c.to[o] == nil && same(o, only) }) {
				continue
			}
			c.pair(a, only)
		}
	}
}

// paths pairs lines by former paths in the project, whose own folder a line makes; and
// those that went into another folder under the same name, where there is only one of it.
func (c *correspondence) paths(old, new []*template.Line, folder *template.Line) {
	where := map[string][]*template.Line{}
	var walk func(lines []*template.Line, at string, note func(l *template.Line, at string))
	walk = func(lines []*template.Line, at string, note func(l *template.Line, at string)) {
		for _, l := range lines {
			here := strings.TrimPrefix(at+"/"+bare(l), "/")
			note(l, here)
			walk(l.Inside(), here, note)
		}
	}
	own := ""
	walk(old, "", func(l *template.Line, at string) {
		if l == folder {
			own = at + "/"
		}
		where[strings.TrimPrefix(at, own)] = append(where[strings.TrimPrefix(at, own)], l)
	})
	walk(new, "", func(l *template.Line, _ string) {
		for _, was := range l.Was {
			if !was.Path {
				continue
			}
			var names []string
			for _, n := range was.Names {
				names = append(names, tree.Folded(withoutNumber(n.Pattern.Source)))
			}
			if lines := where[strings.Join(names, "/")]; len(lines) == 1 && c.to[lines[0]] == nil {
				if c.from[l] == nil {
					c.pair(lines[0], l)
				} else {
					c.join(lines[0], l)
				}
			}
		}
	})
	type key struct {
		name, every string
		kind        tree.Kind
	}
	left := func(lines []*template.Line, paired map[*template.Line]*template.Line) map[key][]*template.Line {
		list := map[key][]*template.Line{}
		walk(lines, "", func(l *template.Line, _ string) {
			if paired[l] == nil && c.also[l] == nil {
				k := key{bare(l), every(l), l.Kind}
				list[k] = append(list[k], l)
			}
		})
		return list
	}
	here, there := left(old, c.to), left(new, c.from)
	walk(old, "", func(l *template.Line, _ string) {
		if k := (key{bare(l), every(l), l.Kind}); len(here[k]) == 1 && here[k][0] == l && len(there[k]) == 1 {
			c.pair(l, there[k][0])
		}
	})
}

// called reports whether a former name is that of a line, by its own text.
func called(was template.Former, name string) bool {
	return !was.Path && len(was.Names) == 1 && (was.Names[0].Pattern.Source == name || was.Names[0].Pattern.Source == withoutNumber(name))
}

// source is how the names of a line are written.
func source(l *template.Line) string {
	parts := make([]string, len(l.Names))
	for i, n := range l.Names {
		parts[i] = n.Pattern.Source
	}
	return strings.Join(parts, "/")
}

// bare is the same without the number that counts lines, and small.
func bare(l *template.Line) string { return tree.Folded(withoutNumber(source(l))) }

func withoutNumber(name string) string {
	if strings.HasPrefix(name, "<#") {
		if _, rest, found := strings.Cut(name, ">"); found {
			name = rest
		}
	}
	return tree.Unnumbered(&tree.Node{Name: strings.TrimLeft(name, " .-_)")})
}

// every is what a line repeats for.
func every(l *template.Line) string {
	clause, _ := l.Syntax.Clause("each")
	_, source, _ := strings.Cut(clause.Text, " in ")
	return strings.TrimSpace(source)
}

// slots are the fields of a line's names, but for the number that counts lines.
func slots(l *template.Line) string {
	var fields []string
	for _, n := range l.Names {
		for _, slot := range n.Pattern.Slots() {
			if slot != pattern.OwnNumber {
				fields = append(fields, slot)
			}
		}
	}
	slices.Sort(fields)
	return strings.Join(fields, " ")
}

// follows returns what [match.Wanted] asks: whether a real entry is a wanted thing, by
// the lines that both come from and, of lines that repeat, by their items, which may have been renamed.
func (c *correspondence) follows(renamed map[string]map[string]renamedItem) func(want, real *tree.Node) match.Following {
	return func(want, real *tree.Node) match.Following {
		a, b := c.old.LineOf(real), c.new.LineOf(want)
		if a == nil || b == nil {
			return match.Unsaid
		}
		is := false
		switch to := c.to[a]; {
		case to == nil && c.also[a] == b:
			return match.AlsoThis
		case to == nil && c.also[a] != nil:
			return match.NotThis
		case to == nil && c.from[b] == nil:
			return match.Unsaid // a line that went and one that came: names may tell
		case to != b:
		case b.Each == nil:
			is = want.Nth == real.Nth
		default:
			x, y := c.item(a, real), c.item(b, want)
			if !x.Given() || !y.Given() {
				return match.Unsaid // the item shows in no name
			}
			from, to := tree.Folded(x.String()), tree.Folded(y.String())
			is = x.Equal(y) || from == to
			_, list, _, _ := b.Repeats()
			if r, another := renamed[list][from]; another && r.to == to {
				if !r.sure {
					return match.MayBeThis
				}
				is = true
			}
		}
		if is {
			return match.JustThis
		}
		return match.NotThis
	}
}

// item reads the item of a line that repeats from a name.
func (c *correspondence) item(l *template.Line, n *tree.Node) value.Value {
	if int(n.Nth) >= len(l.Names) {
		return value.Value{}
	}
	name := l.Names[n.Nth]
	r := c.readers[name]
	if r == nil {
		field, _, _, _ := l.Repeats()
		r = &itemReader{Reader: name.Reader(), item: -1}
		r.values = make([]value.Value, len(r.Fields()))
		if field != "" {
			r.item = slices.Index(r.Fields(), field)
		}
		c.readers[name] = r
	}
	if r.item < 0 || r.Read(n.Name, r.values) != nil {
		return value.Value{}
	}
	return r.values[r.item]
}
