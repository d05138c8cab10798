package draft

import (
	"maps"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"vestibula/core/pattern"
	"vestibula/core/value"
)

// A token is a part of a name that stands for itself: a word, a number, signs, or something
// that can be nothing but a day or a period.
type token struct {
	text  string
	kind  string // one of value's kinds, or word, sign
	value string // of a calendar kind, as a build takes it
	form  string // how it is written, where that is not the usual way
}

const word, sign, mixed = "word", "sign", "mixed"

// calendars are the spellings in which days and periods stand in names, the longest first. The
// forms are those of the language; none is the usual one.
var calendars = []struct {
	spelling func() *regexp.Regexp
	kind     string
	form     string
}{
	{lazily(`^(?:19|20)\d\d-\d\d-\d\d`), "date", ""},
	{lazily(`^\d\d\.\d\d\.(?:19|20)\d\d`), "date", "dd.mm.yyyy"},
	{lazily(`^(?:19|20)\d\d\d\d\d\d`), "date", "yyyymmdd"},
	{lazily(`^(?:19|20)\d\d-\d\d`), "month", ""},
	{lazily(`^(?:19|20)\d\d-Q[1-4]`), "quarter", ""},
	{lazily(`^(?:19|20)\d\d-W\d\d`), "week", ""},
	{lazily(`^(?:19|20)\d\d`), "year", ""},
}

func calendar(kind string) bool {
	return kind == "date" || kind == "month" || kind == "quarter" || kind == "week" || kind == "year"
}

func isLetter(r rune) bool {
	return unicode.IsLetter(r) || unicode.IsMark(r) || r == '\'' || r == '’'
}
func isDigit(r rune) bool { return r >= '0' && r <= '9' }

// tokens takes a name apart. What stands between two zero bytes is one.
func tokens(name string) (list []token) {
	for rest := name; rest != ""; {
		t := next(rest, len(list) > 0 && isDigit(rune(list[len(list)-1].text[len(list[len(list)-1].text)-1])))
		list = append(list, t)
		rest = rest[len(t.text):]
	}
	return list
}

// next is the first token of a text. Inside says that a digit stands before it.
func next(s string, inside bool) token {
	if s[0] == 0 {
		if end := strings.IndexByte(s[1:], 0); end >= 0 {
			return token{text: s[:end+2], kind: mixed}
		}
	}
	if end := strings.IndexByte(s, '>'); s[0] == '<' && end >= 0 {
		return token{text: s[:end+1], kind: mixed}
	}
	first := rune(s[0])
	if isDigit(first) && !inside {
		for _, c := range calendars {
			text := c.spelling().FindString(s)
			if text == "" || len(text) < len(s) && isDigit(rune(s[len(text)])) {
				continue
			}
			if v, ok := read(c.kind, c.form, text); ok {
				return token{text, c.kind, v, c.form}
			}
		}
	}
	class := classOf(s)
	end := len(s)
	for i, r := range s {
		if classOf(string(r)) != class || i > 0 && class == sign && r != first {
			end = i
			break
		}
	}
	if class == "number" && end > 9 {
		class = word // so long a one counts nothing
	}
	return token{text: s[:end], kind: class}
}

func classOf(s string) string {
	switch r, _ := utf8.DecodeRuneInString(s); {
	case isDigit(r):
		return "number"
	case isLetter(r):
		return word
	}
	return sign
}

func join(list []token) string {
	var b strings.Builder
	for _, t := range list {
		b.WriteString(t.text)
	}
	return b.String()
}

// read reads a text of a kind by a form; empty is the usual one.
func read(kind, form, text string) (as string, ok bool) {
	k, known := value.KindNamed(kind)
	if !known {
		return "", false
	}
	t := &value.Type{Kind: k}
	p := pattern.Plain(t)
	if form != "" {
		var err *pattern.Error
		if p, err = pattern.ParseForm(form, t); err != nil {
			return "", false
		}
	}
	v, ok := p.Read(text)
	if !ok || !v.Given() {
		return "", false
	}
	return v.String(), true
}

// kindOf is the kind of a value that a person gave.
func kindOf(text string) string {
	if list := tokens(text); len(list) == 1 && calendar(list[0].kind) && list[0].form == "" {
		return list[0].kind
	}
	return "text"
}

// slot is how a field stands in a name.
func slot(name, form string) string {
	if form == "" {
		return "<" + name + ">"
	}
	return "<" + name + ":" + form + ">"
}

