package pattern

import (
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"vestibula/core/value"
)

// A Reader reads names back into the values that they were written from. It is
// made for reading many names and must not be shared between goroutines.
type Reader struct {
	tokens []token
	owner  []int // of each token, the index in fields, or -1 for text
	fields []readField

	s     string
	ends  []int // where each token ends, as far as it has got
	parts []parts
	// dead holds a bit for each token and place from which nothing was found.
	// It is only used where a text can end in several places, and keeps the
	// work in proportion to the product of tokens and characters.
	dead     []uint64
	attempts int
	found    func() bool // called for each reading; true ends the search
	want     int         // the last token that was reached and did not fit
	far      int         // the furthest place at which it did not
	reason   string      // why a value that was read cannot be
}

type readField struct {
	name string
	typ  *value.Type
}

// maxAttempts bounds the readings that are tried for a name of which each
// contradicts itself.
const maxAttempts = 10_000

// A Misfit says why a name does not fit a pattern.
type Misfit struct {
	At      int // in bytes of the name in Unicode normal form C
	Message string
	read    int // how much of the name was read, in bytes
}

// Ending returns the misfit of a name that fits, but for its ending.
func Ending(at int, message string) *Misfit { return &Misfit{at, message, at} }

// Closer reports whether the name came closer to fitting than in the case of
// another misfit.
func (m *Misfit) Closer(other *Misfit) bool { return m.read > other.read }

// Error returns the message.
func (m *Misfit) Error() string { return m.Message }

// Reader returns a reader of names that n writes.
func (n *Name) Reader() *Reader {
	r := &Reader{}
	for i := range n.parts {
		b := &n.parts[i]
		if b.name == "" {
			r.add(-1, token{op: literal, text: norm.NFC.String(b.text)})
			continue
		}
		owner := -1
		for k := range r.fields {
			if r.fields[k].name == b.name {
				owner = k
			}
		}
		if owner < 0 {
			owner = len(r.fields)
			r.fields = append(r.fields, readField{b.name, b.field.Type})
		}
		for _, t := range b.picture.tokens {
			r.add(owner, t)
		}
	}
	r.ready()
	return r
}

func (p *Picture) reader() *Reader {
	r := &Reader{fields: []readField{{"", p.typ}}}
	for _, t := range p.tokens {
		r.add(0, t)
	}
	r.ready()
	return r
}

func (r *Reader) add(owner int, t token) {
	if t.op == freeText {
		t.table = t.style.ascii()
	}
	r.tokens = append(r.tokens, t)
	r.owner = append(r.owner, owner)
}

func (r *Reader) ready() {
	r.ends = make([]int, len(r.tokens))
	r.parts = make([]parts, len(r.fields))
}

// Fields returns the names of the fields whose values are read, in the order of
// the pattern.
func (r *Reader) Fields() []string {
	names := make([]string, len(r.fields))
	for i, f := range r.fields {
		names[i] = f.name
	}
	return names
}

// Read reads a name into values, one for each of [Reader.Fields]. A value of
// which the name holds only a part is that part: of a date shown by its year
// and month, the month; or the zero Value where not even that can be said.
// Where the name does not fit, it says where and why.
func (r *Reader) Read(name string, values []value.Value) *Misfit {
	fits := false
	r.start(name, func() bool {
		fits = r.assemble(values)
		return fits
	})
	if fits {
		return nil
	}
	return r.misfit()
}

// Read reads back a value from all of s. Where the picture does not hold the
// whole value, the result is the part that it holds: of a date shown by its
// year and month, the month. It is not ok where s does not look like the
// picture, or names a day that does not exist.
func (p *Picture) Read(s string) (v value.Value, ok bool) {
	var values [1]value.Value
	ok = p.reader().Read(s, values[:]) == nil
	return values[0], ok
}

