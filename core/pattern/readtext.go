package pattern

import (
	"strings"
	"unicode/utf8"
)

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

// behind is the literal that follows token i; "" where something else does, or nothing.
func (r *Reader) behind(i int) string {
	if i+1 < len(r.tokens) && r.tokens[i+1].op == literal {
		return r.tokens[i+1].text
	}
	return ""
}

// textEnd finds where the free text of token i, which begins at at, can end.
// Where there is one such place only, it is returned with true. Otherwise all
// have been tried; the place is then -1 if the search is over.
func (r *Reader) textEnd(i, at int) (int, bool) {
	t := &r.tokens[i]
	last := i+1 == len(r.tokens)
	next := r.behind(i)
	state, held, pos := atFirst, -1, at
	s, table := r.s, t.table
	if t.stops {
		// The usual case: run to the first character that does not belong here.
		for pos < len(s) && s[pos] < utf8.RuneSelf {
			to := table[state][s[pos]]
			if to == noState {
				break
			}
			state = to
			pos++
		}
		if (state == inFirst || state == inOther) && r.goesOn(pos, next, last) {
			return pos, true
		}
		state, pos = atFirst, at
	}
	for {
		ended := pos == len(s)
		if (state == inFirst || state == inOther) && (ended || !last && (next == "" || s[pos] == next[0])) && r.goesOn(pos, next, last) {
			if held >= 0 {
				r.ends[i] = held
				if r.try(i+1, held) {
					return -1, false
				}
			}
			held = pos
		}
		if ended {
			break
		}
		if c := s[pos]; c < utf8.RuneSelf {
			if state = table[state][c]; state == noState {
				break
			}
			pos++
			continue
		}
		ch, size := utf8.DecodeRuneInString(s[pos:])
		var ok bool
		if state, ok = t.style.step(state, ch); !ok || ch == utf8.RuneError {
			break
		}
		pos += size
	}
	if held >= 0 {
		return held, true
	}
	if pos == len(r.s) && !last && t.style.accepts(state) {
		i++ // the text is fine, what follows it is missing
	}
	r.failed(i, pos)
	return 0, false
}

// goesOn reports whether next can stand at a place; behind the last token, only
// the end of the name can.
func (r *Reader) goesOn(at int, next string, last bool) bool {
	switch {
	case last:
		return at == len(r.s)
	case next == "":
		return true
	}
	return at < len(r.s) && r.s[at] == next[0] && (len(next) == 1 || strings.HasPrefix(r.s[at:], next))
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