// A spelling is a way in which a value may be written in a name.
type spelling struct {
	text string
	slot string
	near bool // only beside another slot: too short to be looked for alone
}

// formsOf are the forms in which values of a kind are looked for, the likeliest first.
func formsOf(kind string) []string {
	switch kind {
	case "text":
		return append([]string{""}, pattern.TextForms()...)
	case "choice":
		return []string{"", "like-this", "LIKE_THIS"}
	case "date":
		return []string{"", "yyyymmdd", "dd.mm.yyyy", "d.m.yyyy", "yymmdd", "yyyy-mm", "yyyymm", "yymm", "yyyy", "yy"}
	case "month":
		return []string{"", "yyyymm", "mmmm yyyy", "mmm yyyy", "yymm", "yyyy", "mmmm", "mm", "yy"}
	case "quarter":
		return []string{"", "yyyy Qq", "Qq yyyy", "yyyy", "Qq"}
	case "week":
		return []string{"", "yyyy", "Www"}
	case "year":
		return []string{"", "yy"}
	case "number":
		return []string{"000", "00", "0", "A"}
	case "term":
		return []string{"yyyy 0 Name", "", "yyyy-0", "yyyy 0", "yyyy", "Name", "name"}
	}
	return nil
}

// written is a value as a form has it; empty where it cannot be.
func (l *learner) written(kind string, of []string, text, form string) string {
	k, known := value.KindNamed(kind)
	if !known || text == "" || kind == "term" && len(of) == 0 {
		return ""
	}
	t := &value.Type{Kind: k}
	for _, code := range of {
		t.Of = append(t.Of, value.Option{Code: code})
	}
	v, err := t.Parse(text, time.Time{})
	if err != nil {
		return ""
	}
	p, parsed := l.forms[[2]string{kind, form}]
	if !parsed || len(of) > 0 {
		p = pattern.Plain(t)
		if form != "" {
			var bad *pattern.Error
			if p, bad = pattern.ParseForm(form, t); bad != nil {
				p = nil
			}
		}
		if len(of) == 0 {
			l.forms[[2]string{kind, form}] = p
		}
	}
	if p == nil {
		return ""
	}
	out, err := p.Append(nil, v)
	if err != nil {
		return ""
	}
	return string(out)
}

// spellingsOf are the ways in which the values of a sample may stand in names, the longest
// first.
func (l *learner) spellingsOf(sample int) (list []spelling) {
	for _, f := range l.fields {
		if f.kind != "list" && f.kind != "yes-no" {
			list = append(list, l.formsFor(f.name, f.kind, f.of, f.values[sample])...)
		}
	}
	longestFirst(list)
	return list
}

// itemForms are the ways in which an item may stand in names.
func (l *learner) itemForms(b binding) []spelling {
	list, known := l.itemsSeen[b]
	if !known {
		list = l.formsFor(b.name, b.kind, nil, b.value)
		for i := range list { // in the folder of a number, that number is it
			list[i].near = list[i].near && (b.kind != "number" || !isDigit(rune(list[i].text[0])))
		}
		l.itemsSeen[b] = list
	}
	return list
}

func longestFirst(list []spelling) {
	slices.SortStableFunc(list, func(a, b spelling) int { return len(b.text) - len(a.text) })
}

// formsFor are the ways in which a value may stand in names. It notes those in which the
// value cannot be written: a line with such a slot could not be built for it.
func (l *learner) formsFor(name, kind string, of []string, text string) (list []spelling) {
	seen := map[string]bool{}
	for _, p := range formsOf(kind) {
		as := l.written(kind, of, text, p)
		if as == "" && text != "" {
			l.unfit[slot(name, p)] = true
		}
		if as == "" || seen[as+"\x00"+p] || p == "L" {
			continue
		}
		seen[as+"\x00"+p] = true
		list = append(list, spelling{as, slot(name, p), len(as) < 2 || p == "yy" || p == "mm" || kind == "number" && len(as) < 2})
	}
	return list
}

// bounded reports whether what stands at a part of a name begins and ends there: it does
// not go on in letters, nor in digits.
func bounded(name string, from, to int) bool {
	before, after := []rune(name[:from]), []rune(name[to:])
	part := []rune(name[from:to])
	joined := func(a, b rune) bool {
		return isLetter(a) && isLetter(b) || isDigit(a) && isDigit(b)
	}
	return !(len(before) > 0 && joined(before[len(before)-1], part[0])) && !(len(after) > 0 && joined(part[len(part)-1], after[0]))
}

