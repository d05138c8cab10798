package pattern

import (
	"fmt"
	"unicode/utf8"

	"vestibula/core/value"
)

// Longest returns how many characters a name can have. A text without a `max`
// counts as usual.
func (n *Name) Longest(usual int) int {
	total := 0
	for i := range n.parts {
		b := &n.parts[i]
		if b.name == "" {
			total += width(b.text)
			continue
		}
		for k := range b.form.tokens {
			total += b.form.tokens[k].longest(b.field.Type, usual)
		}
	}
	return total
}

func (t *token) longest(typ *value.Type, usual int) int {
	switch t.op {
	case literal:
		return width(t.text)
	case digits:
		if t.part == partNumber && typ.Max == nil {
			return max(t.width, 6) // nobody counts to a million by hand
		}
		return t.most()
	case letters:
		return 3
	case oneOf:
		most := 0
		for _, w := range t.words {
			most = max(most, utf8.RuneCountInString(w))
		}
		return most
	}
	switch {
	case t.part == partInitials:
		return 4
	case typ.Max != nil:
		return *typ.Max
	}
	return usual
}

// A Disorder says why names do not sort by their first date or number.
type Disorder struct {
	Message, Help string
	Grouped       bool // they do so within groups of another slot
}

// Sorts decides whether names sort by their first date or number in each of the
// list orders, other things being equal. Constant says which fields are the same
// for all names that lie together; what stands before the first date or number
// must be one of these. It returns nil where they do, or where there is neither.
func (n *Name) Sorts(constant func(field string) bool) *Disorder {
	before := ""
	for i := range n.parts {
		b := &n.parts[i]
		if b.name == "" {
			continue
		}
		k := b.field.Type.Kind
		if k == value.Number || k.Calendar() {
			if d := b.form.disorder(b.name); d != nil {
				return d
			}
			if before != "" {
				return &Disorder{fmt.Sprintf("a list of these names is sorted by <%s> before <%s>", before, b.name),
					fmt.Sprintf("if you look for them by <%s>, let it stand first", b.name), true}
			}
			return nil
		}
		if before == "" && !constant(b.name) {
			before = b.name
		}
	}
	return nil
}

// rank is the size of the time that a part of a date tells.
var rank = map[part]int{partSchool: 1, partSchoolShort: 1, partYear: 1, partYearShort: 1, partQuarter: 2, partPlace: 2, partMonth: 3, partWeek: 3, partDay: 4, partWeekday: 4}

// disorder says why a form does not sort by its value.
func (p *Form) disorder(name string) *Disorder {
	last, better := 0, fmt.Sprintf("write <%s:%s>", name, plainForms[p.typ.Kind])
	for i := range p.tokens {
		t := &p.tokens[i]
		switch {
		case t.op == literal:
			continue
		case t.part == partYear && last == 0 && p.typ.NewYear > 0:
			return &Disorder{Message: fmt.Sprintf("<%s> begins with the calendar year, and its terms cross the new year: of one year, %s would stand before %s", name, p.typ.Of[0].Code, p.typ.Of[p.typ.NewYear-1].Code), Help: fmt.Sprintf("write <%s:yyyy-yy 0 Name>", name)}
		case t.part == partNumber && t.op == letters:
			return nil
		case t.part == partNumber:
			if t.width == 1 && t.most() > 1 {
				return &Disorder{Message: fmt.Sprintf("<%s> has no zeros in front: lists that compare digit by digit put 10 before 2", name), Help: fmt.Sprintf("write <%s:00>", name)}
			}
			return nil
		case t.op == oneOf && last < rank[t.part] && t.part != partWeekday && t.part != partPlace || t.part == partWeekday && last < 4:
			return &Disorder{Message: fmt.Sprintf("<%s> is shown by a word, and words sort by their letters, April before January", name), Help: better}
		case t.op == digits && t.width < t.most():
			return &Disorder{Message: fmt.Sprintf("<%s> has days or months without a zero in front: 10 comes before 2", name), Help: better}
		case rank[t.part] < last:
			return &Disorder{Message: fmt.Sprintf("<%s> does not begin with the year: a list puts all first days of a month together", name), Help: better}
		case last == 0 && rank[t.part] > 1 && p.hasYear():
			return &Disorder{Message: fmt.Sprintf("<%s> does not begin with the year, so a list mixes the years", name), Help: better}
		}
		last = rank[t.part]
	}
	return nil
}

func (p *Form) hasYear() bool {
	for i := range p.tokens {
		if rank[p.tokens[i].part] == 1 {
			return true
		}
	}
	return false
}
