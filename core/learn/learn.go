// Package learn makes a template of real folders: what they share is constant, what
// differs is a slot, as narrow as the examples allow. It is the inverse of building, and
// its result is held against that: see [Result.Prove]. It looks at names alone, asks
// nobody, and changes nothing.
//
// The names of the folders themselves give the first fields. In each folder, from the top
// down, what lies there in all projects is brought together: series that only count on
// (`each`), names that are the same once known values are taken out of them, lists of alike
// folders, and at last files whose names have one spelling (naming conventions). What only some
// projects have gets a condition; what few have is kept for later.
package learn

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Sample is one real folder to learn from.
type Sample struct {
	Name string
	Root *tree.Node // what lies in it; hidden things are no part of it
}

// A Result is a template that was learned, and what it says of the samples.
type Result struct {
	Text     string
	Values   []map[string]template.Raw // of each sample
	Fields   []Found                   // what was taken for a value
	Doubts   []string                  // what a person should look at
	Starters []Starter                 // that it starts from
}

// A Found field is something that differs between the samples, or was told.
type Found struct {
	Name     string
	Kind     string // as the language calls it
	Examples []string
	Told     bool
}

// MaxSamples and MaxEntries bound what is learned from.
const (
	MaxSamples = 1000
	MaxEntries = 2_000_000
)

// Of learns from samples. Given are values that a person has told, by the names of their
// fields; they hold for the samples in whose names or entries they stand. Read, which may
// be nil, reads what files hold: then the template has starters, in a folder of their own.
func Of(title string, samples []Sample, given map[string]string, read Contents) (*Result, error) {
	if len(samples) == 0 {
		return nil, fmt.Errorf("there is nothing to learn from")
	}
	l := newLearner(samples)
	l.given = given
	root := l.root()
	l.spellings = make([][]spelling, len(samples))
	for i := range samples {
		l.spellings[i] = l.spellingsOf(i)
	}
	var tops []*instance
	for i, s := range samples {
		tops = append(tops, &instance{sample: i, node: s.Root})
	}
	l.measureNoise(tops)
	root.kids = l.level(tops, root)
	if len(root.kids) == 1 && root.kids[0].folder {
		root.clauses = append(root.clauses, "project") // else that one would be its own folder
	}
	l.seldom(root)
	all, conditional := count(root.kids)
	for _, ln := range root.kids { // what lies there has a name of its own in each
		if ln.many && strings.HasPrefix(ln.name, "<") {
			conditional++
		}
	}
	if len(samples) > 1 && conditional*2 > all {
		l.doubts = append(l.doubts, "these folders have little in common: most of it stands under conditions; one template for each kind of them would be clearer")
	}
	r := &Result{}
	if read != nil {
		r.Starters = l.starters("starters/"+cmp.Or(slugged(title), "files"), root, read)
	}
	shared := l.parts(root)
	r.Text, r.Doubts = l.write(title, root, shared), l.doubts
	for i := range samples {
		values := map[string]template.Raw{}
		for _, f := range l.fields {
			switch {
			case f.kind == "list":
				values[f.name] = template.Raw{Items: f.lists[i], List: true}
			case f.kind == "yes-no":
				values[f.name] = template.Raw{Text: map[bool]string{true: "yes", false: "no"}[f.values[i] == "yes"]}
			case f.values[i] != "":
				values[f.name] = template.Raw{Text: f.values[i]}
			}
		}
		r.Values = append(r.Values, values)
	}
	for _, f := range l.fields {
		found := Found{Name: f.name, Kind: f.kind, Told: f.told}
		for i := range samples {
			v := f.values[i]
			if f.kind == "list" {
				v = strings.Join(f.lists[i], "; ")
			}
			if v != "" && !slices.Contains(found.Examples, v) {
				found.Examples = append(found.Examples, v)
			}
		}
		r.Fields = append(r.Fields, found)
	}
	return r, nil
}

// count counts lines, and those that stand under a condition, or below one that does.
func count(list []*line) (all, conditional int) {
	for _, ln := range list {
		n, m := count(ln.kids)
		all, conditional = all+1+n, conditional+m
		if slices.ContainsFunc(ln.clauses, func(c string) bool { return strings.HasPrefix(c, "when:") }) {
			conditional += 1 + n - m
		}
	}
	return all, conditional
}

// A learner is at work on one set of samples.
type learner struct {
	samples   []Sample
	given     map[string]string
	fields    []*field
	taken     map[string]bool             // names of fields and items
	items     map[string]bool             // those of items, which others may have elsewhere
	own       map[string]bool             // those of fields of conventions, which no other field may have
	spellings [][]spelling                // how the values of each sample may be written
	seen      []map[string]seenName       // names that were read, of each sample
	forms     map[[2]string]*pattern.Form // by kind and text; nil for one that a kind has not
	names     []*convention
	noisy     bool
	common    bool // only what all have is learned, and no field is added
	doubts    []string
	itemsSeen map[binding][]spelling
	unfit     map[string]bool         // slots that some value cannot be written in
	paths     []map[*tree.Node]string // of what lies in each sample, once they were asked for
}

