package pattern

import (
	"strings"
	"unicode"
	"vestibula/core/alphabet"
)

// A letterCase says how the letters of a word are written.
type letterCase uint8

const (
	small letterCase = iota
	title
	capital
)

// A style is how the words of a text are written and joined.
type style struct {
	form         string
	first, other letterCase // of the first word and of those that follow
	joint        string     // stands between the words
	initials     bool       // only the first letter of each word
	letter       bool       // only the first letter of the first one
}

// styles are the forms of texts: the words "like this", written the way
// the value is to look.
var styles = []style{
	{"like this", small, small, " ", false, false},
	{"Like this", title, small, " ", false, false},
	{"Like This", title, title, " ", false, false},
	{"LIKE THIS", capital, capital, " ", false, false},
	{"like-this", small, small, "-", false, false},
	{"Like-This", title, title, "-", false, false},
	{"LIKE-THIS", capital, capital, "-", false, false},
	{"like_this", small, small, "_", false, false},
	{"Like_This", title, title, "_", false, false},
	{"LIKE_THIS", capital, capital, "_", false, false},
	{"like.this", small, small, ".", false, false},
	{"likethis", small, small, "", false, false},
	{"LIKETHIS", capital, capital, "", false, false},
	{"likeThis", small, title, "", false, false},
	{"LikeThis", title, title, "", false, false},
	{"LT", capital, capital, "", true, false},
	{"L", capital, capital, "", true, true},
}

// spaced reports whether words keep the signs inside them: only a form that
// joins with a space leaves a text's signs and accents as they are.
func (st *style) spaced() bool { return st.joint == " " }

// apply writes a text in the style. The result is empty where the text holds
// no letter or digit that the style keeps.
func (st *style) apply(s string) string {
	var b strings.Builder
	for i, word := range st.words(s) {
		if i > 0 && st.letter {
			break
		}
		if i > 0 {
			b.WriteString(st.joint)
		}
		to := st.other
		if i == 0 {
			to = st.first
		}
		for j, r := range word {
			if j > 0 && st.initials {
				break
			}
			b.WriteRune(to.rune(r, j == 0))
		}
	}
	return b.String()
}

// append writes a text in the style behind dst.
func (st *style) append(dst []byte, s string) []byte {
	if !alphabet.IsASCII(s) {
		return append(dst, st.apply(s)...)
	}
	// The same for ASCII, which needs no memory of its own.
	words, inside := 0, false
	for i := 0; i < len(s); i++ {
		c := s[i]
		switch {
		case st.spaced() && c == ' ', !st.spaced() && c != '\'' && !isASCIIWord(c):
			inside = false
			continue
		case !st.spaced() && c == '\'', st.initials && inside:
			continue
		case st.spaced() && (c < ' ' || c == 0x7F || strings.IndexByte(Reserved, c) >= 0):
			c = '-'
		}
		if !inside {
			if words++; words > 1 && st.letter {
				return dst
			} else if words > 1 {
				dst = append(dst, st.joint...)
			}
		}
		to := st.other
		if words == 1 {
			to = st.first
		}
		dst = append(dst, to.ascii(c, !inside))
		inside = true
	}
	return dst
}

func isASCIIWord(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || isDigit(c)
}

func (c letterCase) ascii(b byte, first bool) byte {
	if up := c == capital || c == title && first; up && b >= 'a' && b <= 'z' {
		return b - 'a' + 'A'
	} else if !up && b >= 'A' && b <= 'Z' {
		return b - 'A' + 'a'
	}
	return b
}

var apostrophes = strings.NewReplacer("'", "", "’", "", "ʼ", "")

// words splits a text at its spaces, or, where the words are joined by
// something else, at every sign; an apostrophe inside a word is dropped.
func (st *style) words(s string) []string {
	if st.spaced() {
		s, _ = Clean(s)
		return strings.Fields(s)
	}
	s = apostrophes.Replace(alphabet.Plain(s))
	return strings.FieldsFunc(s, func(r rune) bool { return !alphabet.InWord(r) })
}

func (c letterCase) rune(r rune, first bool) rune {
	switch {
	case c == capital:
		return unicode.ToUpper(r)
	case c == title && first:
		return unicode.ToTitle(r)
	}
	return unicode.ToLower(r)
}

// The states of the automaton that accepts what a style can write. A style
// without a joint never leaves inFirst by itself: where one word ends there
// cannot be seen.
const (
	atFirst uint8 = iota // before the first letter
	inFirst              // in the first word
	atOther              // behind a joint
	inOther              // in another word
)

// step returns the state after r, and whether r can stand there. The nil style
// is that of a text without a form: any words with single spaces between.
func (st *style) step(state uint8, r rune) (uint8, bool) {
	switch {
	case strings.ContainsRune(Reserved, r) || unicode.IsControl(r):
		return 0, false
	case st == nil || st.spaced():
		if unicode.IsSpace(r) {
			return atOther, r == ' ' && (state == inFirst || state == inOther)
		}
		if st == nil {
			return inOther, true
		}
	case st.letter && state != atFirst:
		return 0, false
	case st.joint != "" && r == rune(st.joint[0]):
		return atOther, state == inFirst || state == inOther
	case !alphabet.InWord(r) || r >= 0x80 && alphabet.PlainRune(r) != string(r):
		return 0, false
	}
	to, first, next := st.first, state == atFirst, inFirst
	if state == atOther || state == inOther {
		to, first, next = st.other, state == atOther, inOther
	}
	if st.joint == "" && !first && st.other == title { // a capital may begin the next word anywhere
		return next, true
	}
	return next, to.rune(r, first) == r
}

// accepts reports whether a text may end in the state.
func (st *style) accepts(state uint8) bool { return state == inFirst || state == inOther }

// fits reports whether a text looks like the style.
func (st *style) fits(s string) bool {
	state := atFirst
	for _, r := range s {
		var ok bool
		if state, ok = st.step(state, r); !ok {
			return false
		}
	}
	return st.accepts(state)
}

// Looks reports whether s is written like the form, one of [TextForms];
// a form that is none of them looks like nothing.
func Looks(s, form string) bool {
	st := styleNamed(form)
	return st != nil && st.fits(s)
}

func styleNamed(form string) *style {
	for i := range styles {
		if styles[i].form == form {
			return &styles[i]
		}
	}
	return nil
}

// TextForms returns the forms of texts.
func TextForms() []string {
	names := make([]string, len(styles))
	for i, st := range styles {
		names[i] = st.form
	}
	return names
}

// Restyle writes a text like the form, one of [TextForms].
func Restyle(s, form string) string {
	if st := styleNamed(form); st != nil {
		return st.apply(s)
	}
	return s
}