// maxForms is how many ways a name is read in.
const maxForms = 64

// A seenName is a name of a sample: the ways in which the values of the sample stand in it, and
// those in which it may come from them. Most names come again and again.
type seenName struct {
	spellings []spelling
	readings  []string
}

// readings are the ways in which a name in an instance may come from values: with slots in it,
// the plain name first.
func (l *learner) readings(in *instance, name string) []string {
	known, seen := l.seen[in.sample][name]
	if !seen {
		known.spellings = l.within(nil, l.spellings[in.sample], name)
		known.readings = readings(known.spellings, name)
		l.seen[in.sample][name] = known
	}
	spellings := slices.Clip(known.spellings)
	for _, b := range in.env {
		spellings = l.within(spellings, l.itemForms(b), name)
	}
	if len(spellings) == len(known.spellings) {
		return known.readings
	}
	longestFirst(spellings)
	return readings(spellings, name)
}

// within adds those of some spellings that stand in a name, and in which all other values can be
// written as well.
func (l *learner) within(list, spellings []spelling, name string) []spelling {
	for _, f := range spellings {
		if strings.Contains(name, f.text) && !l.unfit[f.slot] {
			list = append(list, f)
		}
	}
	return list
}

func readings(spellings []spelling, name string) []string {
	if len(spellings) == 0 {
		return []string{name}
	}
	var parts []part
	free := func(from, to int) bool {
		return !slices.ContainsFunc(parts, func(p part) bool { return p.from < to && from < p.to })
	}
	// beside reports whether a part follows another one, or stands before it, with no more
	// than a sign between.
	beside := func(from, to int) bool {
		signs := func(a, b int) bool {
			return a == b || a < b && strings.IndexFunc(name[a:b], func(r rune) bool { return isLetter(r) || isDigit(r) }) < 0 && utf8.RuneCountInString(name[a:b]) == 1
		}
		return slices.ContainsFunc(parts, func(p part) bool { return signs(p.to, from) || signs(to, p.from) })
	}
	// whole reports whether a part does not cut a day or a period in two.
	days := calendarParts(name)
	whole := func(from, to int) bool {
		return !slices.ContainsFunc(days, func(d [2]int) bool { return d[0] < to && from < d[1] && (from > d[0] || to < d[1]) })
	}
	for _, near := range []bool{false, true} {
		for i := 0; i < len(spellings); {
			end := i + 1
			for end < len(spellings) && spellings[end].text == spellings[i].text {
				end++
			}
			text := spellings[i].text
			var slots []string
			for _, f := range spellings[i:end] {
				if f.near == near {
					slots = append(slots, f.slot)
				}
			}
			i = end
			if len(slots) == 0 {
				continue
			}
			for from := 0; from < len(name); {
				at := strings.Index(name[from:], text)
				if at < 0 {
					break
				}
				at += from
				from = at + len(text)
				if free(at, from) && whole(at, from) && (near && beside(at, from) && (bounded(name, at, from) || slices.ContainsFunc(parts, func(p part) bool { return p.to == at || p.from == from })) || !near && bounded(name, at, from)) {
					parts = append(parts, part{at, from, slots})
				}
			}
		}
	}
	return written(name, parts)
}

// A part of a name is what could stand for slots, in bytes.
type part struct {
	from, to int
	slots    []string
}

// written are the ways to write a name with the slots of its parts, or without them.
func written(name string, parts []part) []string {
	slices.SortFunc(parts, func(a, b part) int { return a.from - b.from })
	list := []string{""}
	at := 0
	for _, p := range parts {
		var longer []string
		for _, before := range list {
			for _, s := range append([]string{name[p.from:p.to]}, p.slots...) {
				if len(longer) < maxForms {
					longer = append(longer, before+name[at:p.from]+s)
				}
			}
		}
		list, at = longer, p.to
	}
	for i := range list {
		list[i] += name[at:]
	}
	return list
}

// calendarParts are where days and periods stand in a name.
func calendarParts(name string) (list [][2]int) {
	if !strings.ContainsAny(name, "12") { // all begin with 19 or 20, or end so
		return nil
	}
	at := 0
	for _, t := range tokens(name) {
		if calendar(t.kind) {
			list = append(list, [2]int{at, at + len(t.text)})
		}
		at += len(t.text)
	}
	return list
}

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }

// lazily compiles an expression when it is needed: most runs need none.
func lazily(expression string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(expression) })
}