func newLearner(samples []Sample) *learner {
	l := &learner{samples: samples, taken: map[string]bool{}, items: map[string]bool{}, own: map[string]bool{}, itemsSeen: map[binding][]spelling{}, unfit: map[string]bool{}, forms: map[[2]string]*pattern.Form{}}
	for range samples {
		l.seen = append(l.seen, map[string]seenName{})
	}
	return l
}

// A field is what differs.
type field struct {
	name   string
	kind   string
	of     []string
	values []string   // of each sample, as they are given to a build
	lists  [][]string // of a list
	told   bool
}

// A line is one of the outline.
type line struct {
	name    string // with slots
	folder  bool
	clauses []string
	kids    []*line
	order   string // the name that says where it stands among its siblings
	number  int    // in front of its name, or -1
	width   int
	many    bool // it stands for several things
	from    []*instance
}

// An instance is a real folder that a line stands for.
type instance struct {
	sample int
	node   *tree.Node
	env    []binding // items of lists and series on the way
}

// A binding is the value of an item.
type binding struct{ name, kind, value string }

// field adds one, under a name that is free.
func (l *learner) field(name, kind string) *field {
	f := &field{name: l.free(name), kind: kind, values: make([]string, len(l.samples)), lists: make([][]string, len(l.samples))}
	l.fields = append(l.fields, f)
	return f
}

// free is a name that nothing has yet.
func (l *learner) free(name string) string {
	if name = named(name); name == "" {
		name = "name"
	}
	as := name
	for n := 2; l.taken[as] || l.own[as]; n++ {
		as = fmt.Sprintf("%s-%d", name, n)
	}
	l.taken[as] = true
	return as
}

// takenWords mean something in conditions, or to YAML.
var takenWords = strings.Fields("and or not is in yes no on off true false null y n")

// named is a word that can name a field.
func named(name string) string {
	if slices.Contains(takenWords, name) && name != "n" {
		return name + "-1"
	}
	return name
}

// item is a name for the items of a series or a list: one that no field has, nor a series
// around it.
func (l *learner) item(name string, instances []*instance) string {
	around := map[string]bool{}
	for _, in := range instances {
		for _, b := range in.env {
			around[b.name] = true
		}
	}
	if l.items[name] && !around[name] {
		return name
	}
	name = l.free(name)
	l.items[name] = true
	return name
}

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

// terms has a year with the place and the name of a term in it be one piece.
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
			fits = fits && at > 0 && at < 10 && classOf(word) == "word" && len(tokens(word)) == 1 && word == strings.ToUpper(word[:1])+strings.ToLower(word[1:]) && (called[at] == "" || called[at] == word)
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
	for f, v := range l.given {
		known = append(known, told{f, v})
	}
	slices.SortFunc(known, func(a, b told) int { return len(b.value) - len(a.value) })
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
	for name, value := range l.given {
		if slices.Contains(p.values, value) && !l.taken[name] {
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

// measureNoise notes whether so much lies in one project alone that it is chance, not rule.
func (l *learner) measureNoise(tops []*instance) {
	if len(tops) < 4 {
		return
	}
	count := map[string]int{}
	in := map[string]int{} // the sample in which each was seen last
	for _, t := range tops {
		var walk func(n *tree.Node, above string)
		walk = func(n *tree.Node, above string) {
			for _, c := range n.Children {
				if c.Kind == tree.Folder {
					at := above + l.masked(t.sample, c.Name)
					count[at]++
					in[at] = t.sample
					walk(c, at+"/")
				}
			}
		}
		walk(t.node, "")
	}
	above := func(at string) string { return at[:max(strings.LastIndexByte(at, '/'), 0)] }
	lone := map[string]map[int]bool{} // by what they lie in, the samples that have some
	singles := map[string]int{}
	often, total := map[string]int{}, map[string]int{} // what lies in a folder: its commonest, and all
	for at, n := range count {
		dir := above(at)
		often[dir] = max(often[dir], n)
		total[dir] += n
		if n == 1 && (dir == "" || count[dir] > 1) {
			if lone[dir] == nil {
				lone[dir] = map[int]bool{}
			}
			lone[dir][in[at]] = true
			singles[dir]++
		}
	}
	all, spread := 0, map[int]bool{}
	for dir, n := range singles {
		// In a list most projects have an item that no other one has, or none is in all of them.
		most := len(lone[dir])*10 >= 6*min(len(tops), count[dir])
		varied := total[dir] >= 2*count[dir] && often[dir]*4 <= count[dir]*3
		if isList := dir != "" && (most || varied); !isList {
			all += n
			maps.Copy(spread, lone[dir])
		}
	}
	l.noisy = all > len(tops) && 2*len(spread) > len(tops) // what one project alone has is its own
}

// masked is a name with the values of its sample and all digits taken out.
func (l *learner) masked(sample int, name string) string {
	for _, f := range l.spellings[sample] {
		if len(f.text) > 2 {
			name = strings.ReplaceAll(name, f.text, "\x00")
		}
	}
	return strings.Map(func(r rune) rune {
		if isDigit(r) {
			return '0'
		}
		return r
	}, name)
}