func (r *Reader) start(name string, found func() bool) {
	for i := 0; i < len(name); i++ {
		if name[i] >= utf8.RuneSelf {
			name = norm.NFC.String(name)
			break
		}
	}
	r.s, r.found, r.far, r.want, r.reason, r.attempts = name, found, 0, 0, "", 0
	r.dead = r.dead[:0]
	r.from(0, 0)
}

// assemble makes the values of the reading that ends describes.
func (r *Reader) assemble(values []value.Value) bool {
	r.attempts++
	for i := range r.parts {
		r.parts[i].known, r.parts[i].clash = 0, false
	}
	at := 0
	for i, end := range r.ends {
		if owner := r.owner[i]; owner >= 0 {
			r.parts[owner].add(&r.tokens[i], r.s[at:end])
		}
		at = end
	}
	for i := range r.parts {
		var ok bool
		if values[i], ok = r.parts[i].value(r.fields[i].typ); !ok {
			if r.reason == "" {
				r.reason, r.far = r.impossible(i, values[i])
			}
			return false
		}
	}
	return true
}

// from reads the rest of the name with the tokens from i on, and reports
// whether found ended the search.
func (r *Reader) from(i, at int) bool {
	for ; i < len(r.tokens); i++ {
		t := &r.tokens[i]
		switch t.op {
		case literal:
			if !strings.HasPrefix(r.s[at:], t.text) {
				// Mark the first character that differs.
				for k := 0; k < len(t.text) && at < len(r.s) && r.s[at] == t.text[k]; k++ {
					at++
				}
				return r.failed(i, at)
			}
			at += len(t.text)
		case digits, letters:
			end, several := t.run(r.s, at)
			if end < 0 {
				return r.failed(i, at)
			}
			if several && !r.onlyWhole(i, end) {
				return r.each(i, at, t.numberEnds(r.s, at))
			}
			if at = end; several && !t.inRange(r.s, r.begin(i), at) {
				return r.failed(i, r.begin(i))
			}
		case oneOf:
			end, several := -1, false
			for _, w := range t.words {
				if w != "" && strings.HasPrefix(r.s[at:], w) {
					several = several || end >= 0
					end = at + len(w)
				}
			}
			if end < 0 {
				return r.failed(i, at)
			}
			if several {
				var ends []int
				for _, w := range t.words {
					if w != "" && strings.HasPrefix(r.s[at:], w) {
						ends = append(ends, at+len(w))
					}
				}
				return r.each(i, at, ends)
			}
			at = end
		case freeText:
			end, ok := r.textEnd(i, at)
			if !ok {
				return end < 0
			}
			at = end
		}
		r.ends[i] = at
	}
	if at < len(r.s) {
		return r.failed(i, at)
	}
	return r.found() || r.attempts > maxAttempts
}

func (r *Reader) begin(i int) int {
	if i == 0 {
		return 0
	}
	return r.ends[i-1]
}

func (r *Reader) failed(i, at int) bool {
	if r.reason == "" && (i > r.want || i == r.want && at >= r.far) {
		r.far, r.want = at, i
	}
	return false
}

// each goes on from each of several ends of token i.
func (r *Reader) each(i, at int, ends []int) bool {
	if len(ends) == 0 {
		return r.failed(i, at)
	}
	for _, end := range ends {
		r.ends[i] = end
		if r.try(i+1, end) {
			return true
		}
	}
	return false
}

// try goes on from a place, unless nothing was found from there before.
func (r *Reader) try(i, at int) bool {
	bit := i*(len(r.s)+1) + at
	if len(r.dead) == 0 {
		words := (len(r.tokens)+1)*(len(r.s)+1)/64 + 1
		if cap(r.dead) < words {
			r.dead = make([]uint64, words)
		}
		r.dead = r.dead[:words]
		clear(r.dead)
	}
	if r.dead[bit/64]&(1<<(bit%64)) != 0 {
		return false
	}
	before := r.attempts
	if r.from(i, at) {
		return true
	}
	if r.attempts == before {
		r.dead[bit/64] |= 1 << (bit % 64)
	}
	return false
}

