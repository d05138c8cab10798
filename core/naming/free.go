package naming

import (
	"cmp"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"vestibula/core/template"
	"vestibula/core/value"
)

// A Free reads names of any shape as a person would: days in any order and with any signs, months by
// their names, numbers, choices by code or meaning, values that are known; and what is left over is
// the one free text. It must not be shared between goroutines.
type Free struct {
	Convention *template.Convention
	known      map[string]map[string]value.Value // of text fields, by what is left of them without signs
	fixed      map[string]bool                   // words that the convention writes itself
	longest    int                               // words of a known value
}

// An Order is how the parts of a day follow each other in a name.
type Order string

// A Guess is one way in which a name can be read.
type Guess struct {
	Values template.Values // of the fields of the convention, as far as the name says them
	Order  Order           // in which its day was read; "" where that could not be otherwise
}

// A Guessed name is what a name of any shape says. There are no guesses where Lacks says why.
type Guessed struct {
	Guesses []Guess
	Shape   string // names of one shape are written alike: what one cannot tell another may
	Lacks   string
}

// NewFree returns a reader for a convention, which knows some values of its text fields.
func NewFree(c *template.Convention, known map[string][]value.Value) *Free {
	f := &Free{Convention: c, known: map[string]map[string]value.Value{}, fixed: map[string]bool{}, longest: 1}
	for name, values := range known {
		f.known[name] = map[string]value.Value{}
		for _, v := range values {
			f.knows(f.known[name], v)
		}
	}
	for _, word := range strings.FieldsFunc(slots().ReplaceAllString(c.Pattern.Pattern.Source, " "), func(r rune) bool { return !wordy(r) }) {
		f.fixed[bared(word)] = true
	}
	return f
}

func (f *Free) knows(all map[string]value.Value, v value.Value) {
	if key := bared(v.String()); key != "" && v.Kind == value.Text {
		all[key] = v
		if words := strings.Fields(v.String()); len(words) == 2 { // Pask, Oriel
			all[bared(words[1]+words[0])] = v
		}
		f.longest = max(f.longest, len(strings.FieldsFunc(v.String(), func(r rune) bool { return !wordy(r) })))
	}
}

var slots = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`<[^>]*>`) })

func wordy(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }

// A piece of a name is a run of letters, of digits, or of signs.
type piece struct {
	text       string
	bare       string // as words are compared; "" of signs
	start, end int
	kind       pieceKind
	taken      bool
}

type pieceKind uint8

const (
	signs pieceKind = iota
	letters
	digits
)

func pieces(name string) (list []piece) {
	list = make([]piece, 0, 16)
	kindOf := func(r rune) pieceKind {
		switch {
		case r >= '0' && r <= '9':
			return digits
		case unicode.IsLetter(r) || unicode.IsMark(r) || unicode.IsDigit(r):
			return letters
		}
		return signs
	}
	for i := 0; i < len(name); {
		r, size := utf8.DecodeRuneInString(name[i:])
		kind := kindOf(r)
		if n := len(list); n > 0 && list[n-1].kind == kind {
			list[n-1].end = i + size
			list[n-1].text = name[list[n-1].start:list[n-1].end]
		} else {
			list = append(list, piece{text: name[i : i+size], start: i, end: i + size, kind: kind})
		}
		i += size
	}
	for i := range list {
		if list[i].kind != signs {
			list[i].bare = bared(list[i].text)
		}
	}
	return list
}

