package pattern

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"vestibula/core/value"
)

// A Form says how a value looks in a name. It is parsed once, into tokens.
type Form struct {
	text   string
	typ    *value.Type
	tokens []token
}

// calendarCodes are the codes of calendar forms.
var calendarCodes = []string{"yyyy", "yy", "mm", "m", "dd", "d", "q", "ww", "mmm", "mmmm", "ddd", "dddd"}

// calendarParts says which codes a kind of value can fill.
var calendarParts = map[value.Kind]string{
	value.Date:    "yyyy yy mm m dd d q ww mmm mmmm ddd dddd",
	value.Month:   "yyyy yy mm m q mmm mmmm",
	value.Quarter: "yyyy yy q",
	value.Week:    "yyyy yy ww",
	value.Year:    "yyyy yy",
	value.Term:    "yyyy yy yyyy-yy 0 name Name NAME",
}

// plainForms are how values without a form are written.
var plainForms = map[value.Kind]string{
	value.Date: "yyyy-mm-dd", value.Month: "yyyy-mm", value.Quarter: "yyyy-Qq",
	value.Week: "yyyy-Www", value.Year: "yyyy",
}

// Plain returns the form of a slot that has none.
func Plain(t *value.Type) *Form {
	if text, ok := plainForms[t.Kind]; ok {
		p, _ := calendar(text, t)
		p.text = ""
		return p
	}
	p := &Form{typ: t}
	switch t.Kind {
	case value.Number:
		p.tokens = []token{numberToken(1, t)}
		if t.Letter != 0 {
			p, _ = numberForm(string(t.Letter), t)
			p.text = ""
		}
	case value.Choice:
		p.tokens = []token{{op: oneOf, part: partChoice, words: codes(t, nil)}}
	case value.YesNo:
		p.tokens = []token{{op: oneOf, part: partYesNo, words: []string{"no", "yes"}}}
	case value.Term:
		p.tokens = []token{digitsToken(partYear, 4, value.MinYear, value.MaxYear), {op: literal, text: " "}, {op: oneOf, part: partPlace, words: codes(t, nil)}}
	default:
		p.tokens = []token{{op: freeText, part: partText}}
	}
	return p
}

// ParseForm reads a form for values of a type. The place of the error is
// counted from the start of the form.
func ParseForm(pic string, t *value.Type) (*Form, *Error) {
	switch t.Kind {
	case value.Number:
		return numberForm(pic, t)
	case value.Text, value.Choice, value.YesNo:
		return wordsForm(pic, t)
	case value.List:
		return nil, &Error{At: 0, Width: width(pic), Message: "a list has no form", Help: "use the slot of `each: … in` this list"}
	}
	return calendar(pic, t)
}

func numberForm(pic string, t *value.Type) (*Form, *Error) {
	p := &Form{text: pic, typ: t}
	switch {
	case pic == "A" || pic == "a":
		lo, hi := bounds(t)
		p.tokens = []token{{op: letters, part: partNumber, width: int(pic[0]), lo: max(lo, 1), hi: hi}}
	case strings.Trim(pic, "0") == "" && len(pic) <= 12:
		p.tokens = []token{numberToken(len(pic), t)}
	default:
		return nil, &Error{At: 0, Width: width(pic), Message: fmt.Sprintf("the form \"%s\" does not suit a number", pic), Help: "write 0, 00 or 000 for as many digits, or A or a for letters"}
	}
	return p, nil
}

func bounds(t *value.Type) (lo, hi int) {
	hi = value.MaxNumber
	if t.Min != nil {
		lo = *t.Min
	}
	if t.Max != nil {
		hi = *t.Max
	}
	return lo, hi
}

func numberToken(width int, t *value.Type) token {
	lo, hi := bounds(t)
	return digitsToken(partNumber, width, lo, hi)
}

