package learn

import (
	"cmp"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"vestibula/core/order"
	"vestibula/core/pattern"
	"vestibula/core/tree"
)

// A meeting is what lies in all folders that one line stands for.
type meeting struct {
	*learner
	parent    *line
	instances []*instance
	rest      [][]*tree.Node // of each instance, what no line stands for yet
	lines     []*line
}

// level finds the lines for what lies in some folders that one line stands for.
func (l *learner) level(instances []*instance, parent *line) []*line {
	m := &meeting{learner: l, parent: parent, instances: instances}
	some := false
	for _, in := range instances {
		var list []*tree.Node
		for _, c := range in.node.Children {
			if writable(c.Name) && c.Marks&tree.Link == 0 && c.Kind <= tree.File { // a link is somebody's own
				list = append(list, c)
			}
		}
		some = some || len(list) > 0
		m.rest = append(m.rest, list)
	}
	if !some {
		return nil
	}
	if l.common {
		m.shared(len(instances))
		order.Sort(order.Natural, m.lines, func(ln *line) string { return ln.order })
		return m.lines
	}
	m.series(false)
	if len(instances) > 1 {
		m.conventions(true)
		m.shared(m.most())
	}
	m.lists()
	m.conventions(false)
	m.shared(2)
	m.series(true)
	if !l.noisy || len(instances) == 1 {
		m.leaveOwn()
		m.shared(1)
	}
	m.numbering()
	return m.lines
}

// ownFiles is how many files that no other project has show that people put their own there.
const ownFiles = 3

// leaveOwn leaves out files of which each project has its own: they are no structure.
func (m *meeting) leaveOwn() {
	if len(samplesOf(m.instances)) == 1 {
		return
	}
	isFile := func(n *tree.Node) bool { return n.Kind == tree.File }
	own := 0
	for _, rest := range m.rest {
		for _, n := range rest {
			if isFile(n) {
				own++
			}
		}
	}
	if own < ownFiles {
		return
	}
	for i := range m.rest {
		m.rest[i] = slices.DeleteFunc(m.rest[i], isFile)
	}
}

// most is in how many instances something has to lie to be there in all of them, but for
// chance.
func (m *meeting) most() int {
	n := len(m.instances)
	if m.noisy && n >= 4 {
		return n - max(1, n/5)
	}
	return n
}

// writable reports whether a name can stand in an outline as it is.
func writable(name string) bool {
	fits := strings.Trim(name, ".") != "" && len(name) <= 200 && !strings.ContainsAny(name, "<>|/:\"*?\\\uFFFD") && !strings.ContainsFunc(name, unicode.IsControl) && strings.TrimSpace(name) == name && strings.ToValidUTF8(name, "") == name && !strings.Contains(name, "  ")
	if !fits {
		return false
	}
	for i := range len(name) {
		if name[i] >= utf8.RuneSelf { // what may be seen by nobody
			_, wrong := pattern.Parse(name)
			return len(wrong) == 0
		}
	}
	return true
}

// take has the nodes that a line stands for leave what is left.
func (m *meeting) take(i int, n *tree.Node) {
	m.rest[i] = slices.DeleteFunc(m.rest[i], func(o *tree.Node) bool { return o == n })
}

// add adds a line, and learns what lies in the folders that it stands for.
func (m *meeting) add(ln *line, instances []*instance) {
	if ln.from = instances; ln.folder {
		ln.kids = m.level(instances, ln)
	}
	m.lines = append(m.lines, ln)
}

// samplesOf are the samples of instances, each once.
func samplesOf(instances []*instance) map[int]bool {
	all := map[int]bool{}
	for _, in := range instances {
		all[in.sample] = true
	}
	return all
}

// A run is a name but for one token, which counts on.
type run struct {
	before, after, kind, picture string
	folder                       bool
}

// A member is one thing of a run.
type member struct {
	at    int // what its token counts
	text  string
	value string
	node  *tree.Node
}

var letter = regexp.MustCompile(`^[A-Z]$`)

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
					if letter.MatchString(t.text) {
						kind = "letter"
					}
					if kind != "number" && kind != "letter" && !calendar(kind) {
						continue
					}
					r := run{before: join(list[:k]), after: join(list[k+1:]), kind: kind, picture: t.picture, folder: n.Kind == tree.Folder}
					if kind == "number" {
						r.picture = strings.Repeat("0", len(t.text))
						if t.text[0] != '0' && len(t.text) == 1 {
							r.picture = "0"
						}
					}
					if runs[r] == nil {
						runs[r] = make([][]member, len(m.instances))
					}
					runs[r][i] = append(runs[r][i], member{ordinal(kind, t), t.text, t.value, n})
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
	return cmp.Or(strings.Compare(a.before, b.before), strings.Compare(a.after, b.after), strings.Compare(a.kind, b.kind), strings.Compare(a.picture, b.picture)) < 0
}

