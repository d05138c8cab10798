package naming

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/value"
)

// An Older reads names that have other shapes than a convention asks for. It must not be
// shared between goroutines.
type Older struct {
	Convention *template.Convention
	own        *pattern.Reader
	values     []value.Value
	shapes     []shape
	forgiving  *Older // reads what this does not, with the words of the patterns in any capitals; nil for none
	forgives   bool
}

// A Reading is what a name of an older shape says. It is valid until the next name is read.
type Reading struct {
	Values template.Values // of the fields of the convention, as far as it says them
	shape  *pattern.Name
}

type shape struct {
	name         *pattern.Name
	reader       *pattern.Reader
	fields       []string
	values       []value.Value
	read         template.Values
	loose, fixed int
}

// NewOlder returns a reader by patterns: see [template.Convention.Shape].
func NewOlder(c *template.Convention, shapes []*pattern.Name) *Older {
	o := &Older{Convention: c, own: c.Pattern.Reader(), values: make([]value.Value, len(c.Fields))}
	for _, name := range shapes {
		s := shape{name: name, reader: name.Reader()}
		s.fields = s.reader.Fields()
		s.values, s.read = make([]value.Value, len(s.fields)), template.Values{}
		s.loose, s.fixed = name.Loose()
		o.shapes = append(o.shapes, s)
	}
	slices.SortStableFunc(o.shapes, func(a, b shape) int {
		return cmp.Or(cmp.Compare(a.loose, b.loose), cmp.Compare(b.fixed, a.fixed))
	})
	return o
}

// Forgiving are the ways to write a pattern in which days, months and numbers have zeros in front, and have none, beside the one
// that it is.
func Forgiving(text string) (others []string) {
	for _, to := range []map[string]string{{"dd": "d", "mm": "m"}, {"d": "dd", "m": "mm"}} {
		other := slots().ReplaceAllStringFunc(text, func(slot string) string {
			name, form, formed := strings.Cut(strings.Trim(slot, "<>"), ":")
			if !formed {
				return slot
			}
			if strings.Trim(form, "0") == "" {
				form = "0"
			}
			return "<" + name + ":" + letterRuns().ReplaceAllStringFunc(form, func(run string) string { return cmp.Or(to[run], run) }) + ">"
		})
		if other != text && !slices.Contains(others, other) {
			others = append(others, other)
		}
	}
	return others
}

var letterRuns = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`d+|m+`) })

// Forgive makes the reader read names that no shape reads once more, by its own shapes and by others, with their words in any
// capitals.
func (o *Older) Forgive(others []*pattern.Name) {
	for i := range o.shapes {
		others = append(others, o.shapes[i].name)
	}
	o.forgiving = NewOlder(o.Convention, others)
	o.forgiving.forgives = true
}

// recased is a name in which the words of the pattern are written as the pattern does.
func (s *shape) recased(stem string) string {
	at := 0
	for _, text := range slots().Split(s.name.Pattern.Source, -1) {
		if !strings.ContainsFunc(text, unicode.IsLetter) {
			continue
		}
		i := at
		for i+len(text) <= len(stem) && !strings.EqualFold(stem[i:i+len(text)], text) {
			i++
		}
		if i+len(text) > len(stem) {
			return stem
		}
		stem = stem[:i] + text + stem[i+len(text):]
		at = i + len(text)
	}
	return stem
}

// Fork returns such a reader for another goroutine.
func (o *Older) Fork() *Older {
	p := *o
	p.own, p.values = o.Convention.Pattern.Reader(), make([]value.Value, len(o.values))
	p.shapes = slices.Clone(o.shapes)
	for i := range p.shapes {
		s := &p.shapes[i]
		s.reader, s.values, s.read = s.name.Reader(), make([]value.Value, len(s.values)), template.Values{}
	}
	if o.forgiving != nil {
		p.forgiving = o.forgiving.Fork()
	}
	return &p
}

// Fits reports whether a name, without its ending, has the convention's shape already.
func (o *Older) Fits(stem string) bool { return o.own.Read(stem, o.values) == nil }

