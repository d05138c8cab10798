package template

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/value"
)

// A loop is `each: x in SOURCE`.
type loop struct {
	name  string
	index int // of the item among all values
	typ   *value.Type
	at    outline.Pos // of the source
	width int
	// The source: a list field, a list written out, or a range.
	field    int    // -1 where it is no field
	of       string // the name of that field
	list     []value.Value
	from, to end
}

// An end is one end of a range: a value, or one that comes from fields.
type end struct {
	fixed value.Value
	field int           // of a number field that stands alone, or -1
	of    string        // the name of that field
	step  int           // so many steps after its value
	name  *pattern.Name // of an end such as <year>-01
}

// items is what a loop runs over for given values. Known is false where a value
// that it depends on is not.
type items struct {
	first value.Value // of a range
	list  []value.Value
	count int
	known bool
}

// at returns the i-th item; the previous one speeds up ranges.
func (it *items) at(i int, previous value.Value) value.Value {
	switch {
	case !it.known:
		return value.Value{}
	case it.list != nil:
		return it.list[i]
	case i == 0:
		return it.first
	}
	return previous.Next()
}

// items evaluates the source of the loop.
func (l *loop) items(env []value.Value) (items, error) {
	if l.list != nil {
		return items{list: l.list, count: len(l.list), known: true}, nil
	}
	if l.field >= 0 {
		v := env[l.field]
		if !v.Given() {
			return items{count: 1}, nil
		}
		return items{list: v.Items, count: len(v.Items), known: true}, nil
	}
	from, err := l.from.value(env, l.typ)
	if err != nil {
		return items{}, err
	}
	to, err := l.to.value(env, l.typ)
	if err != nil {
		return items{}, err
	}
	if !from.Given() || !to.Given() {
		return items{count: 1}, nil
	}
	for _, v := range []value.Value{from, to} {
		if v.Kind == value.Pending {
			return items{}, fmt.Errorf("how often this repeats is not known: \"%s\" is still %s", v.Text, value.Open)
		}
	}
	n := from.Distance(to)
	if n < 0 {
		// 1..0 is how "none at all" is written with a number field.
		if from.Kind == value.Number && n == -1 && l.to.field >= 0 {
			return items{list: []value.Value{}, known: true}, nil
		}
		return items{}, fmt.Errorf("this range runs backwards: %s comes after %s", from, to)
	}
	return items{first: from, count: n + 1, known: true}, nil
}

func (e *end) value(env []value.Value, t *value.Type) (value.Value, error) {
	switch {
	case e.name != nil:
		filling := pattern.Filling{Values: env}
		text, err := e.name.Append(nil, &filling)
		if err != nil || filling.Open {
			return value.Value{}, err
		}
		v, err := parseEnd(endType(t), string(text), true)
		if err != nil {
			return v, fmt.Errorf("an end of this range %w", err)
		}
		return v, nil
	case e.field >= 0 && e.step != 0 && env[e.field].Given() && !env[e.field].Empty() && env[e.field].Kind != value.Pending:
		v, ok := env[e.field].Shift(e.step, t)
		if !ok {
			return v, fmt.Errorf("nothing lies so far from %s", env[e.field])
		}
		return v, nil
	case e.field >= 0:
		return env[e.field], nil
	}
	return e.fixed, nil
}

// parseEnd reads one end of a range. The 53rd week of a year that has only 52 is the
// last one.
func parseEnd(t *value.Type, text string, slots bool) (value.Value, error) {
	v, err := t.Parse(text, time.Time{})
	if year, last := strings.CutSuffix(text, "-W53"); err != nil && last && t.Kind == value.Week {
		return t.Parse(year+"-W52", time.Time{})
	}
	if err == nil || t.Kind != value.Date || len(text) < 3 || !slots {
		return v, err
	}
	// A day past the end of its month is the last one there, as with steps.
	month, day := text[:len(text)-3], text[len(text)-3:]
	for slices.Contains([]string{"-31", "-30", "-29"}, day) {
		day = map[string]string{"-31": "-30", "-30": "-29", "-29": "-28"}[day]
		if last, wrong := t.Parse(month+day, time.Time{}); wrong == nil {
			return last, nil
		}
	}
	return v, err
}

// endType is the type without the bounds that its items have.
func endType(t *value.Type) *value.Type { return &value.Type{Kind: t.Kind} }