// doubles are what systems add to names to tell doubles apart.
var doubles = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)^(?:copy of |kopie von |copie de |copia de )|(?: - (?:copy|kopie|copie|copia|kopia|kopi))?(?: \([0-9]{1,3}\))?$`)
})

// Single is a name, without its ending, without what systems add to tell doubles apart.
func Single(stem string) string {
	if !strings.HasSuffix(stem, ")") && !strings.Contains(stem, " - ") && (stem == "" || strings.IndexByte("cCkK", stem[0]) < 0) {
		return stem
	}
	return doubles().ReplaceAllString(stem, "")
}

// Read reads a name without its ending. Place is what is known where it lies.
func (f *Free) Read(stem string, place template.Values) *Guessed {
	name := Single(stem)
	list := pieces(name)
	out := &Guessed{}
	calendar, numbers := f.fields(value.Kind.Calendar), f.fields(func(k value.Kind) bool { return k == value.Number })
	said := template.Values{}
	f.takeKnown(list, place, said)
	f.takeChoices(list, said)
	if wrong := impossible(list, calendar); wrong != "" {
		out.Lacks = "there is no day " + wrong
		return out
	}
	times, shape := f.times(list, calendar)
	if out.Shape = shape; times == nil {
		out.Lacks = "it holds more than one day"
		return out
	}
	for _, t := range times {
		own := slices.Clone(list)
		values := said.Clone()
		for name, v := range t.values {
			values[name] = v
		}
		for _, i := range t.taken {
			own[i].taken = true
		}
		f.takeFixed(own)
		for _, n := range f.takeNumbers(own, numbers, values) {
			lacks := f.takeRest(n.pieces, n.values, place)
			if lacks != "" {
				out.Lacks = cmp.Or(out.Lacks, lacks)
				continue
			}
			if g := (Guess{n.values, t.order}); !slices.ContainsFunc(out.Guesses, func(o Guess) bool { return same(o.Values, g.Values) }) {
				out.Guesses = append(out.Guesses, g)
			}
		}
	}
	if len(out.Guesses) > 0 {
		out.Lacks = ""
	}
	return out
}

// fields are those of a kind, in the order of the pattern.
func (f *Free) fields(is func(k value.Kind) bool) (list []*template.Field) {
	for _, field := range f.Convention.Fields {
		if is(field.Type.Kind) {
			list = append(list, field)
		}
	}
	return list
}

// takeKnown takes values that are known, of the place first: the longest that stands there.
func (f *Free) takeKnown(list []piece, place, said template.Values) {
	for _, field := range f.Convention.Fields {
		if field.Type.Kind != value.Text {
			continue
		}
		all := f.known[field.Name]
		if v := place[field.Name]; v.Kind == value.Text {
			own := map[string]value.Value{}
			f.knows(own, v)
			if f.take(list, own, field.Name, said) {
				continue
			}
		}
		f.take(list, all, field.Name, said)
	}
}

func (f *Free) take(list []piece, all map[string]value.Value, name string, said template.Values) bool {
	if len(all) == 0 {
		return false
	}
	for words := f.longest; words > 0; words-- {
		for i := range list {
			if list[i].kind == signs || list[i].taken {
				continue
			}
			last, n, text := i, 0, ""
			for k := i; k < len(list) && n < words && !list[k].taken; k++ {
				if list[k].kind == signs {
					continue
				}
				if last = k; n == 0 {
					text = list[k].bare
				} else {
					text += list[k].bare
				}
				n++
			}
			if n < words {
				break // what follows is shorter still
			}
			if v, is := all[text]; is {
				said[name] = v
				for k := i; k <= last; k++ {
					list[k].taken = true
				}
				return true
			}
		}
	}
	return false
}

// takeChoices takes the codes and meanings of choices, also with a slip of the pen.
func (f *Free) takeChoices(list []piece, said template.Values) {
	for _, field := range f.fields(func(k value.Kind) bool { return k == value.Choice }) {
		all := map[string]value.Value{}
		for _, o := range field.Type.Of {
			for _, text := range []string{o.Code, o.Meaning} {
				if key := bared(text); key != "" {
					all[key] = value.Value{Kind: value.Choice, Text: o.Code}
				}
			}
		}
		longest := f.longest
		f.longest = 4
		found := f.take(list, all, field.Name, said)
		f.longest = longest
		if found {
			continue
		}
		for i := range list {
			if word := list[i].bare; list[i].kind == letters && !list[i].taken && len(word) > 4 {
				for key, v := range all {
					if len(key) > 4 && slipped(word, key) {
						said[field.Name], list[i].taken = v, true
					}
				}
			}
		}
	}
}

// slipped reports whether two words differ in one letter: another one, one too many, two turned.
func slipped(a, b string) bool {
	if len(a) > len(b) {
		a, b = b, a
	}
	if len(b)-len(a) > 1 || a == b {
		return false
	}
	i := 0
	for i < len(a) && a[i] == b[i] {
		i++
	}
	if len(a) < len(b) {
		return a[i:] == b[i+1:]
	}
	return a[i+1:] == b[i+1:] || i+1 < len(a) && a[i] == b[i+1] && a[i+1] == b[i] && a[i+2:] == b[i+2:]
}

// takeFixed takes the words that the convention writes itself.
func (f *Free) takeFixed(list []piece) {
	for i := range list {
		if list[i].kind == letters && !list[i].taken && f.fixed[list[i].bare] {
			list[i].taken = true
		}
	}
}

// A numbered reading has taken numbers.
type numbered struct {
	pieces []piece
	values template.Values
}

// takeNumbers takes what number fields say: in each way, where there are more numbers than fields.
func (f *Free) takeNumbers(list []piece, fields []*template.Field, values template.Values) (ways []numbered) {
	var at []int
	for i, p := range list {
		version := i > 0 && list[i-1].kind == letters && strings.EqualFold(list[i-1].text, "v") && !list[i-1].taken
		if p.kind == digits && !p.taken && !version && len(p.text) < 10 {
			at = append(at, i)
		}
	}
	if len(fields) == 0 || len(at) == 0 {
		return []numbered{{list, values}}
	}
	take := func(which []int) {
		own, said := slices.Clone(list), values.Clone()
		for k, i := range which {
			n, _ := strconv.Atoi(list[i].text)
			said[fields[k].Name] = value.OfNumber(n)
			own[i].taken = true
			for b := i - 1; b >= 0 && b >= i-2; b-- { // no 2, nr. 2
				if word := list[b].bare; list[b].kind == letters && slices.Contains([]string{"no", "nr", "num", "number", "n"}, word) {
					own[b].taken = true
				}
			}
		}
		ways = append(ways, numbered{own, said})
	}
	switch {
	case len(at) <= len(fields):
		take(at)
	case len(fields) == 1:
		for _, i := range at {
			take([]int{i})
		}
	default:
		take(at[len(at)-len(fields):])
	}
	return ways
}

// takeRest gives what is left over to the one text that nothing else says.
func (f *Free) takeRest(list []piece, values, place template.Values) (lacks string) {
	var open []*template.Field
	for _, field := range f.Convention.Fields {
		_, said := values[field.Name]
		if k := place[field.Name]; field.Type.Kind == value.Text && !said && !(k.Given() && k.Kind == value.Text) {
			open = append(open, field)
		}
	}
	rest := leftOver(list)
	switch {
	case rest == "":
	case len(open) == 1:
		values[open[0].Name] = value.Of(rest)
	case len(open) == 0:
		return "nothing in " + f.Convention.Name + " says “" + rest + "”"
	default:
		names := make([]string, len(open))
		for i, field := range open {
			names[i] = field.Name
		}
		return "“" + rest + "” could be its " + strings.Join(names, " or its ")
	}
	return ""
}

// leftOver is what nobody has taken, cleaned of signs.
func leftOver(list []piece) string {
	var parts []string
	for i := 0; i < len(list); i++ {
		if list[i].taken || list[i].kind == signs {
			continue
		}
		k := i
		for k+1 < len(list) && !list[k+1].taken {
			k++
		}
		text := ""
		for j := i; j <= k; j++ {
			p := list[j]
			number := j > i && j < k && list[j-1].kind == digits && list[j+1].kind == digits
			if p.kind == signs {
				p.text = strings.Map(func(r rune) rune {
					if r == '_' || r == '.' && !number {
						return ' '
					}
					return r
				}, p.text)
			}
			text += p.text
		}
		parts = append(parts, strings.Trim(text, " -–—,;:+&()[]{}#~!"))
		i = k
	}
	return strings.Join(strings.Fields(strings.Join(parts, " ")), " ")
}

// A timed reading has taken days and periods.
type timed struct {
	values template.Values
	taken  []int
	order  Order
}

// times are the ways in which the days and periods of a name can be read; nil where there are more than
// fields. Shape is how they are written.
func (f *Free) times(list []piece, fields []*template.Field) (ways []timed, shape string) {
	ways = []timed{{values: template.Values{}}}
	for _, field := range fields {
		var found []timed
		for i := range list {
			found = append(found, timesAt(list, i, field)...)
		}
		// The longest reading at a place counts, and no two places may say it.
		longest := 0
		size := func(t timed) int { // one with a whole year before others, then the longer one
			n := list[t.taken[len(t.taken)-1]].end - list[t.taken[0]].start
			if slices.ContainsFunc(t.taken, func(i int) bool { return list[i].kind == digits && len(list[i].text) > 2 }) {
				n += len(list) * 1000
			}
			return n
		}
		for _, t := range found {
			longest = max(longest, size(t))
		}
		found = slices.DeleteFunc(found, func(t timed) bool { return size(t) < longest })
		if len(found) == 0 {
			continue
		}
		if slices.ContainsFunc(found, func(t timed) bool { return t.taken[0] != found[0].taken[0] }) {
			if len(fields) == 1 {
				return nil, ""
			}
			found = slices.DeleteFunc(found, func(t timed) bool { return t.taken[0] != found[0].taken[0] })
		}
		shape += shapeOf(list, found[0].taken)
		var next []timed
		for _, w := range ways {
			for _, t := range found {
				if slices.ContainsFunc(t.taken, func(i int) bool { return slices.Contains(w.taken, i) }) {
					continue
				}
				values := w.values.Clone()
				for name, v := range t.values {
					values[name] = v
				}
				next = append(next, timed{values, append(slices.Clone(w.taken), t.taken...), w.order + t.order})
			}
		}
		if len(next) > 0 {
			ways = next
		}
		for _, t := range found {
			for _, i := range t.taken {
				list[i].taken = true
			}
		}
	}
	for _, w := range ways {
		for _, i := range w.taken {
			list[i].taken = false // each way takes its own
		}
	}
	return ways, shape
}

// impossible is what is written as a day, with a whole year, and is none; "" for nothing.
func impossible(list []piece, fields []*template.Field) string {
	if !slices.ContainsFunc(fields, func(f *template.Field) bool { return f.Type.Kind == value.Date }) {
		return ""
	}
	for i := 0; i+4 < len(list); i++ {
		a, b, c := list[i], list[i+2], list[i+4]
		if a.kind != digits || b.kind != digits || c.kind != digits || !between(list[i+1]) || strings.TrimSpace(list[i+1].text) == "" || list[i+1].text != list[i+3].text || len(b.text) > 2 || len(a.text) != 4 && len(c.text) != 4 || len(a.text)+len(c.text) > 6 {
			continue
		}
		if i > 1 && list[i-2].kind == digits && list[i-1].text == list[i+1].text || i+6 < len(list) && list[i+6].kind == digits && list[i+5].text == list[i+1].text {
			continue // more than three numbers are no day
		}
		some := false
		threes(a.text, b.text, c.text, strings.TrimSpace(list[i+1].text), func(int, int, int, Order) { some = true })
		if !some {
			return a.text + list[i+1].text + b.text + list[i+3].text + c.text
		}
	}
	return ""
}

// shapeOf is how a day is written: which signs stand between, and how long a year is.
func shapeOf(list []piece, taken []int) (shape string) {
	for _, i := range taken {
		switch p := list[i]; {
		case p.kind == digits && len(p.text) > 2:
			shape += strings.Repeat("9", len(p.text))
		case p.kind == digits:
			shape += "9"
		case p.kind == letters:
			shape += "a"
		default:
			shape += strings.TrimSpace(p.text) + "·"
		}
	}
	return shape
}

// between reports whether a piece can stand between the parts of a day.
func between(p piece) bool {
	return p.kind == signs && len(p.text) <= 3 && strings.Trim(p.text, " .-_/,–") == ""
}

// timesAt are the ways in which a day or a period of a field begins at a piece.
func timesAt(list []piece, i int, field *template.Field) (found []timed) {
	if list[i].taken || list[i].kind == signs {
		return nil
	}
	add := func(y, m, d int, order Order, to int) {
		v, ok := dated(field.Type.Kind, y, m, d)
		if !ok {
			return
		}
		taken := make([]int, 0, to-i+1)
		for k := i; k <= to; k++ {
			taken = append(taken, k)
		}
		found = append(found, timed{template.Values{field.Name: v}, taken, order})
	}
	word := func(k int) string { // of a piece that is not taken
		if k >= len(list) || list[k].taken || list[k].kind == signs {
			return ""
		}
		return list[k].text
	}
	num := func(text string) int {
		n, err := strconv.Atoi(text)
		if err != nil || len(text) > 4 {
			return -1
		}
		return n
	}
	next := func(k int) int { // the piece behind one sign, or the next
		if list[k].kind == digits && k+1 < len(list) && slices.Contains(ordinals, strings.ToLower(list[k+1].text)) {
			k++ // 3rd
		}
		if k+1 < len(list) && between(list[k+1]) {
			return k + 2
		}
		return k + 1
	}
	if list[i].kind == digits && (i == 0 || list[i-1].kind != digits) {
		whole(list[i].text, func(y, m, d int, order Order) { add(y, m, d, order, i) }, field)
	}
	b := next(i)
	if b >= len(list) {
		return found
	}
	c := next(b)
	first, second, third := list[i].text, word(b), word(c)
	if second == "" {
		return found
	}
	if field.Type.Kind == value.Date && third != "" {
		if m := monthOf(second); m > 0 && list[i].kind == digits { // 3 April 2027, 2027 April 3
			add(yearOf(third), m, num(first), "", c)
			if len(first) == 4 {
				add(num(first), m, num(third), "", c)
			}
		} else if m := monthOf(first); m > 0 { // April 3, 2027
			add(yearOf(third), m, num(second), "", c)
		} else if list[i].kind == digits && num(second) >= 0 && list[b].kind == digits && list[c].kind == digits && b == i+2 && c == b+2 && alike(list[b-1].text, list[c-1].text) {
			threes(first, second, third, strings.TrimSpace(list[b-1].text), func(y, m, d int, order Order) { add(y, m, d, order, c) })
		}
	}
	if field.Type.Kind == value.Month {
		if m := monthOf(first); m > 0 {
			add(yearOf(second), m, 1, "", b)
		} else if m := monthOf(second); m > 0 && list[i].kind == digits {
			add(yearOf(first), m, 1, "", b)
		} else if list[i].kind == digits && list[b].kind == digits && b == i+2 {
			if len(first) == 4 && len(second) < 3 {
				add(num(first), num(second), 1, "", b)
			} else if len(second) == 4 && len(first) < 3 {
				add(num(second), num(first), 1, "", b)
			}
		}
	}
	if kind := field.Type.Kind; kind == value.Quarter || kind == value.Week || kind == value.Term {
		for _, to := range []int{c, b} {
			if to >= len(list) {
				continue
			}
			text := ""
			for _, p := range list[i : to+1] {
				text += p.text
			}
			if v, ok := period(field, text); ok {
				taken := []int{}
				for k := i; k <= to; k++ {
					taken = append(taken, k)
				}
				return append(found, timed{template.Values{field.Name: v}, taken, ""})
			}
		}
	}
	return found
}

// alike reports whether two signs stand between the parts of one day: 3.4. 2027, but not 1 - 2-3.
func alike(a, b string) bool {
	return a == b || strings.TrimSpace(a) == "." && strings.TrimSpace(b) == "."
}

// ordinals are what may stand right behind the number of a day.
var ordinals = []string{"st", "nd", "rd", "th", "er", "º", "ª"}

// yearOf is the year that a number of two or four digits says; -1 for none.
func yearOf(text string) int {
	n, err := strconv.Atoi(text)
	switch {
	case err != nil || len(text) != 2 && len(text) != 4:
		return -1
	case len(text) == 2:
		return 2000 + n
	}
	return n
}

// threes are the ways in which three numbers are a day, with a sign between them.
func threes(a, b, c, sign string, add func(y, m, d int, order Order)) {
	n := [3]int{}
	for i, text := range []string{a, b, c} {
		n[i], _ = strconv.Atoi(text)
	}
	note := func(y, m, d int, order Order) {
		if _, ok := dated(value.Date, y, m, d); ok {
			add(y, m, d, order)
		}
	}
	switch la, lb, lc := len(a), len(b), len(c); {
	case lb > 2:
	case la == 4 && lc <= 2:
		note(n[0], n[1], n[2], "")
	case lc == 4 && la <= 2:
		note(n[2], n[1], n[0], "dmy")
		note(n[2], n[0], n[1], "mdy")
	case la <= 2 && lc == 2:
		note(2000+n[2], n[1], n[0], "dmy")
		note(2000+n[2], n[0], n[1], "mdy")
		if la == 2 && len(b) == 2 && sign != "." && sign != "/" {
			note(2000+n[0], n[1], n[2], "ymd")
		}
	}
}

// whole are the ways in which one number is a day or a period.
func whole(text string, add func(y, m, d int, order Order), field *template.Field) {
	part := func(from, to int) int { n, _ := strconv.Atoi(text[from:to]); return n }
	switch kind := field.Type.Kind; {
	case kind == value.Date && len(text) == 8:
		if y := part(0, 4); y >= 1900 && y < 2100 {
			add(y, part(4, 6), part(6, 8), "")
		} else if y := part(4, 8); y >= 1900 && y < 2100 {
			add(y, part(2, 4), part(0, 2), "dmy")
			add(y, part(0, 2), part(2, 4), "mdy")
		}
	case kind == value.Date && len(text) == 6:
		add(2000+part(0, 2), part(2, 4), part(4, 6), "ymd")
		add(2000+part(4, 6), part(2, 4), part(0, 2), "dmy")
	case kind == value.Month && len(text) == 6:
		add(part(0, 4), part(4, 6), 1, "")
	case kind == value.Month && len(text) == 4:
		add(2000+part(0, 2), part(2, 4), 1, "")
	case kind == value.Year && len(text) == 4:
		add(part(0, 4), 1, 1, "")
	}
}

// dated is the value of a kind on a day, if there is such a day.
func dated(kind value.Kind, y, m, d int) (v value.Value, ok bool) {
	if y < 1900 || y > 2100 || m < 1 || m > 12 || d < 1 {
		return v, false
	}
	day := time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC)
	if day.Day() != d {
		return v, false
	}
	switch kind {
	case value.Date:
		return value.OfDate(day), true
	case value.Month:
		return value.Value{Kind: value.Month, Year: int16(y), Part: uint8(m)}, true
	case value.Year:
		return value.Value{Kind: value.Year, Year: int16(y)}, true
	}
	return v, false
}

// period reads a quarter, a week or a term as people write them.
func period(field *template.Field, text string) (v value.Value, ok bool) {
	plain := strings.ToUpper(strings.Join(strings.FieldsFunc(text, func(r rune) bool { return !wordy(r) }), " "))
	for _, m := range periods().FindAllStringSubmatch(plain, -1) {
		year, n := cmp.Or(m[1], m[4]), cmp.Or(m[2], m[3])
		form := year + "-Q" + n
		if field.Type.Kind == value.Week {
			form = year + "-W" + strings.Repeat("0", max(0, 2-len(n))) + n
		}
		if v, err := field.Type.Parse(form, time.Time{}); err == nil && field.Type.Kind != value.Term && m[0] == plain {
			return v, true
		}
	}
	if field.Type.Kind == value.Term {
		if v, err := field.Type.Parse(strings.ToLower(plain), time.Time{}); err == nil {
			return v, true
		}
	}
	return v, false
}

var periods = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^(?:([0-9]{4}) (?:Q|W|KW|WEEK) ?([0-9]{1,2})|(?:Q|W|KW|WEEK) ?([0-9]{1,2}) ([0-9]{4}))$`)
})
