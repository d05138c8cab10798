package draft

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"vestibula/core/outline"
	"vestibula/core/value"
)

// root learns from the names of the samples themselves.
func (l *learner) root() *line {
	names := make([]string, len(l.samples))
	for i, s := range l.samples {
		names[i] = s.Name
	}
	root := &line{folder: true, number: -1}
	var pieces []piece
	if len(names) > 1 {
		pieces = l.split(l.terms(infer(names)))
	}
	void := func(v string) bool { return strings.Trim(v, ". ") == "" }
	if slices.ContainsFunc(names, func(n string) bool { return !writable(n) }) || slices.ContainsFunc(pieces, func(p piece) bool { return p.kind != "" && slices.ContainsFunc(p.values, void) }) {
		// Such a name can be given as a value, and looks otherwise then.
		f := l.field("name", "text")
		for i, n := range names {
			f.values[i] = strings.TrimSpace(strings.Map(func(r rune) rune {
				switch {
				case unicode.IsControl(r):
					return -1
				case r == unicode.ReplacementChar:
					return '-'
				}
				return r
			}, strings.ToValidUTF8(n, "-")))
			if len(f.values[i]) > 100 {
				f.values[i] = strings.ToValidUTF8(f.values[i][:100], "")
			}
			if _, err := (&value.Type{Kind: value.Text}).Parse(f.values[i], time.Time{}); void(f.values[i]) || err != nil {
				f.values[i] = "nameless"
			}
		}
		root.name = slot(f.name, "")
		l.addGiven(names)
		return root
	}
	if len(names) == 1 {
		root.name = l.single(names[0])
		return root
	}
	for _, p := range pieces {
		if p.kind == "" {
			root.name += p.literal
			continue
		}
		f := l.field(l.nameFor(p), p.kind)
		f.values, f.of = p.values, p.of
		root.name += slot(f.name, p.form)
	}
	l.addGiven(names)
	return root
}

// terms joins a year, with the place and the name of a term in it, into one piece.
func (l *learner) terms(list []piece) []piece {
	for i := range list { // of terms of one year, that is a literal
		if parts := yearAtEnd().FindStringSubmatch(list[i].literal); parts != nil {
			year := piece{kind: "year"}
			for range l.samples {
				year.values = append(year.values, parts[2])
			}
			pieces := slices.Concat(list[:i:i], []piece{{literal: parts[1]}, year, {literal: " "}}, list[i+1:])
			if rest := pieces[i+1:]; len(l.terms(rest)) < len(rest) {
				list = slices.DeleteFunc(pieces, func(p piece) bool { return p.kind == "" && p.literal == "" })
			}
			break
		}
	}
	for i := 0; i+4 < len(list); i++ {
		year, place, name := list[i], list[i+2], list[i+4]
		if year.kind != "year" || place.kind != "number" || place.form != "0" || name.kind != "text" || list[i+1].literal != " " || list[i+3].literal != " " {
			continue
		}
		called := map[int]string{}
		most, fits := 0, true
		for k, v := range place.values {
			at, _ := strconv.Atoi(v)
			word := name.values[k]
			fits = fits && at > 0 && at < 10 && classOf(word) == "word" && len(tokens(word)) == 1 && word == outline.Capitalised(strings.ToLower(word)) && (called[at] == "" || called[at] == word)
			called[at], most = word, max(most, at)
		}
		if !fits || len(called) < 2 {
			continue
		}
		p := piece{kind: "term", form: "yyyy 0 Name"}
		for at := 1; at <= most; at++ {
			if called[at] == "" {
				called[at] = fmt.Sprintf("term%d", at)
				l.doubts = append(l.doubts, fmt.Sprintf("no term of these is the %s of its year: %s stands for its name", []string{"first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth"}[at-1], called[at]))
			}
			p.of = append(p.of, strings.ToLower(called[at]))
		}
		for k := range year.values {
			p.values = append(p.values, year.values[k]+" "+strings.ToLower(name.values[k]))
		}
		return append(append(slices.Clone(list[:i]), p), list[i+5:]...)
	}
	return list
}

// split parts texts of several words in two: where a person has told that a part of one is
// a value, and where first words come again and again, and what follows never does.
func (l *learner) split(list []piece) (out []piece) {
	for _, p := range list {
		at := 0 // so many words from the begin, or from the end
		if p.kind == "text" {
			at = l.splitAt(p.values)
		}
		first, second, ok := piece{kind: "text"}, piece{kind: "text"}, at != 0
		for _, v := range p.values {
			words := strings.Split(v, " ")
			n := at
			if at < 0 {
				n += len(words)
			}
			if ok = ok && n > 0 && n < len(words); !ok {
				break
			}
			first.values, second.values = append(first.values, strings.Join(words[:n], " ")), append(second.values, strings.Join(words[n:], " "))
		}
		if !ok {
			out = append(out, p)
			continue
		}
		for _, q := range []*piece{&first, &second} {
			if of := distinct(q.values); len(of)*2 <= len(q.values) && apart(of) && !slices.ContainsFunc(of, func(s string) bool { return strings.ContainsFunc(s, func(r rune) bool { return !isLetter(r) }) }) {
				q.kind, q.of = "choice", of
			}
			q.texts = q.values
		}
		out = append(out, first, piece{literal: " "}, second)
	}
	return merged(out)
}

