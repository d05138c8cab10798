package next

import (
	"path"
	"slices"
	"strings"
	"time"

	"vestibula/core/naming"
	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// names finds out what the files in a folder are called in the new period: what belongs to another
// one, which gets a new name, goes with it.
func (p *planner) names(n *tree.Node, at string) {
	renamed := map[string][2]string{}
	for _, c := range n.Children {
		if c.Kind == tree.Folder {
			continue
		}
		name, read := p.named(path.Base("/"+at), c.Name)
		p.called[c] = carried{name, read}
		if name != c.Name {
			renamed[c.Name], renamed[naming.Unended(c.Name)] = [2]string{c.Name, name}, [2]string{c.Name, name}
		}
	}
	for _, c := range n.Children {
		if of := renamed[naming.Unended(c.Name)]; of[0] != "" && !p.called[c].read {
			if along := naming.Along(c.Name, of[0], of[1], false); along != "" {
				p.called[c] = carried{along, true}
			}
		}
	}
}

// A carried file has a name in the new period; read says that it follows from its own.
type carried struct {
	name string
	read bool
}

// named is the name of a file in the new period: one that a convention reads is written
// with the new values, others stay as they are.
func (p *planner) named(folder, name string) (now string, read bool) {
	conv, values, misfit := p.reads.Read(folder, name)
	if misfit != nil || conv == nil {
		return name, false
	}
	next := template.Values{}
	for i, f := range conv.Fields {
		v := values[i]
		if !v.Given() {
			continue
		}
		next[f.Name] = p.moved(conv, f, v)
	}
	stem, _ := tree.Split(name)
	made, _, err := conv.Write(next)
	if err != nil {
		return name, false
	}
	made += name[len(stem):]
	if naming.Check(conv, made, next) != nil {
		return name, false
	}
	return made, true
}

// moved is the value that a field of a name has in the new period.
func (p *planner) moved(conv *template.Convention, f *template.Field, v value.Value) value.Value {
	if was, is := p.Old[f.Name], p.New[f.Name]; was.Given() && is.Given() && v.Kind == f.Type.Kind && conv.Pattern.Agrees(f.Name, v, was) {
		return is
	}
	if longer := f.Within; longer != "" {
		if was, is := p.Old[longer], p.New[longer]; was.Given() && is.Given() {
			return Shifted(v, was, is, &f.Type)
		}
	}
	return v
}

// Shifted is a time that lies in a period, as far into another one. A day past the end of
// a month is its last.
func Shifted(v, was, is value.Value, t *value.Type) value.Value {
	months := (int(is.Year)-int(was.Year))*12 + firstMonth(is) - firstMonth(was)
	switch v.Kind {
	case value.Date:
		first := time.Date(int(v.Year), time.Month(int(v.Part)+months), 1, 0, 0, 0, 0, time.UTC)
		day := min(int(v.Day), value.DaysIn(first.Year(), int(first.Month())))
		w := v
		w.Year, w.Part, w.Day = int16(first.Year()), uint8(first.Month()), uint8(day)
		if was.Kind == value.Week {
			return value.OfDate(v.Time().Add(is.Time().Sub(was.Time())))
		}
		return w
	case value.Month:
		w, ok := v.Shift(months, t)
		if ok {
			return w
		}
	case value.Quarter:
		if w, ok := v.Shift(months/3, t); ok {
			return w
		}
	case value.Week:
		if w, ok := v.Shift(int(is.Time().Sub(was.Time()).Hours()/24/7), t); ok {
			return w
		}
	}
	return v
}

// firstMonth is the month that a period begins in, from 1.
func firstMonth(v value.Value) int {
	switch v.Kind {
	case value.Month:
		return int(v.Part)
	case value.Quarter:
		return 3*int(v.Part) - 2
	}
	return 1
}

// texts are the texts of values that change, as the names of the template and its
// conventions write them.
func (p *planner) texts() (texts []string) {
	var names []*pattern.Name
	for _, l := range p.Template.Lines {
		names = append(names, l.Names...)
	}
	for _, c := range p.Template.Names {
		names = append(names, c.Pattern)
	}
	for _, f := range p.Template.Fields {
		was, is := p.Old[f.Name], p.New[f.Name]
		if !was.Given() || !is.Given() || was.Equal(is) || was.Kind == value.List {
			continue
		}
		texts = append(texts, was.String())
		for _, n := range names {
			if !slices.Contains(n.Pattern.Slots(), f.Name) {
				continue
			}
			if text, ok := n.TextOf(f.Name, was, false); ok && len(text) > 1 {
				texts = append(texts, text)
			}
		}
	}
	slices.Sort(texts)
	return slices.Compact(texts)
}

// holds reports whether a text stands in a name by itself, not as a part of a longer
// number or word.
func holds(name, text string) bool {
	for at := 0; ; {
		i := strings.Index(name[at:], text)
		if i < 0 {
			return false
		}
		i += at
		end := i + len(text)
		if (i == 0 || !joined(name[i-1], text[0])) && (end == len(name) || !joined(text[len(text)-1], name[end])) {
			return true
		}
		at = i + 1
	}
}

// joined reports whether two characters belong to one number or one word.
func joined(a, b byte) bool {
	digit := func(c byte) bool { return c >= '0' && c <= '9' }
	letter := func(c byte) bool { return c|0x20 >= 'a' && c|0x20 <= 'z' || c >= 0x80 }
	return digit(a) && digit(b) || letter(a) && letter(b)
}