// loop reads `x in SOURCE`. The scope is that of the lines above.
func (c *compiler) loop(s *scope, line *outline.Line, clause outline.Clause) *loop {
	at := line.TextPos(clause)
	name, source, found := cutWord(clause.Text, "in")
	if !found || !outline.IsWord(name) {
		c.fail(at, len([]rune(clause.Text)), "this does not say what to repeat for", "write `each: item in list`, or `each: n in 1..12`")
		return nil
	}
	if i := c.fieldIndex(name); i >= 0 {
		c.fail(at, len([]rune(name)), fmt.Sprintf("\"%s\" is already the name of a field", name), "choose another word for the item")
	}
	skipped := len([]rune(clause.Text)) - len([]rune(source))
	l := &loop{name: name, index: c.loopIndex(s), field: -1, at: outline.Pos{Line: at.Line, Column: at.Column + skipped}, width: len([]rune(source))}
	l.from.field, l.to.field = -1, -1
	if from, to, isRange := strings.Cut(source, ".."); isRange {
		c.rangeSource(s, l, strings.TrimSpace(from), strings.TrimSpace(to))
	} else {
		c.listSource(s, l, source)
	}
	if l.typ == nil {
		l.typ = &value.Type{} // told already; its slots are not told once more
	}
	return l
}

// cutWord splits a text at the first word that stands between blanks.
func cutWord(text, word string) (before, after string, found bool) {
	before, after, found = strings.Cut(text, " "+word+" ")
	return strings.TrimSpace(before), strings.TrimSpace(after), found
}

func (c *compiler) listSource(s *scope, l *loop, source string) {
	if !strings.Contains(source, ",") {
		b, ok := c.find(s, source)
		switch {
		case ok && b.Type.Kind == value.List:
			l.field, l.of, l.typ = b.Index, source, &value.Type{Kind: value.Text}
		case ok && b.Type.Kind == value.Number:
			c.fail(l.at, l.width, fmt.Sprintf("\"%s\" is a number, not a list", source), fmt.Sprintf("write 1..%s", source))
		case ok:
			c.fail(l.at, l.width, fmt.Sprintf("\"%s\" is a %s, not a list", source, b.Type.Kind), "give the field `type: list`")
		default:
			help := outline.Meant(source, c.listFields(), "name a list field, or write a range such as 1..12, or items with commas between")
			c.fail(l.at, l.width, fmt.Sprintf("there is no list called \"%s\"", source), help)
		}
		return
	}
	l.typ = &value.Type{Kind: value.Text}
	var texts []string
	for item := range strings.SplitSeq(source, ",") {
		if item = strings.TrimSpace(item); item == "" {
			c.fail(l.at, l.width, "an item is missing between two commas", "")
			return
		}
		texts = append(texts, item)
	}
	v, err := value.NewList(texts)
	if err != nil {
		c.fail(l.at, l.width, "this list "+err.Error(), "")
		return
	}
	l.list = v.Items
}

func (c *compiler) listFields() []string {
	var names []string
	for _, f := range c.t.Fields {
		if f.Type.Kind == value.List {
			names = append(names, f.Name)
		}
	}
	return names
}

// rangeSource settles the kind of a range from what its ends look like.
func (c *compiler) rangeSource(s *scope, l *loop, from, to string) {
	if strings.HasPrefix(to, ".") {
		c.fail(l.at, l.width, "a range has two dots", "write 1..12")
		return
	}
	fromType, okFrom := c.rangeEnd(s, l, &l.from, from)
	toType, okTo := c.rangeEnd(s, l, &l.to, to)
	switch {
	case !okFrom || !okTo:
		return
	case fromType.Kind != toType.Kind || fromType.Letter != toType.Letter:
		// A year can be meant as a number: 1..weeks, but also 2025..year.
		if fromType.Kind == value.Number && toType.Kind == value.Year && l.from.fixed.Given() {
			l.from.fixed = value.Value{Kind: value.Year, Year: int16(min(l.from.fixed.Number, value.MaxYear))}
			fromType = toType
		} else if toType.Kind == value.Number && fromType.Kind == value.Year && l.to.fixed.Given() {
			l.to.fixed = value.Value{Kind: value.Year, Year: int16(min(l.to.fixed.Number, value.MaxYear))}
		} else {
			c.fail(l.at, l.width, fmt.Sprintf("the ends of this range are of two kinds, a %s and a %s", fromType.Kind, toType.Kind), "write both in the same way")
			return
		}
	}
	l.typ = &value.Type{Kind: fromType.Kind, Letter: fromType.Letter, Months: fromType.Months, Language: c.t.Language}
	if l.typ.Kind == value.Number {
		lo, hi := fromType.Min, toType.Max
		if l.from.fixed.Given() {
			lo = &l.from.fixed.Number
		}
		if l.to.fixed.Given() {
			hi = &l.to.fixed.Number
		}
		l.typ.Min, l.typ.Max = lo, hi
	}
	if l.from.fixed.Given() && l.to.fixed.Given() && l.from.fixed.Distance(l.to.fixed) < 0 {
		c.fail(l.at, l.width, fmt.Sprintf("this range runs backwards: %s comes after %s", from, to), fmt.Sprintf("write %s..%s", to, from))
	}
}