// onlyWhole reports whether a run of digits that ends at end can end only
// there, because what follows cannot begin with one.
func (r *Reader) onlyWhole(i, end int) bool {
	return i+1 == len(r.tokens) || r.tokens[i+1].op == literal && end < len(r.s) && r.tokens[i+1].text[0] == r.s[end] && !isDigit(r.s[end])
}

// textEnd finds where the free text of token i, which begins at at, can end.
// Where there is one such place only, it is returned with true. Otherwise all
// have been tried; the place is then -1 if the search is over.
func (r *Reader) textEnd(i, at int) (int, bool) {
	t := &r.tokens[i]
	last := i+1 == len(r.tokens)
	next := ""
	if !last && r.tokens[i+1].op == literal {
		next = r.tokens[i+1].text
	}
	state, held, pos := atFirst, -1, at
	for {
		if pos > at && t.style.accepts(state) && (!last || pos == len(r.s)) && strings.HasPrefix(r.s[pos:], next) {
			if held >= 0 {
				r.ends[i] = held
				if r.try(i+1, held) {
					return -1, false
				}
			}
			held = pos
		}
		if pos == len(r.s) {
			break
		}
		c := r.s[pos]
		if c < utf8.RuneSelf {
			if state = t.table[state][c]; state == noState {
				break
			}
			pos++
			continue
		}
		ch, size := utf8.DecodeRuneInString(r.s[pos:])
		var ok bool
		if state, ok = t.style.step(state, ch); !ok || ch == utf8.RuneError {
			break
		}
		pos += size
	}
	if held < 0 {
		if pos == len(r.s) && !last && t.style.accepts(state) {
			i++ // the text is fine, what follows it is missing
		}
		r.failed(i, pos)
		return 0, false
	}
	return held, true
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// run returns the end of the run of digits or letters at s[at:], as far as
// the token can take it, and whether a shorter one would fit as well. The end
// is -1 where nothing fits.
func (t *token) run(s string, at int) (end int, several bool) {
	if t.op == letters {
		for end = at; end < len(s) && end < at+9 && s[end] >= byte(t.width) && s[end] < byte(t.width)+26; end++ {
		}
		if end == at {
			return -1, false
		}
		return end, true
	}
	most := t.most()
	for end = at; end < len(s) && end < at+most && isDigit(s[end]); end++ {
	}
	if end-at < t.width {
		return -1, false
	}
	if most == t.width {
		if !t.inRange(s, at, end) {
			return -1, false
		}
		return end, false
	}
	return end, true
}

// most returns how many digits the token takes at the most.
func (t *token) most() int {
	n := 1
	for limit := 10; limit <= t.hi; limit *= 10 {
		n++
	}
	return max(n, t.width)
}

// inRange reports whether s[at:end] is a number that the token writes.
func (t *token) inRange(s string, at, end int) bool {
	n := t.parse(s[at:end])
	if t.op == digits && (end-at < t.width || end-at > t.width && s[at] == '0') {
		return false
	}
	return n >= t.lo && n <= t.hi
}

// parse returns the number that digits or letters stand for.
func (t *token) parse(s string) int {
	n := 0
	for i := 0; i < len(s); i++ {
		if t.op == letters {
			n = 26*n + int(s[i]) - t.width + 1
		} else {
			n = 10*n + int(s[i]-'0')
		}
	}
	return n
}

// numberEnds returns the end of each number at s[at:] that the token writes.
func (t *token) numberEnds(s string, at int) []int {
	longest, _ := t.run(s, at)
	var ends []int
	for end := at + 1; end <= longest; end++ {
		if t.inRange(s, at, end) {
			ends = append(ends, end)
		}
	}
	return ends
}

// noState marks that a character cannot stand in a state.
const noState = 0xFF

// asciiSteps are the steps of a style for the first 128 characters.
type asciiSteps [inOther + 1][utf8.RuneSelf]uint8

func (st *style) ascii() *asciiSteps {
	table := new(asciiSteps)
	for state := range table {
		for c := range table[state] {
			next, ok := st.step(uint8(state), rune(c))
			if !ok {
				next = noState
			}
			table[state][c] = next
		}
	}
	return table
}

// misfit describes the furthest place at which the name did not fit.
func (r *Reader) misfit() *Misfit {
	m := &Misfit{At: r.far, read: r.far}
	switch {
	case r.reason != "":
		m.Message, m.read = r.reason, len(r.s)
	case r.want >= len(r.tokens):
		m.Message = "the name should end here"
	default:
		m.Message = r.expected(r.want)
		if r.far >= len(r.s) {
			m.Message = "the name ends too early: " + m.Message
		}
	}
	return m
}

// partNames say, for a person, what a part is.
var partNames = map[part]string{
	partYear: "year", partYearShort: "year", partMonth: "month", partDay: "day", partQuarter: "quarter", partWeek: "week", partPlace: "term",
}

var digitWords = []string{"", "one digit", "two digits", "three digits", "four digits", "five digits", "six digits"}

// expected says what token i needs.
func (r *Reader) expected(i int) string {
	t := &r.tokens[i]
	what := ""
	if owner := r.owner[i]; owner >= 0 {
		what = "<" + r.fields[owner].name + ">"
	}
	if name := partNames[t.part]; name != "" {
		what = "the " + name
	}
	switch t.op {
	case literal:
		return fmt.Sprintf("“%s” belongs here", t.text)
	case digits:
		end := r.far
		for end < len(r.s) && isDigit(r.s[end]) {
			end++
		}
		if n := end - r.far; n >= t.width && n <= 12 {
			if found := t.parse(r.s[r.far:end]); found > t.hi || found < t.lo {
				return fmt.Sprintf("%s cannot be %s, only %d to %d", what, r.s[r.far:end], t.lo, t.hi)
			}
			if n > t.width {
				return fmt.Sprintf("%s has more zeros in front than %s", what, digitWords[min(t.width, 6)])
			}
		}
		if t.width < len(digitWords) {
			return what + " needs " + digitWords[t.width]
		}
		return what + " needs " + strconv.Itoa(t.width) + " digits"
	case letters:
		return fmt.Sprintf("%s needs a letter such as %c", what, t.width)
	case oneOf:
		return fmt.Sprintf("%s must be one of %s", what, strings.Join(t.words, ", "))
	}
	like := ""
	if t.style != nil {
		like = ", which is written " + t.style.picture
	}
	if r.far < len(r.s) {
		c, _ := utf8.DecodeRuneInString(r.s[r.far:])
		sign := "“" + string(c) + "”"
		if c == ' ' {
			sign = "a blank"
		}
		return fmt.Sprintf("%s cannot stand in %s%s", sign, what, like)
	}
	return what + " is missing" + like
}

// impossible says why the parts of field f make no value, and where in the
// name that field begins.
func (r *Reader) impossible(f int, v value.Value) (reason string, at int) {
	for i, owner := range r.owner {
		if owner == f {
			break
		}
		at = r.ends[i]
	}
	name := r.fields[f].name
	switch {
	case r.parts[f].clash:
		reason = fmt.Sprintf("<%s> stands here twice, with different values", name)
	case v.Kind == value.Date && v.Day > value.DaysIn(v.Year, v.Part):
		reason = fmt.Sprintf("%s is not a date: that month has %d days", v, value.DaysIn(v.Year, v.Part))
	case v.Kind == value.Week && v.Part > value.WeeksIn(v.Year):
		reason = fmt.Sprintf("%s does not exist: that year has %d weeks", v, value.WeeksIn(v.Year))
	default:
		reason = fmt.Sprintf("the parts of <%s> contradict each other", name)
	}
	return reason, at
}