// Own returns what a name says that fits: see [Older.Fits]. It is valid until the next one is read.
func (o *Older) Own() *Reading {
	r := &Reading{template.Values{}, o.Convention.Pattern}
	for i, f := range o.Convention.Fields {
		if o.values[i].Given() {
			r.Values[f.Name] = o.values[i]
		}
	}
	return r
}

// ReadingOf is what some values say that were read from a name by no pattern of a convention.
func ReadingOf(c *template.Convention, values template.Values) *Reading {
	return &Reading{values, c.Pattern}
}

// Read returns what a name of an older shape, without its ending, says. Where
// no shape reads it, or not in one way only, it says where and why.
func (o *Older) Read(stem string) (*Reading, *pattern.Misfit) {
	var closest *pattern.Misfit
	var found *Reading
	for i := range o.shapes {
		s := &o.shapes[i]
		if found != nil && (s.loose != o.shapes[i-1].loose || s.fixed != o.shapes[i-1].fixed) {
			break
		}
		misfit, twice := s.reader.ReadOnce(stem, s.values)
		if misfit != nil && o.forgives {
			if as := s.recased(stem); as != stem {
				if again, other := s.reader.ReadOnce(as, s.values); again == nil {
					misfit, twice = nil, other
				}
			}
		}
		switch {
		case twice:
			return nil, &pattern.Misfit{Message: "it can be read in two ways"}
		case misfit != nil:
			if closest == nil || misfit.Closer(closest) {
				closest = misfit
			}
			continue
		}
		clear(s.read)
		for k, name := range s.fields {
			if slices.ContainsFunc(o.Convention.Fields, func(f *template.Field) bool { return f.Name == name }) && s.values[k].Given() {
				s.read[name] = s.values[k]
			}
		}
		if found != nil && !same(found.Values, s.read) {
			return nil, &pattern.Misfit{Message: "two of the older shapes fit, and say other things"}
		}
		found = &Reading{s.read, s.name}
	}
	if found == nil && o.forgiving != nil {
		if read, misfit := o.forgiving.Read(stem); read != nil || closest == nil {
			return read, misfit
		}
	}
	if found == nil {
		return nil, closest
	}
	return found, nil
}

func same(a, b template.Values) bool {
	if len(a) != len(b) {
		return false
	}
	for name, v := range a {
		if !v.Equal(b[name]) {
			return false
		}
	}
	return true
}

// A LackError says which fields a name still needs.
type LackError struct{ Fields []string }

// Error names them.
func (e *LackError) Error() string {
	text := "nothing says its "
	for i, f := range e.Fields {
		if i > 0 {
			text += ", "
		}
		text += f
	}
	return text
}

// Anew returns the values of a name in the convention's shape: what the older name said,
// and where that is not all, what others know, the first that do. Where nothing says a
// value, spare may. A number that counts on may be lacking. The error is a [LackError], or
// says which of what is said and known contradict each other.
func (o *Older) Anew(read *Reading, spare template.Values, others ...template.Values) (template.Values, error) {
	values := make(template.Values, len(o.Convention.Fields))
	var lack []string
	for _, f := range o.Convention.Fields {
		v, said := read.Values[f.Name]
		whole := said && v.Kind == f.Type.Kind
		for _, known := range others {
			k := known[f.Name]
			if !k.Given() || k.Kind != f.Type.Kind || k.Kind == value.Pending {
				continue
			}
			if said && !read.shape.Agrees(f.Name, v, k) {
				return nil, fmt.Errorf("its name says %s %s, and that is known to be %s", f.Name, v, k)
			}
			if !whole || f.Type.Kind == value.Text {
				v, whole = k, true // a form may have kept less than is known
			}
			break
		}
		if k := spare[f.Name]; !whole && k.Given() && k.Kind == f.Type.Kind && (!said || read.shape.Agrees(f.Name, v, k)) {
			v, whole = k, true
		}
		switch {
		case whole:
			values[f.Name] = v
		case f.Default != nil:
			v, err := f.Parse(*f.Default, time.Time{})
			if err != nil {
				return nil, err
			}
			values[f.Name] = v
		case f.Next == template.Uncounted:
			lack = append(lack, f.Name)
		}
	}
	if len(lack) > 0 {
		return nil, &LackError{lack}
	}
	return values, nil
}