// fewest is which of two ways to part texts gives parts that come again most often: a kind
// comes again, a person does not.
func fewest(values []string, one, other int) int {
	parts := func(at int) int {
		var first, rest []string
		for _, v := range values {
			words := strings.Split(v, " ")
			n := at
			if n < 0 {
				n += len(words)
			}
			if n < 1 || n >= len(words) {
				return len(values) + 1
			}
			first, rest = append(first, strings.Join(words[:n], " ")), append(rest, strings.Join(words[n:], " "))
		}
		return min(len(distinct(first)), len(distinct(rest)))
	}
	if parts(other) < parts(one) {
		return other
	}
	return one
}

// splitAt is behind which word texts are parted in two, from the begin or, below 0, from the
// end; 0 is for not at all.
func (l *learner) splitAt(values []string) int {
	for _, name := range sortedKeys(l.given) {
		told := l.given[name]
		words := len(strings.Split(told, " "))
		for _, v := range values {
			all := len(strings.Split(v, " "))
			switch {
			case v == told:
				return 0
			case strings.HasSuffix(v, " "+told):
				return fewest(values, -words, all-words)
			case strings.HasPrefix(v, told+" "):
				return fewest(values, words, words-all)
			}
		}
	}
	var first, rest []string
	for _, v := range values {
		word, others, more := strings.Cut(v, " ")
		if !more {
			return 0
		}
		first, rest = append(first, word), append(rest, others)
	}
	if len(values) >= 4 && len(distinct(first))*2 <= len(values) && len(distinct(first)) > 1 && len(distinct(rest)) == len(values) {
		return 1
	}
	return 0
}

var yearAtEnd = lazily(`^(.*)((?:19|20)\d\d) $`)

// single learns from the only name that there is: what was told, and what can be nothing
// but a day or a period.
func (l *learner) single(name string) string {
	rest, out := name, ""
	type told struct{ field, value string }
	var known []told
	for _, f := range sortedKeys(l.given) {
		known = append(known, told{f, l.given[f]})
	}
	slices.SortStableFunc(known, func(a, b told) int { return len(b.value) - len(a.value) })
	slots := map[string]string{}
	for _, k := range known {
		f := l.field(k.field, kindOf(k.value))
		f.values[0], f.told = k.value, true
		for _, p := range formsOf(f.kind) {
			text := l.written(f.kind, nil, k.value, p)
			if at := strings.Index(rest, text); text != "" && at >= 0 && bounded(rest, at, at+len(text)) {
				mark := fmt.Sprintf("\x00%d\x00", len(slots))
				slots[mark] = slot(f.name, p)
				rest = rest[:at] + mark + rest[at+len(text):]
				break
			}
		}
	}
	list := tokens(rest)
	from, to := 0, 0
	if len(slots) == 0 && len(l.given) == 0 {
		// The longest text beside days and periods is most likely whom it is for.
		from, to = longestText(list)
	}
	for i := 0; i < len(list); i++ {
		switch t := list[i]; {
		case i == from && to > from:
			f := l.field("name", "text")
			f.values[0] = join(list[from:to])
			out += slot(f.name, "")
			l.doubts = append(l.doubts, fmt.Sprintf("“%s” is taken for a value, named “%s”: tell what it is with field=value", f.values[0], f.name))
			i = to - 1
		case slots[t.text] != "":
			out += slots[t.text]
		case calendar(t.kind):
			f := l.field(defaultNames[t.kind], t.kind)
			f.values[0] = t.value
			out += slot(f.name, t.form)
		default:
			out += t.text
		}
	}
	return out
}

// longestText is the longest part of a name that begins and ends in words, with no number,
// day or period in it.
func longestText(list []token) (from, to int) {
	best := 0
	for i := range list {
		for j := i; j < len(list) && (list[j].kind == word || list[j].kind == sign); j++ {
			if n := len(join(list[i : j+1])); list[i].kind == word && list[j].kind == word && n > best {
				from, to, best = i, j+1, n
			}
		}
	}
	return from, to
}

// nameFor is what a field is called that was found in names.
func (l *learner) nameFor(p piece) string {
	for _, name := range sortedKeys(l.given) {
		if slices.Contains(p.values, l.given[name]) && !l.taken[name] {
			return name
		}
	}
	return defaultNames[p.kind]
}

// addGiven adds what was told and does not stand in the names of the samples.
func (l *learner) addGiven(names []string) {
	for _, name := range sortedKeys(l.given) {
		if slices.ContainsFunc(l.fields, func(f *field) bool { return f.name == name }) {
			continue
		}
		f := l.field(name, kindOf(l.given[name]))
		f.told = true
		for i := range names {
			f.values[i] = l.given[name]
		}
	}
	for _, f := range l.fields {
		f.told = f.told || l.given[f.name] != ""
	}
}

var defaultNames = map[string]string{"text": "name", "choice": "kind", "number": "number", "date": "day", "month": "month", "quarter": "quarter", "week": "week", "year": "year", "term": "term"}
