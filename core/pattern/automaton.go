package pattern

import (
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// An automaton is the nondeterministic finite automaton of a pattern. It is
// built so that two paths through it for one name are two readings: each token
// by itself can be passed in one way only for a given text.
//
// Its letters are classes of characters: two characters are in one class where
// no state tells them apart.
type automaton struct {
	next   [][]move // by state
	accept []bool
	start  int
}

// A move is a step that some characters make.
type move struct {
	on func(r rune) bool
	to int
}

// maxStates is the size up to which an automaton is built.
const maxStates = 20_000

// automaton builds the automaton of the reader's tokens, or nil where it would
// be too large.
func (r *Reader) automaton() *automaton {
	a := &automaton{}
	exits := []int{a.state()}
	a.start = exits[0]
	for i := range r.tokens {
		if exits = a.token(&r.tokens[i], r.barred(i), exits); len(a.next) > maxStates {
			return nil
		}
	}
	for _, s := range exits {
		a.accept[s] = true
	}
	return a
}

// barred is what the text of a token cannot hold.
func (r *Reader) barred(i int) []string {
	t := &r.tokens[i]
	if owner := r.owner[i]; owner >= 0 && t.op == freeText && t.part == partText && (t.style == nil || t.style.spaced()) {
		return r.fields[owner].typ.Without
	}
	return nil
}

func (a *automaton) state() int {
	a.next, a.accept = append(a.next, nil), append(a.accept, false)
	return len(a.next) - 1
}

func (a *automaton) move(from int, on func(rune) bool, to int) {
	a.next[from] = append(a.next[from], move{on, to})
}

func is(r rune) func(rune) bool { return func(x rune) bool { return x == r } }

func between(lo, hi rune) func(rune) bool { return func(x rune) bool { return lo <= x && x <= hi } }

// token adds a token behind each of the entries, and returns where it can end.
// Instead of silent moves, the entries get the first moves of the token.
func (a *automaton) token(t *token, barred []string, entries []int) []int {
	var exits []int
	switch t.op {
	case literal:
		exits = append(exits, a.word(entries, t.text))
	case oneOf:
		for _, w := range t.words {
			if w != "" {
				exits = append(exits, a.word(entries, norm.NFC.String(w)))
			}
		}
	case letters:
		// Bijective base 26: any letters; what is beyond the bounds is so rare
		// that the reader's own check is enough.
		s := a.state()
		on := between(rune(t.width), rune(t.width)+25)
		for _, e := range entries {
			a.move(e, on, s)
		}
		a.move(s, on, s)
		exits = append(exits, s)
	case digits:
		exits = a.number(t, entries)
	case freeText:
		if len(barred) > 0 {
			exits = a.barred(t, barred, entries)
		} else {
			exits = a.text(t, entries)
		}
	}
	return exits
}

func (a *automaton) word(entries []int, w string) int {
	at := entries
	s := 0
	for _, r := range w {
		s = a.state()
		for _, e := range at {
			a.move(e, is(r), s)
		}
		at = []int{s}
	}
	return s
}

// number adds the numbers from lo to hi, padded with zeros to the width: for
// each length, digit by digit, remembering only whether the digits so far are
// those of a bound.
func (a *automaton) number(t *token, entries []int) []int {
	exit := a.state()
	known := map[string]int{} // a rest of digits with its bounds → its state
	var rest func(lo, hi string) int
	// add puts the digits of a number between lo and hi, which are of one
	// length, behind a state.
	add := func(from int, lo, hi string) {
		for d := lo[0]; d <= hi[0]; d++ {
			low, high := strings.Repeat("0", len(lo)-1), strings.Repeat("9", len(hi)-1)
			if d == lo[0] {
				low = lo[1:]
			}
			if d == hi[0] {
				high = hi[1:]
			}
			a.move(from, is(rune(d)), rest(low, high))
		}
	}
	rest = func(lo, hi string) int {
		if lo == "" {
			return exit
		}
		key := lo + "-" + hi
		s, ok := known[key]
		if !ok {
			s = a.state()
			known[key] = s
			add(s, lo, hi)
		}
		return s
	}
	for length := t.width; length <= t.most(); length++ {
		lo, hi := 0, pow10(length)-1
		if length > t.width {
			lo = pow10(length - 1)
		}
		if lo, hi = max(lo, t.lo), min(hi, t.hi); lo > hi {
			continue
		}
		for _, e := range entries {
			add(e, string(appendPadded(nil, lo, length)), string(appendPadded(nil, hi, length)))
		}
	}
	return []int{exit}
}

func pow10(n int) int {
	v, _ := strconv.Atoi("1" + strings.Repeat("0", n))
	return v
}

// A barring follows how much of each text that cannot be held has been read: of a run,
// the longest beginning that it ends in (Knuth, Morris and Pratt, "Fast pattern
// matching in strings", 1977).
type barring struct {
	texts [][]rune
	begun string // a byte for each text
}

// after returns the barring behind one more character, and whether a text is whole.
func (b barring) after(r rune) (next barring, whole bool) {
	begun := make([]byte, len(b.texts))
	for i, text := range b.texts {
		run := append(slices.Clone(text[:b.begun[i]]), r)
		for len(run) > 0 && !slices.Equal(run, text[:len(run)]) {
			run = run[1:]
		}
		begun[i] = byte(len(run))
		whole = whole || len(run) == len(text)
	}
	return barring{b.texts, string(begun)}, whole
}

// barred adds a free text that cannot hold some texts, also not with a space before
// and behind it: a state for each state of its style with what has been read of them.
func (a *automaton) barred(t *token, without []string, entries []int) []int {
	type key struct {
		style uint8
		begun string
	}
	first := barring{begun: string(make([]byte, len(without)))}
	candidates := slices.Clone(representatives())
	for _, w := range without {
		first.texts = append(first.texts, []rune(w))
		candidates = append(candidates, []rune(w)...)
	}
	first, _ = first.after(' ')
	known := map[key]int{}
	var order []key
	state := func(k key) int {
		s, there := known[k]
		if !there {
			s = a.state()
			known[k] = s
			order = append(order, k)
		}
		return s
	}
	// step is where a character leads from a state; it leads nowhere where it cannot
	// stand, or where it makes one of the texts whole.
	step := func(from key, r rune) (key, bool) {
		next, ok := t.style.step(from.style, r)
		b, whole := barring{first.texts, from.begun}.after(r)
		return key{next, b.begun}, ok && !whole
	}
	join := func(at int, from key) {
		seen := map[key]bool{}
		for _, r := range candidates {
			to, ok := step(from, r)
			if !ok || seen[to] {
				continue
			}
			seen[to] = true
			a.move(at, func(x rune) bool {
				reached, ok := step(from, x)
				return ok && reached == to
			}, state(to))
		}
	}
	for _, e := range entries {
		join(e, key{atFirst, first.begun})
	}
	var exits []int
	for i := 0; i < len(order) && len(a.next) <= maxStates; i++ {
		k := order[i]
		join(known[k], k)
		if _, whole := (barring{first.texts, k.begun}).after(' '); !whole && t.style.accepts(k.style) {
			exits = append(exits, known[k])
		}
	}
	return exits
}

// text adds a free text: a state for each state of its style.
func (a *automaton) text(t *token, entries []int) []int {
	var states [inOther + 1]int
	for i := range states {
		states[i] = a.state()
	}
	join := func(from int, state uint8) {
		for to := range states {
			a.move(from, func(r rune) bool {
				next, ok := t.style.step(state, r)
				return ok && int(next) == to
			}, states[to])
		}
	}
	for _, e := range entries {
		join(e, atFirst)
	}
	var exits []int
	for state := range states {
		if state != int(atFirst) {
			join(states[state], uint8(state))
		}
		if t.style.accepts(uint8(state)) {
			exits = append(exits, states[state])
		}
	}
	return exits
}

// representatives are characters of each kind that a style tells apart: ASCII,
// and beyond it accented and other Latin letters, capital, small and title
// case, letters of scripts with and without case, digits, marks and signs. The
// first ones make the names that are easiest to read.
var representatives = sync.OnceValue(func() []rune {
	list := []rune("ab12AB- _.")
	for r := rune(' '); r < 0x7F; r++ {
		if !slices.Contains(list, r) {
			list = append(list, r)
		}
	}
	return append(list, []rune("éÉßǅжЖაᲐ本٣—\u0951\u0301ªΐ")...)
})

// classes returns one character for each class of characters that the automata
// tell apart, and for each class, automaton and state the states that follow.
// What is tried counts in a budget. More are characters to look at besides the representatives.
func classes(budget *Budget, more []rune, automata ...*automaton) (alphabet []rune, steps [][][][]int32) {
	candidates := append(slices.Clone(representatives()), more...)
	signatures := map[string]bool{}
	for _, r := range candidates {
		var sig strings.Builder
		rows := make([][][]int32, len(automata))
		for k, a := range automata {
			rows[k] = make([][]int32, len(a.next))
			for s, moves := range a.next {
				budget.steps -= len(moves)
				for _, m := range moves {
					if m.on(r) {
						rows[k][s] = append(rows[k][s], int32(m.to))
						sig.WriteString(strconv.Itoa(k) + ":" + strconv.Itoa(s) + ">" + strconv.Itoa(m.to) + ";")
					}
				}
			}
		}
		if signatures[sig.String()] {
			continue
		}
		signatures[sig.String()] = true
		alphabet = append(alphabet, r)
		steps = append(steps, rows)
	}
	return alphabet, steps
}

// runes adds to the candidates the characters that the tokens spell out.
func (r *Reader) runes(into []rune) []rune {
	for i := range r.tokens {
		for _, w := range slices.Concat([]string{r.tokens[i].text}, r.tokens[i].words, r.barred(i)) {
			for _, c := range norm.NFC.String(w) {
				if c >= utf8.RuneSelf && !slices.Contains(into, c) {
					into = append(into, c)
				}
			}
		}
	}
	return into
}