// slotEnd reads an end of a range that has slots, and writes one as a sample.
func (c *compiler) slotEnd(s *scope, l *loop, text string) (name *pattern.Name, sample string, ok bool) {
	p, errs := pattern.Parse(text)
	name, more := p.Bind(func(name string) (pattern.Field, *pattern.Error) { return c.lookup(s, name) })
	if errs = append(errs, more...); len(errs) > 0 {
		c.patternErrors(l.at, errs)
		return nil, "", false
	}
	if slices.Contains(p.Slots(), pattern.OwnNumber) {
		c.fail(l.at, l.width, "<#> numbers what is repeated, and cannot say how often", "write a number, or the name of a number field")
		return nil, "", false
	}
	for _, piece := range p.Pieces {
		if piece.Field == "" {
			sample += piece.Text
			continue
		}
		f, _ := c.find(s, piece.Field)
		b, _ := pattern.ParseForm(piece.Form, f.Type)
		if piece.Form == "" {
			b = pattern.Plain(f.Type)
		}
		if out, err := b.Append(nil, specimen(f.Type)); err == nil {
			sample += string(out)
		}
	}
	return name, sample, true
}

// rangeEnd reads one end of a range.
func (c *compiler) rangeEnd(s *scope, l *loop, e *end, text string) (*value.Type, bool) {
	if text == "" {
		c.fail(l.at, l.width, "one end of this range is missing", "write 1..12")
		return nil, false
	}
	sample := text
	if strings.Contains(text, "<") {
		var ok bool
		if e.name, sample, ok = c.slotEnd(s, l, text); !ok {
			return nil, false
		}
	} else if f, ok := c.find(s, text); ok {
		k := f.Type.Kind
		if k == value.Number || k.Calendar() && k != value.Term {
			e.field, e.of = f.Index, text
			return f.Type, true
		}
		c.fail(l.at, l.width, fmt.Sprintf("\"%s\" is a %s and cannot end a range", text, k), "use a number, a date, a month, a quarter, a week or a year")
		return nil, false
	}
	if len(sample) == 1 && (sample >= "A" && sample <= "Z" || sample >= "a" && sample <= "z") {
		first := byte('A')
		if sample >= "a" {
			first = 'a'
		}
		e.fixed = value.OfNumber(int(sample[0]-first) + 1)
		return &value.Type{Kind: value.Number, Letter: first}, true
	}
	for _, k := range []value.Kind{value.Number, value.Date, value.Month, value.Quarter, value.Week} {
		t := &value.Type{Kind: k}
		v, err := parseEnd(t, sample, e.name != nil)
		if err != nil {
			continue
		}
		if e.name == nil {
			e.fixed = v
		}
		return t, true
	}
	help := "a range stands between numbers, letters or dates: 1..12, A..F, 2027-01..2027-12"
	if outline.IsWord(text) {
		help = outline.Meant(text, c.visible(s), help)
	}
	c.fail(l.at, l.width, fmt.Sprintf("\"%s\" is no end for a range", text), help)
	return nil, false
}

// due reads the date of a `due` clause: a date, a date field, or text and slots
// that make one.
func (c *compiler) due(s *scope, line *outline.Line, clause outline.Clause) *loop {
	l := &loop{at: line.TextPos(clause), width: len([]rune(clause.Text))}
	l.from.field = -1
	before := len(c.errs)
	field, step := value.Stepped(clause.Text)
	t, ok := c.rangeEnd(s, l, &l.from, field)
	if l.from.step = step; step != 0 && l.from.field < 0 {
		ok = false
	}
	if ok && t.Kind == value.Date {
		l.typ = t
		return l
	}
	c.errs = c.errs[:before]
	c.fail(l.at, l.width, fmt.Sprintf("\"%s\" is no date", clause.Text), "write a date such as 2027-03-09, the name of a date field, or a field and so many days: received + 14")
	return nil
}

// specimen returns some value of a type, to see what a form makes of it.
func specimen(t *value.Type) value.Value {
	switch t.Kind {
	case value.Number:
		return value.OfNumber(1)
	case value.Choice:
		return t.Option(0)
	case value.YesNo:
		return value.Bool(true)
	case value.Text, value.List:
		return value.Of("x")
	}
	return value.Value{Kind: t.Kind, Year: 2027, Part: 1, Day: 1}
}

// times multiplies two counts; what is too large to count is math.MaxInt.
func times(a, b int) int {
	if a > 0 && b > math.MaxInt/a {
		return math.MaxInt
	}
	return a * b
}

func plus(a, b int) int {
	if a > math.MaxInt-b {
		return math.MaxInt
	}
	return a + b
}
