package draft

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"vestibula/core/order"
	"vestibula/core/tree"
)

var numbered = lazily(`^([^\d<]*)(\d{2,3})(\D.*)$`)

// lists finds folders that are alike, and bear names of their own in each project.
func (m *meeting) lists() {
	if len(samplesOf(m.instances)) != len(m.instances) {
		return // a list is one of the project
	}
	folders := make([][]*tree.Node, len(m.rest))
	for i, rest := range m.rest {
		for _, n := range rest {
			if n.Kind != tree.Folder {
				continue
			}
			if strings.ContainsAny(n.Name, ";,") {
				return // such signs stand between items
			}
			folders[i] = append(folders[i], n)
		}
	}
	if m.areItems(folders) {
		m.addList(folders)
	}
}

// areItems reports whether the folders that are left of each instance are items of a list.
func (m *meeting) areItems(folders [][]*tree.Node) bool {
	with, total := 0, 0
	support, numbers := map[string]int{}, map[string]map[string]bool{}
	for _, list := range folders {
		for _, n := range list {
			total++
			name := n.Name
			if parts := numbered().FindStringSubmatch(name); parts != nil && parts[1] == "" {
				name = parts[3]
				if numbers[name] == nil {
					numbers[name] = map[string]bool{}
				}
				numbers[name][parts[2]] = true
			}
			support[name]++
		}
		if len(list) > 0 {
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
		return false
	case n == 1:
		return alikeShapes(folders[0])
	case conflict && with*2 > n: // one name under two numbers, in most: the numbers are those of a list
		return true
	case own*2 < total || with*10 < n*6:
		return false
	}
	return total*2 >= with*3 || alikeShapes(slices.Concat(folders...))
}

// counted is the number from which items count on, and the sign between it and their names,
// where all of them have one in front; else 0.
func counted(folders [][]*tree.Node) (first int, joint string) {
	joint = "\x00" // none yet
	begun := false
	for _, list := range folders {
		for k, c := range list {
			parts := numbered().FindStringSubmatch(c.Name)
			if parts == nil || parts[1] != "" || bare(parts[3]) == "" {
				return 0, ""
			}
			sign := strings.TrimSuffix(parts[3], bare(parts[3]))
			if joint == "\x00" {
				joint = sign
			}
			at, _ := strconv.Atoi(parts[2])
			if !begun {
				first, begun = at, true
			}
			if sign != joint || at != first+k {
				return 0, ""
			}
		}
	}
	return first, joint
}

// addList adds the line of a list.
func (m *meeting) addList(folders [][]*tree.Node) {
	lists := make([][]string, len(m.samples))
	first, joint := counted(folders)
	ln := &line{name: "\x01", folder: true, number: -1, many: true}
	var inside []*instance
	for i, list := range folders {
		for _, c := range list {
			name := c.Name
			if first > 0 {
				parts := numbered().FindStringSubmatch(name)
				name = bare(parts[3])
				ln.name, ln.number, ln.width = "\x00"+joint+"\x01", first, len(parts[2])
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

// bare is what follows a number, without the signs between.
func bare(after string) string { return strings.TrimLeft(after, " ._-") }

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

// numbering lets lines of one series number themselves.
func (m *meeting) numbering() {
	order.Sort(order.Natural, m.lines, func(ln *line) string { return ln.order })
	groups := map[string][]*line{}
	for _, ln := range m.lines {
		if ln.number >= 0 { // a numbered list
			groups[""] = append(groups[""], ln)
			continue
		}
		parts := numbered().FindStringSubmatch(ln.name)
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
				parts := numbered().FindStringSubmatch(ln.name)
				ln.name = parts[1] + mark + parts[3]
			}
			if ln.number != last+1 {
				ln.clauses = append(ln.clauses, "number: "+strconv.Itoa(ln.number))
			}
			last = ln.number
		}
	}
}