// ordinal is what a token counts.
func ordinal(kind string, t token) int {
	num := func(s string) int { n, _ := strconv.Atoi(s); return n }
	switch kind {
	case "number":
		return num(t.text)
	case "letter":
		return int(t.text[0]-'A') + 1
	case "year":
		return num(t.value)
	case "month":
		return num(t.value[:4])*12 + num(t.value[5:]) - 1
	case "quarter":
		return num(t.value[:4])*4 + num(t.value[6:]) - 1
	case "week":
		return num(t.value[:4])*53 + num(t.value[6:]) - 1
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

// addRun adds the line of a run. It reports false where its ends cannot be told.
func (m *meeting) addRun(r run, list [][]member) bool {
	item := m.item(m.itemName(r), m.instances)
	first, last := map[int]member{}, map[int]member{} // of the samples
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
			return false
		}
		first[s], last[s] = a, z
	}
	source, ok := m.rangeOf(r.kind, item, first, last)
	if !ok {
		return false
	}
	picture := r.picture
	var same []string
	for _, members := range list {
		for _, t := range members {
			same = append(same, t.text)
		}
	}
	if r.kind == "number" {
		if picture = widthOf(same); picture == "0" && len(same[0]) > 1 {
			picture = r.picture
		}
	}
	if r.kind == "letter" {
		picture = ""
	}
	ln := &line{name: r.before + slot(item, picture) + r.after, folder: r.folder, clauses: []string{"each: " + item + " in " + source}, order: list[slices.IndexFunc(list, func(l []member) bool { return len(l) > 0 })][0].node.Name, number: -1, many: true}
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
	end := func(t member) string {
		switch kind {
		case "number":
			return unpadded(t.text)
		case "letter":
			return t.text
		}
		return t.value
	}
	usual := func(of map[int]member) (string, bool) {
		count := map[string]int{}
		for _, t := range of {
			count[end(t)]++
		}
		most := ""
		for _, v := range sortedKeys(count) {
			if most == "" || count[v] > count[most] {
				most = v
			}
		}
		return most, count[most] == len(of) || m.noisy && count[most]*10 >= len(of)*7
	}
	from, fixedFrom := usual(first)
	to, fixedTo := usual(last)
	if fixedFrom && fixedTo && (!calendar(kind) || len(m.samples) > 1) {
		return from + ".." + to, true
	}
	if calendar(kind) { // most run through the year of the project
		for _, f := range m.fields {
			if f.kind != "year" {
				continue
			}
			ends := map[string][2]string{"month": {"-01", "-12"}, "quarter": {"-Q1", "-Q4"}, "week": {"-W01", "-W53"}}[kind]
			fits := ends[0] != ""
			for s := range first {
				year := f.values[s]
				fits = fits && first[s].value == year+ends[0] && (last[s].value == year+ends[1] || kind == "week" && last[s].value == year+"-W52")
			}
			if fits {
				return fmt.Sprintf("<%s>%s..<%s>%s", f.name, ends[0], f.name, ends[1]), true
			}
		}
	}
	if fixedFrom && fixedTo {
		return from + ".." + to, true
	}
	if kind == "letter" {
		return "", false
	}
	ends := func(name string, of map[int]member) string {
		for _, f := range m.fields {
			same := f.kind == kind
			for s, t := range of {
				same = same && f.values[s] == end(t)
			}
			if same {
				return f.name
			}
		}
		f := m.field(name, kind)
		for s, t := range of {
			f.values[s] = end(t)
		}
		m.fill(f)
		return f.name
	}
	if kind == "number" {
		if !fixedFrom {
			return "", false
		}
		return from + ".." + ends(plural(item), last), true
	}
	if !fixedFrom {
		from = "<" + ends("first-"+kind, first) + ">"
	}
	if !fixedTo {
		to = "<" + ends("last-"+kind, last) + ">"
	}
	return from + ".." + to, true
}

// fill gives a field some value in the samples in which it does not matter.
func (m *meeting) fill(f *field) {
	for s := range f.values {
		if f.values[s] == "" {
			f.values[s] = f.values[slices.IndexFunc(f.values, func(v string) bool { return v != "" })]
		}
	}
}

// A candidate is a name, with slots, that several things may have.
type candidate struct {
	name   string
	folder bool
}

