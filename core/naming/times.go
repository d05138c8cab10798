package naming

import (
	"cmp"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"vestibula/core/template"
	"vestibula/core/value"
)

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

// A beginning is where a day or a period of a field may begin in a name: the three pieces that could be
// its parts, by their places.
type beginning struct {
	list    []piece
	field   *template.Field
	a, b, c int
	found   []timed
}

// timesAt are the ways in which a day or a period of a field begins at a piece.
func timesAt(list []piece, i int, field *template.Field) []timed {
	if list[i].taken || list[i].kind == signs {
		return nil
	}
	at := &beginning{list: list, field: field, a: i}
	if list[i].kind == digits && (i == 0 || list[i-1].kind != digits) {
		whole(list[i].text, func(y, m, d int, order Order) { at.add(y, m, d, order, i) }, field)
	}
	if at.b = at.next(i); at.b >= len(list) {
		return at.found
	}
	if at.c = at.next(at.b); at.word(at.b) == "" {
		return at.found
	}
	switch field.Type.Kind {
	case value.Date:
		at.day()
	case value.Month:
		at.month()
	case value.Quarter, value.Week, value.Term:
		at.period()
	}
	return at.found
}

// add adds a reading of the pieces up to one, if there is such a day.
func (at *beginning) add(y, m, d int, order Order, to int) {
	if v, ok := dated(at.field.Type.Kind, y, m, d); ok {
		at.says(v, order, to)
	}
}

func (at *beginning) says(v value.Value, order Order, to int) {
	taken := make([]int, 0, to-at.a+1)
	for k := at.a; k <= to; k++ {
		taken = append(taken, k)
	}
	at.found = append(at.found, timed{template.Values{at.field.Name: v}, taken, order})
}

// word is a piece that nobody has taken; "" where there is none.
func (at *beginning) word(k int) string {
	if k >= len(at.list) || at.list[k].taken || at.list[k].kind == signs {
		return ""
	}
	return at.list[k].text
}

// next is the piece behind the one sign that may stand between, or the next one.
func (at *beginning) next(k int) int {
	list := at.list
	if list[k].kind == digits && k+1 < len(list) && slices.Contains(ordinals, strings.ToLower(list[k+1].text)) {
		k++ // 3rd
	}
	if k+1 < len(list) && between(list[k+1]) {
		return k + 2
	}
	return k + 1
}

// number is what a short number says; -1 for none.
func number(text string) int {
	n, err := strconv.Atoi(text)
	if err != nil || len(text) > 4 {
		return -1
	}
	return n
}

// day reads three parts: 3 April 2027, 2027 April 3, April 3 2027, 3.4.2027.
func (at *beginning) day() {
	a, b, c := at.a, at.b, at.c
	first, second, third := at.word(a), at.word(b), at.word(c)
	if third == "" {
		return
	}
	numbers := at.list[a].kind == digits && at.list[b].kind == digits && at.list[c].kind == digits
	switch m, n := monthOf(second), monthOf(first); {
	case m > 0 && at.list[a].kind == digits:
		at.add(yearOf(third), m, number(first), "", c)
		if len(first) == 4 {
			at.add(number(first), m, number(third), "", c)
		}
	case n > 0:
		at.add(yearOf(third), n, number(second), "", c)
	case numbers && b == a+2 && c == b+2 && alike(at.list[b-1].text, at.list[c-1].text):
		threes(first, second, third, strings.TrimSpace(at.list[b-1].text), func(y, m, d int, order Order) { at.add(y, m, d, order, c) })
	}
}

// month reads two parts: April 2027, 2027 April, 4.2027, 2027-04.
func (at *beginning) month() {
	first, second := at.word(at.a), at.word(at.b)
	numbers := at.list[at.a].kind == digits && at.list[at.b].kind == digits && at.b == at.a+2
	switch m, n := monthOf(first), monthOf(second); {
	case m > 0:
		at.add(yearOf(second), m, 1, "", at.b)
	case n > 0 && at.list[at.a].kind == digits:
		at.add(yearOf(first), n, 1, "", at.b)
	case numbers && len(first) == 4 && len(second) < 3:
		at.add(number(first), number(second), 1, "", at.b)
	case numbers && len(second) == 4 && len(first) < 3:
		at.add(number(second), number(first), 1, "", at.b)
	}
}

// period reads two or three parts as a quarter, a week or a term.
func (at *beginning) period() {
	for _, to := range []int{at.c, at.b} {
		if to >= len(at.list) {
			continue
		}
		text := ""
		for _, p := range at.list[at.a : to+1] {
			text += p.text
		}
		if v, ok := period(at.field, text); ok {
			at.says(v, "", to)
			return
		}
	}
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
