package draft

import (
	"cmp"
	"maps"
	"slices"
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
		m.shared(len(instances), false)
		order.Sort(order.Natural, m.lines, func(ln *line) string { return ln.order })
		return m.lines
	}
	m.series(false)
	if len(instances) > 1 {
		m.conventions(true)
		m.shared(m.most(), false)
	}
	m.lists()
	m.conventions(false)
	m.shared(2, false)
	m.series(true)
	if !l.noisy || len(instances) == 1 {
		m.leaveOwn()
		m.shared(1, false)
		m.shared(2, true)
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
	fits := strings.Trim(name, ". ") != "" && len(name) <= 200 && !strings.ContainsAny(name, "<>|/:\"*?\\\uFFFD") && !strings.ContainsFunc(name, unicode.IsControl) && strings.TrimSpace(name) == name && strings.ToValidUTF8(name, "") == name && !strings.Contains(name, "  ")
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

// take takes the nodes that a line stands for out of what is left.
func (m *meeting) take(i int, n *tree.Node) {
	m.rest[i] = slices.DeleteFunc(m.rest[i], func(o *tree.Node) bool { return o == n })
}

// add adds a line, and learns what lies in the folders that it stands for.
func (m *meeting) add(ln *line, instances []*instance) {
	if ln.from = instances; ln.folder {
		for _, in := range instances {
			for _, b := range in.env {
				m.itemForms(b) // all items are known before one is looked for
			}
		}
		m.drifted(ln, instances)
		ln.kids = m.level(instances, ln)
	}
	m.lines = append(m.lines, ln)
}

// drifted adds to a line what its folders were found to hold before anything was learned.
func (l *learner) drifted(ln *line, instances []*instance) {
	if l.drift == nil {
		return
	}
	if at := slices.IndexFunc(instances, func(in *instance) bool { return l.drift.holds[in.node] != "" }); at >= 0 {
		ln.clauses = append(ln.clauses, "holds: "+l.drift.holds[instances[at].node])
	}
	for _, in := range instances {
		l.dated(ln, l.drift.dated[in.node])
	}
	l.holdsToo(ln, instances)
}

// samplesOf are the samples of instances, each once.
func samplesOf(instances []*instance) map[int]bool {
	all := map[int]bool{}
	for _, in := range instances {
		all[in.sample] = true
	}
	return all
}

// A candidate is a name, with slots, that several things may have.
type candidate struct {
	name   string
	folder bool
}

// candidates are what at least so many of the instances have, those that most have first.
func (m *meeting) candidates(least int) (keys []candidate) {
	type seen struct{ count, last int }
	had := map[candidate]*seen{}
	for i, rest := range m.rest {
		for _, n := range rest {
			for _, name := range m.readings(m.instances[i], n.Name) {
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
	for c, s := range had {
		if s.count >= least {
			keys = append(keys, c)
		}
	}
	few := 1
	if len(m.instances) == 1 || least == 1 { // what could be a value is one: nothing says that it is not
		few = -1
	}
	slices.SortFunc(keys, func(a, b candidate) int {
		return cmp.Or(had[b].count-had[a].count, few*(strings.Count(a.name, "<")-strings.Count(b.name, "<")), len(a.name)-len(b.name), strings.Compare(a.name, b.name))
	})
	return keys
}

// shared finds the lines of what lies in at least so many of the instances under one name.
// A folder that only some of the instances of one project have is for later, if that is
// asked for.
func (m *meeting) shared(least int, later bool) {
	for _, c := range m.candidates(least) {
		var inside []*instance
		var where []int
		for i, rest := range m.rest {
			for _, n := range rest {
				if (n.Kind == tree.Folder) == c.folder && slices.Contains(m.readings(m.instances[i], n.Name), c.name) {
					inside, where = append(inside, &instance{m.instances[i].sample, n, m.instances[i].env}), append(where, i)
					break
				}
			}
		}
		if len(inside) < least {
			continue
		}
		with := samplesOf(inside)
		steady := m.steady(inside, with)
		if !steady && (!later || !c.folder || slices.ContainsFunc(m.lines, func(ln *line) bool { return ln.name == c.name })) {
			continue
		}
		ln := &line{name: c.name, folder: c.folder, order: inside[0].node.Name, number: -1}
		for k, in := range inside {
			m.take(where[k], in.node)
		}
		if steady {
			m.condition(ln, with, m.instances)
		} else {
			ln.clauses = append(ln.clauses, "later")
		}
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
	name := slugOf(ln.name)
	if ln.many {
		name = plural(singular(name))
	}
	f := m.field(name, "yes-no")
	for s := range m.samples {
		f.values[s] = "no"
		if with[s] {
			f.values[s] = "yes"
		}
	}
	ln.clauses = append(ln.clauses, "when: "+f.name)
}