func wordsForm(pic string, t *value.Type) (*Form, *Error) {
	p := &Form{text: pic, typ: t}
	st := styleNamed(pic)
	if st == nil {
		help := "write the words like this as they are to look: like-this, Like This, LIKE_THIS, LT, L …"
		if near := nearestStyle(pic); near != "" {
			help = "did you mean " + near + "?"
		}
		return nil, &Error{At: 0, Width: width(pic), Message: fmt.Sprintf("the form \"%s\" does not suit a %s", pic, t.Kind), Help: help}
	}
	switch t.Kind {
	case value.Text:
		p.tokens = []token{{op: freeText, part: partText, style: st}}
		if st.initials {
			p.tokens[0].part = partInitials
		}
		if st.letter {
			p.tokens[0].part = partLetter
		}
	case value.YesNo:
		p.tokens = []token{{op: oneOf, part: partYesNo, words: []string{st.apply("no"), st.apply("yes")}}}
	default:
		words := codes(t, st)
		seen := map[string]int{}
		for i, w := range words {
			if j, twice := seen[w]; twice {
				return nil, &Error{At: 0, Width: width(pic), Message: fmt.Sprintf("with this form \"%s\" and \"%s\" would both be \"%s\"", t.Of[j].Code, t.Of[i].Code, w), Help: "leave the form out, or choose other codes"}
			}
			seen[w] = i
		}
		p.tokens = []token{{op: oneOf, part: partChoice, words: words}}
	}
	return p, nil
}

// nearestStyle finds the style whose letters are those of pic, signs aside.
func nearestStyle(pic string) string {
	for _, st := range styles {
		if strings.EqualFold(strings.Join(strings.FieldsFunc(pic, func(r rune) bool { return !unicode.IsLetter(r) }), ""), "likethis") &&
			strings.ContainsAny(pic, st.joint) == strings.ContainsAny(st.form, "-_. ") && strings.Contains(pic, st.joint) {
			return st.form
		}
	}
	return ""
}

// codes are the codes of the options, written in a style; nil leaves them.
func codes(t *value.Type, st *style) []string {
	words := make([]string, len(t.Of))
	for i, o := range t.Of {
		if words[i], _ = Clean(o.Code); st != nil {
			words[i] = st.apply(o.Code)
		}
	}
	return words
}

// calendar reads a form of a date, or of a stretch of days.
func calendar(pic string, t *value.Type) (*Form, *Error) {
	p := &Form{text: pic, typ: t}
	allowed := strings.Fields(calendarParts[t.Kind])
	has := map[part]bool{}
	at := 0
	for rest := pic; rest != ""; {
		code := rest[:codeLen(rest, t.Kind)]
		if code == "" {
			r, size := utf8.DecodeRuneInString(rest)
			if errs := refused(string(r), at); errs != nil {
				errs[0].Help = "write - instead: " + strings.ReplaceAll(pic, string(r), "-")
				return nil, errs[0]
			}
			if n := len(p.tokens); n > 0 && p.tokens[n-1].op == literal {
				p.tokens[n-1].text += string(r)
			} else {
				p.tokens = append(p.tokens, token{op: literal, text: string(r)})
			}
			rest, at = rest[size:], at+1
			continue
		}
		if code == schoolYear && t.NewYear == 0 {
			return nil, &Error{At: at, Width: width(code), Message: "the terms of this field lie in one year, and yyyy-yy writes two", Help: "write yyyy; or say where the new year begins, as in new-year: winter"}
		}
		if tokens := termTokens(code, t); tokens != nil {
			has[tokens[0].part] = true
			p.tokens = append(p.tokens, tokens...)
			rest, at = rest[len(code):], at+width(code)
			continue
		}
		if !slices.Contains(allowed, code) {
			help := fmt.Sprintf("the form of a %s is made of %s", t.Kind, strings.Join(allowed, ", "))
			if slices.Contains(calendarCodes, code) {
				return nil, &Error{At: at, Width: width(code), Message: fmt.Sprintf("a %s cannot fill \"%s\"", t.Kind, code), Help: help}
			}
			return nil, &Error{At: at, Width: width(code), Message: fmt.Sprintf("\"%s\" in this form stands for nothing", code), Help: help}
		}
		tok := calendarToken(code, t)
		has[tok.part] = true
		p.tokens = append(p.tokens, tok)
		rest, at = rest[len(code):], at+width(code)
	}
	if len(has) == 0 {
		return nil, &Error{At: 0, Width: width(pic), Message: fmt.Sprintf("the form \"%s\" does not suit a %s", pic, t.Kind), Help: fmt.Sprintf("it is made of %s", strings.Join(allowed, ", "))}
	}
	// A week belongs to the ISO year; beside a month or a day, the year is that
	// of the calendar.
	if t.Kind == value.Date && has[partWeek] && !has[partMonth] && !has[partDay] && !has[partQuarter] {
		for i := range p.tokens {
			if p.tokens[i].part == partYear || p.tokens[i].part == partYearShort {
				p.tokens[i].iso = true
			}
		}
	}
	return p, nil
}

