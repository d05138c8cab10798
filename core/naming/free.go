package naming

import (
	"cmp"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"vestibula/core/outline"
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
	Placed  bool   // it says something of its place that the convention has no slot for
	Slip    string // what in it was taken for something known that differs in a letter: then it is only probable
	Alike   string // what Lacks says without the words of this name, where that says more; the same for many names
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

// Read reads a name without its ending. Place is what is known where it lies.
func (f *Free) Read(stem string, place template.Values) *Guessed {
	if of := Conflict(stem); of != "" {
		return &Guessed{Lacks: InConflict(of), Alike: "they are copies of others in which somebody else had written at the same time: look which are to stay"}
	}
	name := Single(stem)
	list := pieces(name)
	out := &Guessed{}
	calendar, numbers := f.fields(value.Kind.Calendar), f.fields(func(k value.Kind) bool { return k == value.Number })
	if len(list) == 1 && list[0].kind == digits {
		out.Lacks = "it is nothing but a number"
		return out
	}
	said := template.Values{}
	out.Slip = cmp.Or(f.takeKnown(list, place, said), f.takeChoices(list, said))
	out.Placed = f.takePlace(list, place)
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
			lacks, alike := f.takeRest(n.pieces, n.values, place)
			if lacks != "" {
				out.Lacks, out.Alike = cmp.Or(out.Lacks, lacks), cmp.Or(out.Alike, alike)
				continue
			}
			if g := (Guess{n.values, t.order}); !slices.ContainsFunc(out.Guesses, func(o Guess) bool { return same(o.Values, g.Values) }) {
				out.Guesses = append(out.Guesses, g)
			}
		}
	}
	if len(out.Guesses) > 0 {
		out.Lacks, out.Alike = "", ""
	}
	if agrees := slices.DeleteFunc(slices.Clone(out.Guesses), func(g Guess) bool {
		return Contradiction(f.Convention, Listed(f.Convention, g.Values), place) != ""
	}); len(agrees) > 0 { // what is known there decides
		out.Guesses = agrees
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
func (f *Free) takeKnown(list []piece, place, said template.Values) (slip string) {
	for _, field := range f.Convention.Fields {
		if field.Type.Kind != value.Text {
			continue
		}
		all := f.known[field.Name]
		own := map[string]value.Value{}
		if v := place[field.Name]; v.Kind == value.Text {
			f.knows(own, v)
		}
		if f.take(list, own, field.Name, said) || f.take(list, all, field.Name, said) {
			continue
		}
		if len(own) == 0 && len(all) <= manySlips {
			own = all
		}
		slip = cmp.Or(slip, f.takeSlip(list, own, field.Name, said))
	}
	return slip
}

// takePlace takes the texts that the place has of fields that are none of the convention: whose it is goes without saying there.
func (f *Free) takePlace(list []piece, place template.Values) (found bool) {
	for name, v := range place {
		if v.Kind != value.Text || slices.ContainsFunc(f.Convention.Fields, func(field *template.Field) bool { return field.Name == name }) {
			continue
		}
		own := map[string]value.Value{}
		if f.knows(own, v); !slices.ContainsFunc(slices.Collect(maps.Keys(own)), func(key string) bool { return len(key) < 3 }) {
			found = f.take(list, own, name, template.Values{}) || found
		}
	}
	return found
}

// manySlips is among how many values it is looked for one that a name says with a slip of the pen.
const manySlips = 200

// takeSlip takes what differs in one letter from a value, or from two of its words, and says what that was.
func (f *Free) takeSlip(list []piece, all map[string]value.Value, name string, said template.Values) (slip string) {
	if len(all) == 0 {
		return ""
	}
	for i := range list {
		text, n := "", 0
		for k := i; k < len(list) && n < f.longest && !list[k].taken; k++ {
			if list[k].kind != letters && list[k].kind != signs {
				break
			}
			if list[k].kind == signs {
				if text == "" {
					break
				}
				continue
			}
			text, n = text+list[k].bare, n+1
			if len(text) < 6 {
				continue
			}
			for key, v := range all {
				if len(key) > 5 && outline.OneSlip(text, key) {
					said[name] = v
					for j := i; j <= k; j++ {
						list[j].taken = true
					}
					return "“" + v.String() + "” is written with a slip of the pen"
				}
			}
		}
	}
	return ""
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

// Choices are the values of choices that a name says, such as that of the folder that files come from.
func (f *Free) Choices(name string) template.Values {
	said := template.Values{}
	f.takeChoices(pieces(name), said)
	return said
}

// takeChoices takes the codes and meanings of choices, also with a slip of the pen.
func (f *Free) takeChoices(list []piece, said template.Values) (slip string) {
	for _, field := range f.fields(func(k value.Kind) bool { return k == value.Choice }) {
		all := map[string]value.Value{}
		for i, o := range field.Type.Of {
			for _, text := range []string{o.Code, o.Meaning} {
				if key := bared(text); key != "" {
					all[key] = field.Type.Option(i)
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
					if len(key) > 4 && outline.OneSlip(word, key) {
						said[field.Name], list[i].taken = v, true
						slip = "“" + list[i].text + "” is taken for " + v.String()
					}
				}
			}
		}
	}
	return slip
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
func (f *Free) takeRest(list []piece, values, place template.Values) (lacks, alike string) {
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
		return "nothing in " + f.Convention.Name + " says “" + rest + "”", "they say something that has no place in " + f.Convention.Name
	default:
		names := make([]string, len(open))
		for i, field := range open {
			names[i] = field.Name
		}
		return "“" + rest + "” could be its " + strings.Join(names, " or its "), "what they say could be their " + strings.Join(names, " or their ")
	}
	return "", ""
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