// shared finds the lines of what lies in at least so many of the instances under one name.
func (m *meeting) shared(least int) {
	type seen struct{ count, last int }
	had := map[candidate]*seen{}
	for i, rest := range m.rest {
		for _, n := range rest {
			for _, name := range m.readings(m.instances[i], n) {
				c := candidate{name, n.Kind == tree.Folder}
				s := had[c]
				if s == nil {
					s = &seen{last: -1}
					had[c] = s
				}
				if s.last != i {
					s.count, s.last = s.count+1, i
				}
			}
		}
	}
	support := map[candidate]int{}
	var keys []candidate
	for c, s := range had {
		if s.count >= least {
			support[c] = s.count
			keys = append(keys, c)
		}
	}
	few := 1
	if len(m.instances) == 1 || least == 1 { // what could be a value is one: nothing says that it is not
		few = -1
	}
	slices.SortFunc(keys, func(a, b candidate) int {
		return cmp.Or(support[b]-support[a], few*(strings.Count(a.name, "<")-strings.Count(b.name, "<")), len(a.name)-len(b.name), strings.Compare(a.name, b.name))
	})
	for _, c := range keys {
		var inside []*instance
		var where []int
		for i, rest := range m.rest {
			for _, n := range rest {
				if (n.Kind == tree.Folder) == c.folder && slices.Contains(m.readings(m.instances[i], n), c.name) {
					inside, where = append(inside, &instance{m.instances[i].sample, n, m.instances[i].env}), append(where, i)
					break
				}
			}
		}
		if len(inside) < least {
			continue
		}
		with := samplesOf(inside)
		if !m.steady(inside, with) {
			continue
		}
		ln := &line{name: c.name, folder: c.folder, order: inside[0].node.Name, number: -1}
		for k, in := range inside {
			m.take(where[k], in.node)
		}
		m.condition(ln, with, m.instances)
		m.add(ln, inside)
	}
}

// steady reports whether something lies in all or in none of the instances of a sample,
// but for chance: what differs in one project has no condition of the project.
func (m *meeting) steady(inside []*instance, with map[int]bool) bool {
	all := 0
	for _, in := range m.instances {
		if with[in.sample] {
			all++
		}
	}
	return len(inside) == all || len(inside)*10 >= all*7
}

// condition adds to a line that only some projects have it.
func (m *meeting) condition(ln *line, with map[int]bool, instances []*instance) {
	all := samplesOf(instances)
	if len(with) == len(all) || m.noisy && len(all) >= 4 && len(with) >= len(all)-max(1, len(all)/5) {
		return
	}
	for _, f := range m.fields {
		if f.kind != "choice" {
			continue
		}
		codes := map[string]bool{}
		for s := range with {
			codes[f.values[s]] = true
		}
		exact := true
		for s := range all {
			exact = exact && codes[f.values[s]] == with[s]
		}
		if exact {
			var parts []string
			for _, c := range sortedKeys(codes) {
				parts = append(parts, f.name+" is "+c)
			}
			ln.clauses = append(ln.clauses, "when: "+strings.Join(parts, " or "))
			return
		}
	}
	for _, f := range m.fields {
		if f.kind == "yes-no" && !slices.ContainsFunc(slices.Collect(maps.Keys(all)), func(s int) bool { return (f.values[s] == "yes") != with[s] }) {
			ln.clauses = append(ln.clauses, "when: "+f.name)
			return
		}
	}
	f := m.field(slugOf(ln.name), "yes-no")
	for s := range m.samples {
		f.values[s] = "no"
		if with[s] {
			f.values[s] = "yes"
		}
	}
	ln.clauses = append(ln.clauses, "when: "+f.name)
}

var numbered = regexp.MustCompile(`^([^\d<]*)(\d{2,3})(\D.*)$`)

