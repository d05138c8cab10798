package order

import (
	"slices"
	"unicode/utf8"

	"vestibula/core/collation"
)

// A Piece of a name is a text, or a slot: a text of which nothing is known but that two
// slots of one number have the same, and that it is not empty.
type Piece struct {
	Text string
	Slot int // from 1; 0 of a text
}

// A Verdict says how two names with slots stand in a list.
type Verdict int

// The verdicts.
const (
	Undecided Verdict = iota // it may depend on what stands in the slots
	Before                   // the first one stands first, whatever that is
	After
)

func (v Verdict) swapped() Verdict { return [...]Verdict{Undecided, After, Before}[v] }

// Decide says how two names stand in a list of the order, for all that can stand in their
// slots. It decides by what is the same in both, up to where they part: there, what is
// known to follow must weigh differently on the first level, or be all that follows.
// Verdicts other than Undecided are proven by that.
func (o Order) Decide(a, b []Piece) Verdict {
	x, y := read(a), read(b)
	n := 0
	for n < len(x) && n < len(y) && x[n] == y[n] {
		n++
	}
	if n == len(x) && n == len(y) {
		return Undecided // one name
	}
	if known(x) && known(y) {
		return sided(o.Comparer().Compare(textOf(x), textOf(y)))
	}
	if o == CodePoint {
		return byCode(x[n:], y[n:])
	}
	d := &decider{order: o, table: collation.Root()}
	if o == Dictionary || o == Desktop {
		d.table = collation.CLibrary()
	}
	if o == Natural || o == Desktop { // numbers are compared as a whole
		for n > 0 && isNumeral(x[n-1]) {
			n--
		}
		d.joined = n > 0 && x[n-1].slot > 0
	}
	if o == Desktop { // and so are the texts between them
		for n > 0 && x[n-1].slot == 0 && x[n-1].char != '.' && !isNumeral(x[n-1]) {
			n--
		}
		d.joined = n > 0 && x[n-1].slot > 0
	}
	d.behind = n > 0
	d.zerosX, d.zerosY = zeros(x), zeros(y)
	return d.compare(x[n:], y[n:])
}

// zeros reports whether a name may hold a number with several zeros in front, which desktops
// count at the very end of a name.
func zeros(signs []sign) bool {
	for i, s := range signs {
		if s.slot > 0 || i > 0 && s.char == '0' && signs[i-1].char == '0' {
			return true
		}
	}
	return false
}

// sided is the verdict of a comparison.
func sided(d int) Verdict {
	if d < 0 {
		return Before
	}
	return After
}

// A sign is a character of a name, or a slot.
type sign struct {
	char rune
	slot int
}

func isNumeral(s sign) bool { return s.slot == 0 && s.char >= '0' && s.char <= '9' }

func read(name []Piece) (signs []sign) {
	for _, p := range name {
		if p.Slot > 0 {
			signs = append(signs, sign{slot: p.Slot})
			continue
		}
		for _, r := range p.Text {
			signs = append(signs, sign{char: r})
		}
	}
	return signs
}

// byCode compares what follows where two names part by codes.
func byCode(x, y []sign) Verdict {
	switch {
	case len(x) == 0:
		return Before // it is the beginning of the other one
	case len(y) == 0:
		return After
	case x[0].slot > 0 || y[0].slot > 0:
		return Undecided
	case x[0].char < y[0].char: // as their codes in UTF-8 do
		return Before
	}
	return After
}

type decider struct {
	order          Order
	table          *collation.Table
	zerosX, zerosY bool

	behind bool // something stands in front, that is the same in both
	joined bool // a slot stands in front, whose last characters may be digits
}

// weights are the first weights that are known of what follows; open is set where more
// may come, and number where a number stands there next.
type weights struct {
	list   []uint32
	open   bool
	number []sign // the digits, and nil where there is none
	rest   []sign // behind the number
	dot    bool
}

// ahead reads what is known of what follows, up to a number in lists that compare these.
func (d *decider) ahead(signs []sign) weights {
	w := weights{}
	for i, s := range signs {
		switch {
		case s.slot > 0:
			w.open = true
			return w
		case isNumeral(s) && (d.order == Natural || d.order == Desktop):
			end := i
			for end < len(signs) && isNumeral(signs[end]) {
				end++
			}
			w.number, w.rest = signs[i:end], signs[end:]
			return w
		case s.char == '.' && d.order == Desktop:
			w.dot, w.rest = true, signs[i+1:]
			return w
		}
		first, plain := d.table.First(s.char)
		next := i + 1
		alone := next == len(signs) || signs[next].slot == 0 && signs[next].char < utf8.RuneSelf
		if !plain || !alone && d.table.Begins(s.char) || i == 0 && !d.begins(s) { // what is around may change it
			w.open = true
			return w
		}
		w.list = append(w.list, first...)
	}
	return w
}

