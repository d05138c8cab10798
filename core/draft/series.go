package draft

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"vestibula/core/tree"
)

// A run is a name but for one token, which counts on.
type run struct {
	before, after, kind, form string
	folder                    bool
}

// A member is one thing of a run.
type member struct {
	at    int // what its token counts
	text  string
	value string
	node  *tree.Node
}

// series finds what only counts on: weeks, months, boxes. Few are those of which most
// instances have none.
func (m *meeting) series(few bool) {
	for {
		runs := map[run][][]member{}
		for i, rest := range m.rest {
			for _, n := range rest {
				if !countable(n.Name) {
					continue
				}
				list := tokens(n.Name)
				for k, t := range list {
					kind := t.kind
					if len(t.text) == 1 && t.text[0] >= 'A' && t.text[0] <= 'Z' {
						kind = "letter"
					}
					if kind != "number" && kind != "letter" && !calendar(kind) {
						continue
					}
					r := run{before: join(list[:k]), after: join(list[k+1:]), kind: kind, form: t.form, folder: n.Kind == tree.Folder}
					forms := []string{t.form}
					if kind == "number" {
						forms = widths(t.text)
					}
					for _, r.form = range forms {
						if runs[r] == nil {
							runs[r] = make([][]member, len(m.instances))
						}
						runs[r][i] = append(runs[r][i], member{ordinal(kind, t), t.text, t.value, n})
					}
				}
			}
		}
		best, size := run{}, 0
		for r, list := range runs {
			if n := m.goesOn(r, list, few); n > size || n == size && n > 0 && less(r, best) {
				best, size = r, n
			}
		}
		if size == 0 || !m.addRun(best, runs[best]) {
			return
		}
	}
}

// widths are the forms that write a number such: 10 counts on from 9 and from 09.
func widths(text string) (list []string) {
	least := 1
	if text[0] == '0' {
		least = len(text)
	}
	for n := least; n <= len(text); n++ {
		list = append(list, strings.Repeat("0", n))
	}
	return list
}

// countable reports whether there may be something in a name that counts on: a digit, or
// a capital that stands alone.
func countable(name string) bool {
	for i := range len(name) {
		switch c := name[i]; {
		case c >= '0' && c <= '9':
			return true
		case c >= 'A' && c <= 'Z' && (i == 0 || name[i-1] < 'A') && (i+1 == len(name) || name[i+1] < 'A'):
			return true
		}
	}
	return false
}

func less(a, b run) bool {
	return cmp.Or(strings.Compare(a.before, b.before), strings.Compare(a.after, b.after), strings.Compare(a.kind, b.kind), len(b.form)-len(a.form), strings.Compare(a.form, b.form), boolInt(a.folder)-boolInt(b.folder)) < 0
}

// ordinal is what a token counts.
func ordinal(kind string, t token) int {
	num := func(s string) int { n, _ := strconv.Atoi(s); return n }
	switch kind {
	case "number":
		return num(t.text)
	case "letter":
		return int(t.text[0])
	case "year":
		return num(t.value)
	case "month":
		return num(t.value[:4])*12 + num(t.value[5:])
	case "quarter":
		return num(t.value[:4])*4 + num(t.value[6:])
	case "week":
		return num(t.value[:4])*53 + num(t.value[6:])
	}
	return num(strings.ReplaceAll(t.value, "-", "")) // days of one month count on
}

// goesOn is how many things there are of a run, if it is one in most instances, or in few;
// else 0.
func (m *meeting) goesOn(r run, list [][]member, few bool) (size int) {
	with := 0
	for _, members := range list {
		if len(members) == 0 {
			continue
		}
		slices.SortFunc(members, func(a, b member) int { return a.at - b.at })
		first, last := members[0].at, members[len(members)-1].at
		for k := range members[1:] {
			if members[k+1].at == members[k].at {
				return 0
			}
		}
		if span := last - first + 1; len(members) < 3 || len(members)*100 < span*m.whole() {
			return 0
		}
		with++
		size += len(members)
	}
	if few {
		return size
	}
	if with*2 <= len(list) || len(list) > with && !m.noisy && with < len(list) && len(samplesOf(m.instances)) == len(m.instances) && with*3 < len(list)*2 {
		return 0
	}
	return size
}

// whole is how many of a hundred things of a run have to be there.
func (m *meeting) whole() int {
	if m.noisy {
		return 70
	}
	return 100
}

// ends are the first and the last members of a run, by their samples. It reports false where one
// sample has several.
func (m *meeting) ends(list [][]member) (first, last map[int]member, ok bool) {
	first, last = map[int]member{}, map[int]member{}
	for i, members := range list {
		if len(members) == 0 {
			continue
		}
		s := m.instances[i].sample
		a, z := members[0], members[len(members)-1]
		if f, known := first[s]; known && m.noisy { // the widest
			if a.at > f.at {
				a = f
			}
			if z.at < last[s].at {
				z = last[s]
			}
		} else if known && (f.at != a.at || last[s].at != z.at) {
			return nil, nil, false
		}
		first[s], last[s] = a, z
	}
	return first, last, true
}

