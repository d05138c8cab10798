package naming

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Series is what a number counts on in: the names that one pattern makes, apart for
// each value of another where there is one. It must not be shared between goroutines.
type Series struct {
	Name    string // of the convention; empty of projects
	Field   *template.Field
	name    *pattern.Name
	per     *pattern.Name
	files   bool     // that bear the names, with endings of their own
	endings []string // that it is for; none means all
	reader  *pattern.Reader
	fields  []string
	values  []value.Value // that were read last
	at      int           // of the number among them
}

// NewSeries returns the series of a field that counts on in the names of a pattern,
// apart for each value of per, which may be nil.
func NewSeries(f *template.Field, name, per *pattern.Name) *Series {
	s := &Series{Field: f, name: name, per: per, reader: name.Reader()}
	s.fields = s.reader.Fields()
	s.values = make([]value.Value, len(s.fields))
	s.at = slices.Index(s.fields, f.Name)
	return s
}

// SeriesOf returns the series of a convention, or nil where none of its fields counts on.
func SeriesOf(c *template.Convention) *Series {
	f := c.NextField()
	if f == nil {
		return nil
	}
	s := NewSeries(f, c.Pattern, c.Per)
	s.Name, s.files, s.endings = c.Name, true, c.For
	return s
}

// Read returns the number in a name, its ending included where it is that of a file,
// and what it counts apart for.
func (s *Series) Read(name string) (n int, apart string, ok bool) {
	if s.at < 0 || s.reader.Read(name, s.values) != nil {
		return 0, "", false
	}
	return s.Number(s.values), s.Apart(s.values), true
}

// Number is that among the values which a name was read into.
func (s *Series) Number(values []value.Value) int { return values[s.at].Number }

// Apart is what the values that a name was read into count apart for.
func (s *Series) Apart(values []value.Value) string {
	return s.apart(func(slot string) value.Value {
		if i := slices.Index(s.fields, slot); i >= 0 {
			return values[i]
		}
		return value.Value{}
	})
}

func (s *Series) apart(lookup func(slot string) value.Value) string {
	if s.per == nil {
		return ""
	}
	text, _, err := s.per.Write(lookup, 1)
	if err != nil {
		return ""
	}
	return text
}

// Within is what values that a name is to be made of count apart for: as they are read
// back from it, since a name can show less than is known.
func (s *Series) Within(values template.Values) string {
	lookup := func(slot string) value.Value {
		if slot == s.Field.Name {
			return value.OfNumber(s.least())
		}
		return values[slot]
	}
	if name, _, err := s.name.Write(lookup, 2); s.per != nil && err == nil {
		if _, apart, ok := s.Read(name); ok {
			return apart
		}
	}
	return s.apart(lookup)
}

func (s *Series) least() int {
	if s.Field.Type.Min != nil {
		return *s.Field.Type.Min
	}
	return 1
}

// Fits returns an error where a number is beyond those that the field takes.
func (s *Series) Fits(n int) error {
	if most := s.Field.Type.Max; most != nil && n > *most {
		return fmt.Errorf("no number is left for \"%s\": it goes up to %d, and that is taken", s.Field.Name, *most)
	}
	return nil
}

// Next returns the number that follows the highest one among names that count together with these values; or the smallest that the field
// takes. Odd are names that the series is for and cannot read, although they hold a
// number: they were not counted.
func (s *Series) Next(values template.Values, names []string) (next int, odd []string) {
	free, odd := s.free(names)
	return max(s.least(), free[s.Within(values)]), odd
}

// free are the numbers that follow the highest ones among names, by what they count apart for.
func (s *Series) free(names []string) (free map[string]int, odd []string) {
	free = map[string]int{}
	for _, name := range names {
		name = path.Base(name)
		stem, ending := name, ""
		if s.files {
			stem, ending = tree.Split(name)
		}
		if len(s.endings) > 0 && !slices.Contains(s.endings, ending) {
			continue
		}
		if n, apart, ok := s.Read(stem); ok {
			free[apart] = max(free[apart], n+1)
			continue
		}
		if strings.ContainsAny(stem, "0123456789") && stem[0] != '.' {
			odd = append(odd, name)
		}
	}
	return free, odd
}

// Numbers are the next numbers of series, each in the place in which it counts. The zero value knows none yet.
type Numbers struct{ counted map[string]*counted }

type counted struct {
	free map[string]int
	err  error
}

// Next is the next number for values in a place; take says that it is used. Names returns those that it counts
// on from, and is asked once for each place. The error is the one of names, or says that no number is left.
func (n *Numbers) Next(s *Series, place string, values template.Values, names func() ([]string, error)) (next int, take func(), err error) {
	key := strings.Join([]string{s.Name, s.Field.Name, place}, "\x00")
	c := n.counted[key]
	if c == nil {
		list, err := names()
		c = &counted{err: err}
		c.free, _ = s.free(list)
		if n.counted == nil {
			n.counted = map[string]*counted{}
		}
		n.counted[key] = c
	}
	if c.err != nil {
		return 0, nil, c.err
	}
	apart := s.Within(values)
	next = max(s.least(), c.free[apart])
	return next, func() { c.free[apart] = next + 1 }, s.Fits(next)
}
