package pattern

import (
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"vestibula/core/alphabet"
	"vestibula/core/value"
)

// A Reader reads names back into the values that they were written from. It is
// made for reading many names and must not be shared between goroutines.
type Reader struct {
	tokens []token
	owner  []int // of each token, the index in fields, or -1 for text
	fields []readField
	shown  int           // so many of them, from the first, are those of [Reader.Fields]
	others []value.Value // the values of those after them

	s       string
	ends    []int // where each token ends, as far as it has got
	numbers []int // what each token that is not a text has read: a number, or the index of a word
	parts   []parts
	into    []value.Value
	fits    bool
	// dead holds a bit for each token and place from which nothing was found.
	// It is only used where a text can end in several places, and keeps the
	// work in proportion to the product of tokens and characters.
	dead     []uint64
	attempts int
	bars     bool        // there are fields that cannot hold some texts
	collect  func() bool // if not nil, called for each reading; true ends the search
	less     *Reader     // of names that are without their optional end; nil where there are none
	want     int         // the last token that was reached and did not fit
	far      int         // the furthest place at which it did not
	reason   string      // why a value that was read cannot be
}

// A readField is a field, and the tokens that say something about it.
type readField struct {
	name   string
	typ    *value.Type
	tokens []int
	day    bool // the tokens are a year, a month and a day, each once
	step   int  // what is read lies so many steps after the value
	base   int  // of a field that stands in the pattern with another step too: that one; else -1
}

// maxAttempts bounds the readings that are tried for a name of which each
// contradicts itself.
const maxAttempts = 10_000

// Reader returns a reader of names that n writes.
func (n *Name) Reader() *Reader {
	r := &Reader{}
	n.readFields(r)
	for i := range n.parts {
		b := &n.parts[i]
		if b.name == "" {
			r.add(-1, token{op: literal, text: norm.NFC.String(b.text)})
			continue
		}
		owner := slices.IndexFunc(r.fields, func(f readField) bool { return f.name == b.name && f.step == b.step })
		tokens := b.form.tokens
		if b.bare {
			// As wide as its siblings need: any number of zeros in front.
			tokens = []token{{op: digits, part: partNumber, hi: value.MaxNumber, width: 2}}
		}
		for _, t := range tokens {
			r.add(owner, t)
		}
	}
	r.ready()
	if short := n.short(); short != nil {
		r.less = short.Reader()
	}
	return r
}

// shorter reads a name that is without its optional end.
func (r *Reader) shorter(name string, values []value.Value) bool {
	if r.less == nil || r.less.Read(name, values[:r.less.shown]) != nil {
		return false
	}
	for i := r.less.shown; i < r.shown; i++ {
		values[i] = value.Nothing(r.fields[i].typ.Kind)
	}
	return true
}

// readFields gives a reader its fields: each once, and behind them those that stand
// in the pattern with another step as well.
func (n *Name) readFields(r *Reader) {
	var more []readField
	for i := range n.parts {
		b := &n.parts[i]
		if b.name == "" {
			continue
		}
		base := slices.IndexFunc(r.fields, func(f readField) bool { return f.name == b.name })
		f := readField{name: b.name, typ: b.field.Type, step: b.step, base: base}
		switch {
		case base < 0:
			r.fields = append(r.fields, f)
		case r.fields[base].step == b.step || slices.ContainsFunc(more, func(g readField) bool { return g.name == b.name && g.step == b.step }):
		default:
			more = append(more, f)
		}
	}
	r.shown = len(r.fields)
	r.fields = append(r.fields, more...)
}

func (p *Form) reader() *Reader {
	r := &Reader{fields: []readField{{typ: p.typ, base: -1}}, shown: 1}
	for _, t := range p.tokens {
		r.add(0, t)
	}
	r.ready()
	return r
}

func (r *Reader) add(owner int, t token) {
	switch {
	case t.op == freeText:
		t.table = t.style.ascii()
	case t.op == digits:
		t.digits = t.most()
	case t.op == oneOf:
		t.words = slices.Clone(t.words)
		for i, w := range t.words {
			t.words[i] = norm.NFC.String(w)
		}
	}
	if owner >= 0 && t.op != literal {
		f := &r.fields[owner]
		f.tokens = append(f.tokens, len(r.tokens))
	}
	r.tokens = append(r.tokens, t)
	r.owner = append(r.owner, owner)
}

