package pattern

import (
	"slices"
	"strings"

	"vestibula/core/value"
)

// maxTwice is how many values of fields that stand twice are put in, one by one, to
// decide whether names can be read in two ways.
const maxTwice = 1000

// twiceTexts are put in for texts that stand twice: names such as `a b a c a b a` show
// what an automaton, which cannot compare, does not find.
var twiceTexts = []string{"oak", "elm", "oak elm", "oak oak", "elm oak", "oak elm oak", "oak oak oak", "o", "oo", "ooo", "oak-elm", "oak-oak"}

// repeated decides what the automaton of a pattern cannot, as it does not know that two
// slots hold one value: where fields that stand twice have few values, by putting in each
// of them, so that all ways to read a name are paths of one automaton. For texts, which
// have no end, it looks for an example.
func (n *Name) repeated(confirm func(string) *Proof, b *Budget) Proof {
	var finite []string
	values := map[string][]value.Value{}
	text := ""
	for _, name := range n.twice() {
		t := n.typeOf(name)
		if list := few(t); list != nil {
			finite, values[name] = append(finite, name), list
		} else if text = name; t.Kind != value.Text {
			return Proof{Verdict: Unproven}
		}
	}
	if text != "" {
		return n.exampleFor(text, confirm, b)
	}
	names := []*Name{n}
	for _, field := range finite {
		var next []*Name
		for _, m := range names {
			for _, v := range values[field] {
				if with := m.with(field, v); with != nil {
					next = append(next, with)
				}
			}
		}
		if names = next; len(names) > maxTwice {
			return Proof{Verdict: Unproven}
		}
	}
	whole := &automaton{}
	whole.start = whole.state()
	var runes []rune
	for _, m := range names {
		r := m.Reader()
		a := r.automaton()
		if a == nil || len(whole.next)+len(a.next) > maxStates {
			return Proof{Verdict: Unproven}
		}
		runes = r.runes(runes)
		whole.add(a)
	}
	alphabet, steps := classes(b, runes, whole)
	return quest{whole, whole, alphabet, func(c int) ([][]int32, [][]int32) { return steps[c][0], steps[c][0] }, true}.search(confirm, b)
}

// exampleFor looks for a name that two values of a text that stands twice make.
func (n *Name) exampleFor(field string, confirm func(string) *Proof, b *Budget) Proof {
	for i, v := range twiceTexts {
		for _, w := range twiceTexts[i+1:] {
			x, y := n.with(field, value.Of(v)), n.with(field, value.Of(w))
			if x == nil || y == nil {
				continue
			}
			if proof := meet(x.Reader(), y.Reader(), confirm, b); proof.Verdict == Fails {
				return proof
			}
		}
	}
	return Proof{Verdict: Unproven}
}

// exampleIn looks for a name that a value of a text that stands twice makes, and that fits
// another pattern as well: the value may be a word of that.
func (n *Name) exampleIn(m *Name, confirm func(string) *Proof, b *Budget) Proof {
	fields := n.twice()
	if len(fields) == 0 || n.typeOf(fields[0]).Kind != value.Text {
		return Proof{Verdict: Unproven}
	}
	texts := slices.Clone(twiceTexts)
	for _, piece := range m.Pattern.Pieces {
		if piece.Field == "" {
			texts = append(texts, strings.Fields(piece.Text)...)
		}
	}
	for _, text := range texts {
		x := n.with(fields[0], value.Of(text))
		if x == nil {
			continue
		}
		if proof := meet(x.Reader(), m.Reader(), confirm, b); proof.Verdict == Fails {
			return proof
		}
	}
	return Proof{Verdict: Unproven}
}

// meet decides whether no name can be read by both.
func meet(r, q *Reader, confirm func(string) *Proof, budget *Budget) Proof {
	if budget.Spent() {
		return Proof{Verdict: Unproven}
	}
	a, b := r.automaton(), q.automaton()
	if a == nil || b == nil {
		return Proof{Verdict: Unproven}
	}
	alphabet, steps := classes(budget, q.runes(r.runes(nil)), a, b)
	return quest{a, b, alphabet, func(c int) ([][]int32, [][]int32) { return steps[c][0], steps[c][1] }, false}.search(confirm, budget)
}

// twice returns the fields that stand in more than one slot.
func (n *Name) twice() (fields []string) {
	seen := map[string]bool{}
	for i := range n.parts {
		name := n.parts[i].name
		if name != "" && seen[name] && !slices.Contains(fields, name) {
			fields = append(fields, name)
		}
		seen[name] = true
	}
	return fields
}

func (n *Name) typeOf(field string) *value.Type {
	for i := range n.parts {
		if n.parts[i].name == field {
			return n.parts[i].field.Type
		}
	}
	return nil
}

// few returns all values of a type, or nil where they are too many.
func few(t *value.Type) (list []value.Value) {
	switch t.Kind {
	case value.YesNo:
		return []value.Value{value.Bool(false), value.Bool(true)}
	case value.Choice:
		for i := range min(len(t.Of), maxTwice) {
			list = append(list, t.Option(i))
		}
	case value.Number:
		lo := 0
		if t.Min != nil {
			lo = *t.Min
		}
		if t.Max == nil || *t.Max-lo >= maxTwice {
			return nil
		}
		for v := lo; v <= *t.Max; v++ {
			list = append(list, value.OfNumber(v))
		}
	}
	return list
}

// with returns the name with a value in the place of a field, or nil where the value
// cannot stand there.
func (n *Name) with(field string, v value.Value) *Name {
	m := *n
	m.parts = slices.Clone(n.parts)
	for i := range m.parts {
		b := &m.parts[i]
		if b.name != field {
			continue
		}
		shown := v
		if b.step != 0 {
			var ok bool
			if shown, ok = v.Shift(b.step, b.field.Type); !ok {
				return nil
			}
		}
		text, err := b.form.Append(nil, shown)
		if err != nil || len(text) == 0 {
			return nil
		}
		*b = bound{text: string(text)}
	}
	return &m
}

// add adds an automaton as one more way from the start.
func (a *automaton) add(b *automaton) {
	offset := len(a.next)
	for s, moves := range b.next {
		at := a.state()
		a.accept[at] = b.accept[s]
		for _, m := range moves {
			a.move(at, m.on, m.to+offset)
			if s == b.start {
				a.move(a.start, m.on, m.to+offset)
			}
		}
	}
	a.accept[a.start] = a.accept[a.start] || b.accept[b.start]
}
