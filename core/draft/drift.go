package draft

import (
	"cmp"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"sync"
	"unicode"

	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// Over the years one thing comes to be written in several ways. Before anything is learned, names are
// brought to one: folders whose names differ in case, style, zeros or a slip to what most are called, and
// days in the names of the samples, and of the files in one folder, to one order with the day in front.

// A drift is what was found to be written in several ways.
type drift struct {
	samples []Sample
	told    []string
	holds   map[*tree.Node]string // folders of what devices name, and what kind of files that is
	dated   map[*tree.Node][]*dated
	others  map[*tree.Node][]string // endings of the other files in a folder
	out     map[*tree.Node]bool     // files that are not learned from by their names
	was     map[*tree.Node]string   // the names that folders had
	number  map[*tree.Node]int      // of the sample that a root was
}

// A dated group is of files in one folder whose names say their day in several ways.
type dated struct {
	ending string
	word   string   // that most of them have
	who    []string // what the names of the samples say beside their day, where most names say that too
}

// leastDrift is in how many of five names a day stands where a day belongs into all of them.
const leastDrift = 3

// even brings samples to one way of writing. They are not changed: what is returned is of its own.
func even(samples []Sample) *drift {
	d := &drift{holds: map[*tree.Node]string{}, dated: map[*tree.Node][]*dated{}, others: map[*tree.Node][]string{}, out: map[*tree.Node]bool{}, was: map[*tree.Node]string{}, number: map[*tree.Node]int{}}
	tops := make([]*tree.Node, len(samples))
	for i, s := range samples {
		tops[i] = s.Root.Copy()
		d.number[tops[i]] = i
		d.samples = append(d.samples, Sample{s.Name, tops[i]})
	}
	if len(samples) < 2 {
		return d
	}
	var told []string
	d.unify(tops, &told)
	if len(told) > 0 {
		d.told = append(d.told, "written in several ways, and taken as one: "+strings.Join(told, ", "))
	}
	days := d.root()
	d.files(days)
	return d
}

// unify brings the names of folders that lie in some to one where people take them for the same.
func (d *drift) unify(in []*tree.Node, told *[]string) {
	same := map[string][]*tree.Node{}
	for _, n := range in {
		for _, c := range n.Children {
			if c.Kind == tree.Folder && c.Marks&tree.Link == 0 {
				same[c.Name] = append(same[c.Name], c)
			}
		}
	}
	groups := map[string]*likes{}
	for i, n := range in {
		for _, c := range n.Children {
			if c.Kind != tree.Folder || c.Marks&tree.Link != 0 || len(same[c.Name]) == len(in) {
				continue // what all have under one name is written in one way
			}
			key := tree.Key(c)
			g := groups[key]
			if g == nil {
				g = &likes{where: map[int]bool{}}
				groups[key] = g
			}
			front := strings.TrimLeft(strings.TrimSuffix(c.Name, tree.Unnumbered(c)), "0")
			if g.front == "" {
				g.front = front
			}
			g.twice = g.twice || g.where[i] || front != "" && front != g.front
			g.of, g.where[i] = append(g.of, c), true
		}
	}
	for _, name := range sortedKeys(same) {
		if len(same[name]) == len(in) && len(in) > 1 {
			d.unify(same[name], told)
		}
	}
	keys := slips(groups, len(in))
	for _, key := range keys {
		g := groups[key]
		if g == nil {
			continue
		}
		if !g.twice && len(g.of) > 1 {
			names := map[string]int{}
			for _, n := range g.of {
				names[n.Name]++
			}
			most := commonest(names)
			if delete(names, most); len(names) > 0 {
				*told = append(*told, most+" ("+strings.Join(sortedKeys(names), ", ")+")")
			}
			for _, n := range g.of {
				if n.Name != most {
					d.was[n], n.Name = n.Name, most
				}
			}
		}
		d.unify(g.of, told)
	}
}

// Likes are folders that people take for one.
type likes struct {
	of    []*tree.Node
	where map[int]bool
	twice bool // two of them lie in one folder, or are numbered in two ways, so that the order is each one's own
	front string
}

// slips joins what one of so many folders alone has to what most of the others have, where it is that with a slip of the pen.
// It returns the keys of the groups, those that most have first.
func slips(groups map[string]*likes, in int) []string {
	keys := sortedKeys(groups)
	slices.SortStableFunc(keys, func(a, b string) int { return len(groups[b].of) - len(groups[a].of) })
	for k, key := range keys {
		g := groups[key]
		if len(g.of) != 1 {
			continue
		}
		for _, other := range keys[:k] {
			o := groups[other]
			if o == nil || 2*len(o.of) <= in {
				break // the others are had by fewer still
			}
			if !o.where[soleOf(g.where)] && tree.Slipped(o.of[0], g.of[0]) {
				o.of, o.where[soleOf(g.where)] = append(o.of, g.of[0]), true
				delete(groups, key)
				break
			}
		}
	}
	return keys
}

func soleOf(where map[int]bool) int {
	for i := range where {
		return i
	}
	return -1
}

// dayed is how names are read that are to say a day: for those of the samples, and those of files, which may
// say of which sample they are as well.
var dayed = sync.OnceValue(func() []*template.Convention {
	t, err := template.Parse("", "---\nfields: { who: { default: \"\" } }\nnames:\n  root: { pattern: \"<day:yyyy-mm-dd> <what>\", fields: { what: { default: \"\" } } }\n"+
		"  file: { pattern: \"<day:yyyy-mm-dd> <who> <what>\", fields: { what: { default: \"\" } } }\n---\n<who>\n", nil)
	if err != nil {
		panic(err)
	}
	return t.Names
})

// A said name is one of a group, and what it says.
type said struct {
	day, what string
	who       bool
}

// leastDigits is how many digits a name has at least that says a day.
const leastDigits = 4

// dayless reports whether too few of some names have the digits of a day in them.
func dayless(names []string) bool {
	with := 0
	for _, name := range names {
		n := 0
		for i := 0; i < len(name) && n < leastDigits; i++ {
			if name[i] >= '0' && name[i] <= '9' {
				n++
			}
		}
		if n == leastDigits {
			with++
		}
	}
	return 5*with < leastDrift*len(names)
}

// days reads the names of a group; place is what is known of each. Varied says that they say their day in
// several ways, and enough of them do; ways is in how many.
func days(c *template.Convention, names []string, place func(i int) template.Values) (list []said, ways int, varied bool) {
	free := naming.NewFree(c, nil)
	list = make([]said, len(names))
	guessed, orders := make([]*naming.Guessed, len(names)), map[string]map[naming.Order]int{}
	shapes, with := map[string]bool{}, 0
	for i, name := range names {
		g := free.Read(name, place(i))
		if guessed[i] = g; len(g.Guesses) > 0 && g.Guesses[0].Values["day"].Given() {
			shapes[g.Shape] = true
			with++
		}
		if len(g.Guesses) == 1 {
			if orders[g.Shape] == nil {
				orders[g.Shape] = map[naming.Order]int{}
			}
			orders[g.Shape][g.Guesses[0].Order]++
		}
	}
	for i, g := range guessed {
		if len(g.Guesses) == 0 || !g.Guesses[0].Values["day"].Given() {
			continue
		}
		meant := g.Guesses[0]
		for _, other := range g.Guesses[1:] {
			if orders[g.Shape][other.Order] > orders[g.Shape][meant.Order] {
				meant = other
			}
		}
		list[i] = said{meant.Values["day"].String(), meant.Values["what"].String(), meant.Values["who"].Given()}
	}
	return list, len(shapes), len(shapes) > 1 && 5*with >= leastDrift*len(names)
}

// root brings the names of the samples to one order. Samples whose names say no day, where the others do,
// are not learned from. Of each sample it returns what its name says beside the day.
func (d *drift) root() (who []string) {
	names := make([]string, len(d.samples))
	for i, s := range d.samples {
		names[i] = s.Name
	}
	list, ways, varied := days(dayed()[0], names, func(int) template.Values { return template.Values{} })
	if !varied {
		for i, name := range names {
			who = append(who, cmp.Or(list[i].what, name))
		}
		return who
	}
	var kept []Sample
	var silent []string
	for i, s := range d.samples {
		if list[i].day == "" {
			silent = append(silent, s.Name)
			continue
		}
		s.Name = strings.TrimSpace(list[i].day + " " + list[i].what)
		kept, who = append(kept, s), append(who, list[i].what)
	}
	d.samples = kept
	d.told = append(d.told, fmt.Sprintf("the names of these folders say their day in %d ways: it stands in front from now on, as 2027-03-09", ways))
	if len(silent) > 0 {
		d.told = append(d.told, "nothing was learned from what says no day: "+strings.Join(silent, ", "))
	}
	return who
}

// A placed file lies in one folder of a sample.
type placed struct {
	sample int
	in     *tree.Node
	file   *tree.Node
}

// files finds the files in one folder whose names say their day in several ways, and those that devices name.
func (d *drift) files(who []string) {
	groups := map[string]map[string][]placed{} // by their folders, and by their endings
	for i, s := range d.samples {
		gather(groups, i, s.Root, "")
	}
	for _, dir := range sortedKeys(groups) {
		for _, ending := range sortedKeys(groups[dir]) {
			list := groups[dir][ending]
			if len(list) >= leastNames && (d.byDevices(list, ending) || d.byDay(dir, ending, list, who)) {
				continue
			}
			for _, p := range list {
				if !slices.Contains(d.others[p.in], ending) {
					d.others[p.in] = append(d.others[p.in], ending)
				}
			}
		}
	}
	for _, s := range d.samples {
		d.prune(s.Root)
	}
}

// gather adds the files that lie in a folder of a sample, and in those in it.
func gather(groups map[string]map[string][]placed, sample int, in *tree.Node, at string) {
	here := groups[at]
	for _, c := range in.Children {
		switch {
		case c.Kind == tree.Folder:
			gather(groups, sample, c, path.Join(at, c.Name))
		case c.Kind == tree.File:
			if here == nil {
				here = map[string][]placed{}
				groups[at] = here
			}
			_, ending := tree.Split(c.Name)
			here[ending] = append(here[ending], placed{sample, in, c})
		}
	}
}

// prune takes out the files that are not learned from by their names.
func (d *drift) prune(in *tree.Node) {
	in.Children = slices.DeleteFunc(in.Children, func(n *tree.Node) bool { return d.out[n] })
	for _, n := range in.Children {
		d.prune(n)
	}
}

// holdsToo adds to what a line holds, which names files that lie there, the kinds of the others there.
func (l *learner) holdsToo(ln *line, instances []*instance) {
	at := slices.IndexFunc(ln.clauses, func(c string) bool { return strings.HasPrefix(c, "holds: ") })
	if at < 0 {
		return
	}
	for _, in := range instances {
		for _, ending := range l.drift.others[in.node] {
			if kind := fileKind(ending); kind != "" && !strings.Contains(ln.clauses[at]+",", " "+kind+",") {
				ln.clauses[at] += ", " + kind
			}
		}
	}
}

// fileKind is the kind of files with an ending, as templates name it; "" for none.
func fileKind(ending string) string {
	for _, k := range slices.Sorted(maps.Keys(template.FileKinds)) {
		if slices.Contains(template.FileKinds[k], ending) {
			return k
		}
	}
	return ""
}

// enoughTried is how many names tell whether devices gave them.
const enoughTried = 100

// byDevices notes that a folder holds files that devices name: they are of a kind, and follow no convention.
func (d *drift) byDevices(list []placed, ending string) bool {
	kind := fileKind(ending)
	if kind == "" {
		return false
	}
	by, tried := 0, 0
	for i := 0; i < len(list); i += max(1, len(list)/enoughTried) {
		if tried++; naming.ByMachine(list[i].file.Name) {
			by++
		}
	}
	if 5*by < leastDrift*tried {
		return false
	}
	for _, p := range list {
		if d.out[p.file] = true; d.holds[p.in] == "" {
			d.holds[p.in] = kind
		} else if !slices.Contains(d.others[p.in], ending) {
			d.others[p.in] = append(d.others[p.in], ending)
		}
	}
	return true
}

// byDay finds out how the names of files in one folder are written that say their day in several ways. They are
// taken out: a convention is learned from them, and nothing else.
func (d *drift) byDay(dir, ending string, list []placed, who []string) bool {
	stems := make([]string, len(list))
	for i, p := range list {
		stems[i], _ = tree.Split(p.file.Name)
	}
	if dayless(stems) {
		return false
	}
	all, ways, varied := days(dayed()[1], stems, func(i int) template.Values {
		return template.Values{"who": value.Of(who[list[i].sample])}
	})
	if !varied {
		return false
	}
	words, with, of := map[string]int{}, 0, 0
	for _, s := range all {
		if s.day == "" {
			continue
		}
		with++
		if s.who {
			of++
		}
		for _, w := range strings.Fields(s.what) {
			words[strings.ToLower(w)]++
		}
	}
	word := ""
	for _, w := range sortedKeys(words) {
		if 2*words[w] >= with && words[w] > words[word] && !strings.ContainsFunc(w, unicode.IsDigit) {
			word = w
		}
	}
	g := &dated{ending: ending, word: word}
	if 2*of >= with {
		g.who = who
	}
	for i, p := range list {
		if all[i].day == "" {
			continue
		}
		if !slices.Contains(d.dated[p.in], g) {
			d.dated[p.in] = append(d.dated[p.in], g)
		}
		d.out[p.file] = true
	}
	d.told = append(d.told, fmt.Sprintf("%d of %d %s files in %s say their day in %d ways: it stands in front from now on, as 2027-03-09", with, len(list), ending, cmp.Or(dir, "these folders"), ways))
	return true
}