// termTokens are what only the forms of terms have: the years of a list, and its places in digits.
func termTokens(code string, t *value.Type) []token {
	switch {
	case code == schoolYear:
		return []token{digitsToken(partSchool, 4, value.MinYear, value.MaxYear), {op: literal, text: "-"}, digitsToken(partSchoolShort, 2, 0, 99)}
	case t.Kind == value.Term && strings.Trim(code, "0") == "":
		return []token{digitsToken(partPlace, len(code), 1, len(t.Of))}
	}
	return nil
}

// schoolYear is the code of the two years of a list of terms that crosses the new year.
const schoolYear = "yyyy-yy"

// codeLen returns the length of the run of small letters (in a term's form,
// also of a zero or of the word name) that rest begins with.
func codeLen(rest string, kind value.Kind) int {
	if kind == value.Term {
		if zeros := len(rest) - len(strings.TrimLeft(rest, "0")); zeros > 0 {
			return zeros
		}
		if strings.HasPrefix(rest, schoolYear) {
			return len(schoolYear)
		}
		if len(rest) >= 4 && slices.Contains([]string{"name", "Name", "NAME"}, rest[:4]) {
			return 4
		}
	}
	if rest[0] < 'a' || rest[0] > 'z' {
		return 0
	}
	n := 1
	for n < len(rest) && rest[n] == rest[0] {
		n++
	}
	return n
}

func calendarToken(code string, t *value.Type) token {
	names := namesIn(t.Language)
	if t.Months != nil {
		names.months = t.Months
	}
	switch code {
	case "yyyy":
		return digitsToken(partYear, 4, value.MinYear, value.MaxYear)
	case "yy":
		return digitsToken(partYearShort, 2, 0, 99)
	case "mm", "m":
		return digitsToken(partMonth, len(code), 1, 12)
	case "dd", "d":
		return digitsToken(partDay, len(code), 1, 31)
	case "q":
		return digitsToken(partQuarter, 1, 1, 4)
	case "ww":
		return digitsToken(partWeek, 2, 1, 53)
	case "mmm":
		return token{op: oneOf, part: partMonth, words: shortened(names.months)}
	case "mmmm":
		return token{op: oneOf, part: partMonth, words: names.months}
	case "ddd":
		return token{op: oneOf, part: partWeekday, words: shortened(names.days)}
	case "dddd":
		return token{op: oneOf, part: partWeekday, words: names.days}
	case "name":
		return token{op: oneOf, part: partPlace, words: codes(t, styleNamed("like this"))}
	case "Name":
		return token{op: oneOf, part: partPlace, words: codes(t, styleNamed("Like This"))}
	}
	return token{op: oneOf, part: partPlace, words: codes(t, styleNamed("LIKE THIS"))}
}