// compare compares what follows where two names part.
func (d *decider) compare(x, y []sign) Verdict {
	switch {
	case len(x) == 0:
		return d.goesOn(y, d.zerosX)
	case len(y) == 0:
		return d.goesOn(x, d.zerosY).swapped()
	case (!d.joined || d.order != Desktop && !startsWithNumber(x) && !startsWithNumber(y)) && known(x) && known(y) && d.begins(x[0]) && d.begins(y[0]):
		return sided(d.order.Comparer().Compare(textOf(x), textOf(y)))
	}
	if d.joined && (startsWithNumber(x) || startsWithNumber(y)) {
		return d.joinedNumbers(x, y)
	}
	a, b := d.ahead(x), d.ahead(y)
	n := 0
	for n < len(a.list) && n < len(b.list) && a.list[n] == b.list[n] {
		n++
	}
	switch {
	case n < len(a.list) && n < len(b.list):
		if a.list[n] < b.list[n] {
			return Before
		}
		return After
	case n < len(a.list):
		return d.shorter(b, a.list[n]).swapped()
	case n < len(b.list):
		return d.shorter(a, b.list[n])
	}
	return d.further(x, y, a, b)
}

// begins reports whether a character is one of its own, whatever stands in front.
func (d *decider) begins(s sign) bool { return !d.behind || s.char < utf8.RuneSelf }

// goesOn compares a name with one that goes on behind it, which weighs more on some level;
// but for desktops, where zeros count at the end, this must be the first one.
func (d *decider) goesOn(rest []sign, zeros bool) Verdict {
	if rest[0].slot > 0 || !d.begins(rest[0]) {
		return Undecided // an accent may change what stands in front
	}
	if d.order == Desktop && zeros {
		first, plain := d.table.First(rest[0].char)
		if rest[0].slot > 0 || isNumeral(rest[0]) || rest[0].char == '.' || !plain || len(first) == 0 {
			return Undecided
		}
	}
	return Before
}

// shorter compares what has no more known weights with one that has: it stands first
// where nothing more comes. A number stands where digits do, in lists that take them by
// value, and ends the text in others.
func (d *decider) shorter(w weights, other uint32) Verdict {
	switch {
	case w.open:
		return Undecided
	case w.number != nil && d.order == Natural:
		digits, _ := d.table.First('0')
		nine, _ := d.table.First('9')
		if other > nine[0] {
			return Before
		}
		if other < digits[0] {
			return After
		}
		return Undecided
	}
	return Before
}

// further compares where the known weights are the same.
func (d *decider) further(x, y []sign, a, b weights) Verdict {
	switch {
	case a.open || b.open, a.number == nil && !a.dot && b.number == nil && !b.dot:
		return Undecided
	}
	// The texts before a number or a dot are to be the same, so that these decide.
	before := func(signs []sign, w weights) []sign {
		if w.number != nil {
			return signs[:len(signs)-len(w.rest)-len(w.number)]
		}
		if w.dot {
			return signs[:len(signs)-len(w.rest)-1]
		}
		return signs
	}
	if s, t := before(x, a), before(y, b); d.order == Desktop && !slices.Equal(s, t) {
		if d.joined || len(s) == 0 || len(t) == 0 || a.number == nil && !a.dot || b.number == nil && !b.dot {
			return Undecided
		}
		return sided(d.order.Comparer().Compare(textOf(s), textOf(t)))
	}
	switch {
	case a.number != nil && b.number != nil:
		return d.numbers(a, b)
	case a.number == nil && !a.dot && !(d.order == Desktop && d.zerosX): // it ends here
		return Before
	case b.number == nil && !b.dot && !(d.order == Desktop && d.zerosY):
		return After
	case a.dot && b.number != nil:
		return Before
	case b.dot && a.number != nil:
		return After
	}
	return Undecided
}

// numbers compares two numbers that are known whole.
func (d *decider) numbers(a, b weights) Verdict {
	if opens(a.rest) || opens(b.rest) {
		return Undecided
	}
	x, y := significant(a.number), significant(b.number)
	switch {
	case len(x) < len(y):
		return Before
	case len(x) > len(y):
		return After
	}
	for i := range x {
		if x[i].char < y[i].char {
			return Before
		}
		if x[i].char > y[i].char {
			return After
		}
	}
	return Undecided // 01 and 1
}

// known reports whether all of it is known.
func known(signs []sign) bool {
	return !slices.ContainsFunc(signs, func(s sign) bool { return s.slot > 0 })
}

func textOf(signs []sign) string {
	runes := make([]rune, len(signs))
	for i, s := range signs {
		runes[i] = s.char
	}
	return string(runes)
}

// opens reports whether a slot follows at once, whose text may begin with digits.
func opens(rest []sign) bool { return len(rest) > 0 && rest[0].slot > 0 }

// significant is a number without zeros in front.
func significant(number []sign) []sign {
	for len(number) > 1 && number[0].char == '0' {
		number = number[1:]
	}
	return number
}

func startsWithNumber(signs []sign) bool { return len(signs) > 0 && isNumeral(signs[0]) }

// joinedNumbers compares numbers of which more digits may stand in front, the same ones:
// those of one length differ as they do alone.
func (d *decider) joinedNumbers(x, y []sign) Verdict {
	if !startsWithNumber(x) || !startsWithNumber(y) {
		return Undecided
	}
	a, b := d.ahead(x), d.ahead(y)
	if len(a.number) != len(b.number) || opens(a.rest) || opens(b.rest) {
		return Undecided
	}
	for i := range a.number {
		if a.number[i].char != b.number[i].char {
			if a.number[i].char < b.number[i].char {
				return Before
			}
			return After
		}
	}
	return Undecided
}