func (r *Reader) ready() {
	r.ends = make([]int, len(r.tokens))
	r.others = make([]value.Value, len(r.fields)-r.shown)
	r.numbers = make([]int, len(r.tokens))
	r.parts = make([]parts, len(r.fields))
	for i := range r.tokens[:max(len(r.tokens)-1, 0)] {
		if t, next := &r.tokens[i], &r.tokens[i+1]; t.op == freeText && next.op == literal && next.text[0] < utf8.RuneSelf {
			c := next.text[0]
			t.stops = t.table[atFirst][c]&t.table[inFirst][c]&t.table[atOther][c]&t.table[inOther][c] == noState
		}
	}
	for i := range r.fields {
		f := &r.fields[i]
		r.bars = r.bars || len(f.typ.Without) > 0
		f.day = len(f.tokens) == 3 && f.typ.Kind == value.Date && r.tokens[f.tokens[0]].part == partYear && !r.tokens[f.tokens[0]].iso &&
			r.tokens[f.tokens[1]].part == partMonth && r.tokens[f.tokens[2]].part == partDay
	}
}

// Fields returns the names of the fields whose values are read, in the order of
// the pattern.
func (r *Reader) Fields() []string {
	names := make([]string, r.shown)
	for i, f := range r.fields[:r.shown] {
		names[i] = f.name
	}
	return names
}

// Read reads a name into values, one for each of [Reader.Fields]. A value of
// which the name holds only a part is that part: of a date shown by its year
// and month, the month; or the zero Value where not even that can be said.
// Where the name does not fit, it says where and why.
func (r *Reader) Read(name string, values []value.Value) *Misfit {
	r.into, r.fits, r.collect = values, false, nil
	r.start(name)
	if r.fits {
		return nil
	}
	misfit := r.misfit()
	if r.shorter(name, values) {
		return nil
	}
	return misfit
}

// Read reads back a value from all of s. Where the form does not hold the
// whole value, the result is the part that it holds: of a date shown by its
// year and month, the month. It is not ok where s does not look like the
// form, or names a day that does not exist.
func (p *Form) Read(s string) (v value.Value, ok bool) {
	var values [1]value.Value
	ok = p.reader().Read(s, values[:]) == nil
	return values[0], ok
}

func (r *Reader) start(name string) {
	if !alphabet.IsASCII(name) {
		name = norm.NFC.String(name)
	}
	r.s, r.far, r.want, r.reason, r.attempts = name, 0, 0, "", 0
	r.dead = r.dead[:0]
	r.from(0, 0)
}

// found takes the reading that ends and numbers describe, and reports whether
// the search is over.
func (r *Reader) found() bool {
	r.attempts++
	if r.collect != nil {
		return r.collect() || r.attempts > maxAttempts
	}
	r.fits = r.assemble(r.into)
	return r.fits || r.attempts > maxAttempts
}

// assemble makes the values of the reading that ends and numbers describe.
func (r *Reader) assemble(values []value.Value) bool {
	for i := range r.fields {
		f, ok := &r.fields[i], true
		var v *value.Value
		if i < r.shown {
			v = &values[i]
		} else {
			v = &r.others[i-r.shown]
		}
		switch {
		case f.day:
			*v = value.Value{Kind: value.Date, Year: int16(r.numbers[f.tokens[0]]), Part: uint8(r.numbers[f.tokens[1]]), Day: uint8(r.numbers[f.tokens[2]])}
			ok = v.Day <= 28 || int(v.Day) <= value.DaysIn(int(v.Year), int(v.Part))
		case len(f.tokens) == 1 && !f.typ.Kind.Calendar():
			r.single(f, v)
		default:
			p := &r.parts[i]
			*p = parts{}
			for _, k := range f.tokens {
				p.add(&r.tokens[k], r.numbers[k], r.s[r.begin(k):r.ends[k]])
			}
			*v, ok = p.value(f.typ)
		}
		if ok && f.step != 0 {
			*v, ok = v.Shift(-f.step, f.typ)
		}
		if ok && f.base >= 0 && v.Given() && values[f.base].Given() {
			ok = v.Equal(values[f.base])
		}
		if !ok {
			if r.reason == "" {
				r.reason, r.far = r.impossible(i, *v)
			}
			return false
		}
	}
	return !r.bars || r.held(values)
}

// held reports whether no text holds what it cannot.
func (r *Reader) held(values []value.Value) bool {
	for i := range r.fields[:r.shown] {
		if v := values[i]; v.Kind == value.Text && r.fields[i].typ.Barred(v.Text) != "" {
			if r.reason == "" {
				r.reason, r.far = r.impossible(i, v)
			}
			return false
		}
	}
	return true
}