// addRun adds the line of a run. It reports false where its ends cannot be told.
func (m *meeting) addRun(r run, list [][]member) bool {
	item := m.item(m.itemName(r), m.instances)
	first, last, ok := m.ends(list)
	if !ok {
		return false
	}
	source, ok := m.rangeOf(r.kind, item, first, last)
	if !ok {
		return false
	}
	form := r.form
	var same []string
	for _, members := range list {
		for _, t := range members {
			same = append(same, t.text)
		}
	}
	if r.kind == "number" {
		if form = widthOf(same); form == "0" && len(same[0]) > 1 {
			form = r.form
		}
	}
	if r.kind == "letter" {
		form = ""
	}
	ln := &line{name: r.before + slot(item, form) + r.after, folder: r.folder, clauses: []string{"each: " + item + " in " + source}, order: list[slices.IndexFunc(list, func(l []member) bool { return len(l) > 0 })][0].node.Name, number: -1, many: true}
	var inside []*instance
	with := map[int]bool{}
	kind := r.kind
	if kind == "letter" {
		kind = "text"
	}
	for i, members := range list {
		in := m.instances[i]
		for _, t := range members {
			value := t.value
			if r.kind == "number" || r.kind == "letter" {
				value = unpadded(t.text)
			}
			inside = append(inside, &instance{in.sample, t.node, append(slices.Clone(in.env), binding{item, kind, value})})
			m.take(i, t.node)
			with[in.sample] = true
		}
	}
	m.condition(ln, with, m.instances)
	m.add(ln, inside)
	return true
}

// itemName is what the item of a run is called.
func (m *meeting) itemName(r run) string {
	var last string
	for _, t := range tokens(r.before) {
		if t.kind == word {
			last = strings.ToLower(t.text)
		}
	}
	switch {
	case calendar(r.kind):
		last = r.kind
	case slugged(last) == "" && m.parent != nil:
		last = singular(slugOf(m.parent.name))
	}
	return cmp.Or(slugged(last), "n")
}

// rangeOf is the source of a run: from where to where it goes, in each sample.
func (m *meeting) rangeOf(kind, item string, first, last map[int]member) (string, bool) {
	from, fixedFrom := m.usualEnd(kind, first)
	to, fixedTo := m.usualEnd(kind, last)
	if fixedFrom && fixedTo && (!calendar(kind) || len(m.samples) > 1) {
		return from + ".." + to, true
	}
	if calendar(kind) {
		if year := m.throughYear(kind, first, last); year != "" {
			return year, true
		}
	}
	switch {
	case fixedFrom && fixedTo:
		return from + ".." + to, true
	case kind == "letter", kind == "number" && !fixedFrom:
		return "", false
	case kind == "number":
		return from + ".." + m.endField(plural(item), kind, last), true
	}
	if !fixedFrom {
		from = "<" + m.endField("first-"+kind, kind, first) + ">"
	}
	if !fixedTo {
		to = "<" + m.endField("last-"+kind, kind, last) + ">"
	}
	return from + ".." + to, true
}

// endOf is the end of a run as a range says it.
func endOf(kind string, t member) string {
	switch kind {
	case "number":
		return unpadded(t.text)
	case "letter":
		return t.text
	}
	return t.value
}

// usualEnd is the end that most samples have, and whether it stands for all.
func (m *meeting) usualEnd(kind string, of map[int]member) (most string, fixed bool) {
	count := map[string]int{}
	for _, t := range of {
		count[endOf(kind, t)]++
	}
	for _, v := range sortedKeys(count) {
		if most == "" || count[v] > count[most] {
			most = v
		}
	}
	return most, count[most] == len(of) || m.noisy && count[most]*10 >= len(of)*7
}

// throughYear is the range through the year that a field of the project says; else empty.
func (m *meeting) throughYear(kind string, first, last map[int]member) string {
	ends := map[string][2]string{"month": {"-01", "-12"}, "quarter": {"-Q1", "-Q4"}, "week": {"-W01", "-W53"}}[kind]
	for _, f := range m.fields {
		if f.kind != "year" {
			continue
		}
		fits := ends[0] != ""
		for s := range first {
			year := f.values[s]
			fits = fits && first[s].value == year+ends[0] && (last[s].value == year+ends[1] || kind == "week" && last[s].value == year+"-W52")
		}
		if fits {
			return fmt.Sprintf("<%s>%s..<%s>%s", f.name, ends[0], f.name, ends[1])
		}
	}
	return ""
}

// endField is the name of the field that says the ends: one that has these values already, or
// a new one.
func (m *meeting) endField(name, kind string, of map[int]member) string {
	for _, f := range m.fields {
		same := f.kind == kind
		for s, t := range of {
			same = same && f.values[s] == endOf(kind, t)
		}
		if same {
			return f.name
		}
	}
	f := m.field(name, kind)
	for s, t := range of {
		f.values[s] = endOf(kind, t)
	}
	m.fill(f)
	return f.name
}

// fill gives a field some value in the samples in which it does not matter.
func (m *meeting) fill(f *field) {
	for s := range f.values {
		if f.values[s] == "" {
			f.values[s] = f.values[slices.IndexFunc(f.values, func(v string) bool { return v != "" })]
		}
	}
}