// lists finds folders that are alike, and bear names of their own in each project.
func (m *meeting) lists() {
	if len(samplesOf(m.instances)) != len(m.instances) {
		return // a list is one of the project
	}
	folders := make([][]*tree.Node, len(m.rest))
	with, total := 0, 0
	support, numbers := map[string]int{}, map[string]map[string]bool{}
	for i, rest := range m.rest {
		for _, n := range rest {
			if n.Kind != tree.Folder {
				continue
			}
			if strings.ContainsAny(n.Name, ";,") {
				return // such signs stand between items
			}
			folders[i] = append(folders[i], n)
			total++
			name := n.Name
			if parts := numbered.FindStringSubmatch(name); parts != nil && parts[1] == "" {
				name = parts[3]
				if numbers[name] == nil {
					numbers[name] = map[string]bool{}
				}
				numbers[name][parts[2]] = true
			}
			support[name]++
		}
		if len(folders[i]) > 0 {
			with++
		}
	}
	conflict, own := false, 0
	for _, n := range numbers {
		conflict = conflict || len(n) > 1
	}
	for _, n := range support {
		if n == 1 {
			own++
		}
	}
	n := len(m.instances)
	switch {
	case total < 3:
		return
	case n == 1:
		if !alikeShapes(folders[0]) {
			return
		}
	case conflict && with*2 > n:
	case own*2 < total || with*10 < n*6:
		return
	case total*2 < with*3 && !alikeShapes(slices.Concat(folders...)):
		return
	}
	lists := make([][]string, len(m.samples))
	first, consecutive, prefixed := 0, true, true
	for i, list := range folders {
		for k, c := range list {
			parts := numbered.FindStringSubmatch(c.Name)
			if parts == nil || parts[1] != "" {
				prefixed = false
				break
			}
			at, _ := strconv.Atoi(parts[2])
			if first == 0 && k == 0 && i == slices.IndexFunc(folders, func(f []*tree.Node) bool { return len(f) > 0 }) {
				first = at
			}
			consecutive = consecutive && at == first+k
		}
	}
	ln := &line{name: "\x01", folder: true, number: -1, many: true}
	var inside []*instance
	for i, list := range folders {
		for _, c := range list {
			name := c.Name
			if prefixed && consecutive && first > 0 {
				parts := numbered.FindStringSubmatch(name)
				name = strings.TrimLeft(parts[3], " ._-")
				ln.name, ln.number, ln.width = "\x00"+parts[3][:len(parts[3])-len(name)]+"\x01", first, len(parts[2])
			}
			if ln.order == "" {
				ln.order = c.Name
			}
			s := m.instances[i].sample
			lists[s] = append(lists[s], name)
			inside = append(inside, &instance{s, c, slices.Clone(m.instances[i].env)})
			m.take(i, c)
		}
	}
	field := m.listField(lists)
	item := m.item(singular(field.name), m.instances)
	ln.name = strings.ReplaceAll(ln.name, "\x01", slot(item, ""))
	at := map[int]int{}
	for _, in := range inside {
		in.env = append(in.env, binding{item, "text", lists[in.sample][at[in.sample]]})
		at[in.sample]++
	}
	ln.clauses = append(ln.clauses, "each: "+item+" in "+field.name)
	m.add(ln, inside)
}

// listField is the list that has these items in each sample: one that is known already,
// else a new one.
func (m *meeting) listField(lists [][]string) *field {
	for _, f := range m.fields {
		if f.kind != "list" {
			continue
		}
		same := true
		for _, in := range m.instances {
			same = same && slices.Equal(f.lists[in.sample], lists[in.sample])
		}
		if same {
			return f
		}
	}
	f := m.field(plural(singular(cmp.Or(slugOf(m.parent.name), "items"))), "list")
	f.lists = lists
	return f
}

// alikeShapes reports whether folders hold much the same names, and not nothing.
func alikeShapes(list []*tree.Node) bool {
	count, all := map[string]int{}, 0
	for _, f := range list {
		for _, c := range f.Children {
			count[c.Name]++
			all++
		}
	}
	shared := 0
	for _, n := range count {
		if n*2 > len(list) {
			shared += n
		}
	}
	return all > 0 && shared*2 > all
}

// numbering has lines of one series number themselves.
func (m *meeting) numbering() {
	order.Sort(order.Natural, m.lines, func(ln *line) string { return ln.order })
	groups := map[string][]*line{}
	for _, ln := range m.lines {
		if ln.number >= 0 { // a numbered list
			groups[""] = append(groups[""], ln)
			continue
		}
		parts := numbered.FindStringSubmatch(ln.name)
		if parts == nil || ln.many || strings.HasPrefix(parts[3], ".") && !ln.folder {
			continue
		}
		ln.number, _ = strconv.Atoi(parts[2])
		ln.width = len(parts[2])
		groups[parts[1]] = append(groups[parts[1]], ln)
	}
	for _, before := range sortedKeys(groups) {
		list := groups[before]
		slices.SortStableFunc(list, func(a, b *line) int { return a.number - b.number })
		fits := len(list) > 1
		for k := range list[1:] {
			// What follows a list counts on from its end, which differs.
			fits = fits && list[k].number < list[k+1].number && list[k].width == list[k+1].width && (!list[k].many || list[k+1].number-list[k].number > 20)
		}
		if !fits { // only a list counts then, and all others keep the numbers in their names
			list = slices.DeleteFunc(list, func(ln *line) bool { return !ln.many })
		}
		last := 0
		for _, ln := range list {
			mark := "<#>"
			if ln.width != 2 {
				mark = "<#:" + strings.Repeat("0", ln.width) + ">"
			}
			if ln.many {
				ln.name = mark + ln.name[1:]
			} else {
				parts := numbered.FindStringSubmatch(ln.name)
				ln.name = parts[1] + mark + parts[3]
			}
			if ln.number != last+1 {
				ln.clauses = append(ln.clauses, "number: "+strconv.Itoa(ln.number))
			}
			last = ln.number
		}
	}
}