// single makes the value of a field that one token says all about.
func (r *Reader) single(f *readField, v *value.Value) {
	k := f.tokens[0]
	t, n := &r.tokens[k], r.numbers[k]
	switch t.part {
	case partNumber:
		*v = value.OfNumber(n)
	case partChoice:
		*v = f.typ.Option(n)
	case partYesNo:
		*v = value.Bool(n == 1)
	case partText:
		*v = value.Of(t.style.undo(r.s[r.begin(k):r.ends[k]]))
	default:
		*v = value.Of(r.s[r.begin(k):r.ends[k]])
	}
}

// wordAt is which of a token's words stands at a place; -1 for none. Several says that more than
// one does.
func (t *token) wordAt(s string, at int) (which int, several bool) {
	which = -1
	if at == len(s) {
		return which, false
	}
	for k, w := range t.words {
		if w != "" && w[0] == s[at] && strings.HasPrefix(s[at:], w) {
			which, several = k, which >= 0
		}
	}
	return which, several
}

// from reads the rest of the name with the tokens from i on, and reports
// whether found ended the search.
func (r *Reader) from(i, at int) bool {
	s := r.s
	for ; i < len(r.tokens); i++ {
		t := &r.tokens[i]
		switch t.op {
		case literal:
			if len(t.text) == 1 {
				if at == len(s) || s[at] != t.text[0] {
					return r.failed(i, at)
				}
				at++
				break
			}
			if !strings.HasPrefix(s[at:], t.text) {
				return r.failed(i, at+alike(s[at:], t.text))
			}
			at += len(t.text)
		case digits:
			end, n := at, 0
			for end < len(s) && end < at+t.digits && s[end]-'0' <= 9 {
				n = 10*n + int(s[end]-'0')
				end++
			}
			if t.digits > t.width && !r.onlyWhole(i, end) {
				return r.eachNumber(i, at, end)
			}
			if end-at < t.width || n < t.lo || n > t.hi || end-at > t.width && s[at] == '0' {
				return r.failed(i, at)
			}
			at, r.numbers[i] = end, n
		case letters:
			end := at
			for end < len(s) && end < at+9 && s[end] >= byte(t.width) && s[end] < byte(t.width)+26 {
				end++
			}
			return r.eachNumber(i, at, end)
		case oneOf:
			which, several := t.wordAt(s, at)
			if which < 0 {
				return r.failed(i, at)
			}
			if several {
				return r.eachWord(i, at)
			}
			at += len(t.words[which])
			r.numbers[i] = t.index(which)
		case freeText:
			end, ok := r.textEnd(i, at)
			if !ok {
				return end < 0
			}
			at = end
		}
		r.ends[i] = at
	}
	if at < len(s) {
		return r.failed(i, at)
	}
	return r.found()
}

// index is what a word stands for: its index, but months and terms count from 1.
func (t *token) index(word int) int {
	if t.part == partMonth || t.part == partPlace {
		return word + 1
	}
	return word
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

// eachNumber goes on from each number that token i can read in s[at:end].
func (r *Reader) eachNumber(i, at, end int) bool {
	t, some := &r.tokens[i], false
	for to := at + 1; to <= end; to++ {
		n := t.parse(r.s[at:to])
		if n < t.lo || n > t.hi || t.op == digits && (to-at < t.width || to-at > t.width && r.s[at] == '0') {
			continue
		}
		some = true
		if r.ends[i], r.numbers[i] = to, n; r.try(i+1, to) {
			return true
		}
	}
	if !some {
		return r.failed(i, at)
	}
	return false
}

// eachWord goes on from each word of token i that stands at a place.
func (r *Reader) eachWord(i, at int) bool {
	t := &r.tokens[i]
	for k, w := range t.words {
		if w == "" || !strings.HasPrefix(r.s[at:], w) {
			continue
		}
		if r.ends[i], r.numbers[i] = at+len(w), t.index(k); r.try(i+1, at+len(w)) {
			return true
		}
	}
	return false
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// most returns how many digits the token takes at the most.
func (t *token) most() int {
	n := 1
	for limit := 10; limit <= t.hi; limit *= 10 {
		n++
	}
	return max(n, t.width)
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

// alike is how many bytes two texts have in common at their begin.
func alike(a, b string) (n int) {
	for n < min(len(a), len(b)) && a[n] == b[n] {
		n++
	}
	return n
}
