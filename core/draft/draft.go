// Package draft makes a template of real folders: what they share is constant, what
// differs is a slot, as narrow as the examples allow. It is the inverse of building, and
// its result is held against that: see [Result.Prove]. It looks at names alone, asks
// nobody, and changes nothing.
//
// The names of the folders themselves give the first fields. In each folder, from the top
// down, what lies there in all projects is brought together: series that only count on
// (`each`), names that are the same once known values are taken out of them, lists of alike
// folders, and at last files whose names have one spelling (naming conventions). What only some
// projects have gets a condition; what few have is kept for later.
package draft

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
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
	Samples  []Sample                  // as they were learned from: what drifted over the years is written in one way
	Drifted  bool                      // something was
	Begun    []Begun                   // files that would begin empty
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
	d := even(samples)
	if len(d.told) > 0 && len(d.samples) >= leastSettled {
		d.settle()
	}
	if len(d.samples) == 0 {
		return nil, fmt.Errorf("there is nothing to learn from")
	}
	return d.learn(title, given, read), nil
}

// learn learns from samples that are written in one way.
func (d *drift) learn(title string, given map[string]string, read Contents) *Result {
	samples := d.samples
	l := newLearner(samples)
	l.given, l.drift, l.doubts = given, d, d.told
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
	l.drifted(root, tops)
	root.kids = l.level(tops, root)
	if len(root.kids) == 1 && root.kids[0].folder {
		root.clauses = append(root.clauses, "project") // else that one would be its own folder
	}
	l.seldom(root)
	l.tellSome(root)
	all, conditional := count(root.kids)
	for _, ln := range root.kids { // what lies there has a name of its own in each
		if ln.many && strings.HasPrefix(ln.name, "<") {
			conditional++
		}
	}
	if len(samples) > 1 && conditional*2 > all {
		l.doubts = append(l.doubts, "these folders have little in common: most of it stands under conditions; one template for each kind of them would be clearer")
	}
	r := &Result{Samples: samples, Drifted: len(d.told) > 0}
	if read != nil {
		r.Starters = l.starters("starters/"+cmp.Or(slugged(title), "files"), root, d.contents(read))
	}
	r.Begun = l.begun(root)
	shared := l.parts(root)
	r.Text, r.Doubts = l.write(title, root, shared), l.doubts
	for i := range samples {
		r.Values = append(r.Values, l.valuesOf(i))
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
	return r
}

// valuesOf are the values with which a sample is built again.
func (l *learner) valuesOf(sample int) map[string]template.Raw {
	values := map[string]template.Raw{}
	for _, f := range l.fields {
		switch {
		case f.kind == "list":
			values[f.name] = template.Raw{Items: f.lists[sample], List: true}
		case f.kind == "yes-no":
			values[f.name] = template.Raw{Text: map[bool]string{true: "yes", false: "no"}[f.values[sample] == "yes"]}
		case f.values[sample] != "":
			values[f.name] = template.Raw{Text: f.values[sample]}
		}
	}
	return values
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
	drift     *drift
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
