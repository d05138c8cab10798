package rules

import (
	"cmp"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"vestibula/core/digest"
	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
)

func diskRules() []*rule {
	return []*rule{{
		name:  "links",
		about: "No link whose target is gone.",
		why:   "A link looks like what it leads to until somebody opens it.",
		set:   "links: on\nlinks: warn",
		bad:   "Commission\n    Prices      a link, whose target was moved",
		good:  "Commission\n    Prices",

		real: true, schema: warnSchema, standard: "on", configure: links,
	}, {
		name:  "waiting",
		about: "In a passing place nothing lies longer than so many days, counted from when it was changed last.",
		why:   "What comes in is meant to go on. After two weeks nobody knows any more what it was.",
		set:   "waiting: { Arrivals: 14 }\nwaiting: { Arrivals: { days: 14, then: Settled } }",
		bad:   "Commission\n    Arrivals\n        a file that was changed last a month ago",
		good:  "# waiting: { Arrivals: 14 }\nCommission\n    Arrivals",

		real: true, schema: waitingSchema(), configure: waiting,
	}, {
		name:  "twice",
		about: "No two files of one project have the same content; empty files and untouched starters aside.",
		why:   "Of two copies one is changed, and the other one is sent. It reads the contents of files of one size, so it is off until it is asked for.",
		set:   "twice: warn",
		bad:   "Letters\n    offer.pdf\nOffers\n    offer final.pdf      with the same in it",
		good:  "# twice: warn\nLetters\nOffers",

		real: true, schema: warnSchema, configure: twice,
	}}
}

func links(c *context) (check, error) {
	severity, err := onOff(c, Error)
	return check{real: func(r *Real, report func(Finding)) {
		if r.Disk == nil {
			return
		}
		for at, n := range r.Root.All() {
			if n.Marks&tree.Link != 0 && !r.Disk.Leads(at) {
				report(Finding{Rule: "links", Severity: severity, Path: at, Message: say("%s is a link to something that is not there", shown(n.Name)), Help: "make it again, or remove it"})
			}
		}
	}}, err
}

// DeadLink is a link in a text, by its line, that leads nowhere; now says what it is to say by now, if
// that is known.
func DeadLink(path string, line int, says, now string) Finding {
	f := Finding{Rule: "links", Severity: Error, Path: path, Message: say("line %d leads to %s, which is not there", line, shown(says)), Help: "write where it lies, or bring it back"}
	if now != "" {
		f.Help = fmt.Sprintf("it is “%s” now", now)
	}
	return f
}

// NotWhole is something that a backup does not hold as its list says.
func NotWhole(at, why string) Finding {
	return Finding{Rule: "whole", Severity: Error, Path: at, Message: say("%s "+why, shown(path.Base(at)))}
}

// A passing place is one in which nothing is to lie for long.
type passing struct {
	days int
	then string // where what lay there too long goes; "" for nowhere in particular
}

func waitingSchema() any {
	days := map[string]any{"type": "integer", "minimum": 0}
	return map[string]any{"type": "object", "additionalProperties": map[string]any{"anyOf": []any{days, map[string]any{
		"type": "object", "additionalProperties": false, "required": []string{"days"},
		"properties": map[string]any{"days": days, "then": map[string]any{"type": "string", "minLength": 1}},
	}}}}
}

// readPassing reads `14`, or `{ days: 14, then: Settled }`.
func readPassing(place string, n *template.Node) (p passing, err error) {
	days := n
	if n.Kind == template.Mapping {
		days = &template.Node{}
		for _, pair := range n.Pairs {
			switch pair.Key {
			case "days":
				days = pair.Value
			case "then":
				p.then = strings.TrimSpace(pair.Value.Text)
			default:
				return p, fmt.Errorf("has no setting \"%s\" for \"%s\"; it takes days and then", pair.Key, place)
			}
		}
	}
	if p.days, err = strconv.Atoi(days.Text); err != nil || p.days < 0 {
		return p, fmt.Errorf("needs a number of days for \"%s\"", place)
	}
	return p, nil
}

func waiting(c *context) (check, error) {
	if c.setting.Kind != template.Mapping || len(c.setting.Pairs) == 0 {
		return check{}, fmt.Errorf("needs places with days, as in { Arrivals: 14 }")
	}
	places := map[string]passing{}
	for _, p := range c.setting.Pairs {
		var err error
		if places[p.Key], err = readPassing(p.Key, p.Value); err != nil {
			return check{}, err
		}
	}
	return check{real: func(r *Real, report func(Finding)) {
		if r.Disk == nil {
			return
		}
		named := r.goals(places)
		for at, n := range r.Root.All() {
			passing, is := placeNamed(places, onWay(n, at))
			if !is {
				continue
			}
			for _, it := range n.Children {
				e, err := r.Disk.Look(path.Join(at, it.Name))
				if err != nil {
					continue
				}
				lies := int(r.Now.Sub(time.Unix(0, e.Time)).Hours() / 24)
				if lies <= passing.days {
					continue
				}
				f := Finding{Rule: "waiting", Severity: c.severity, Path: path.Join(at, it.Name),
					Message: say("%s waits in %s for %d days; at most %d are meant", shown(it.Name), shown(n.Name), lies, passing.days)}
				if f.Fix, f.Help = r.goesOn(&f, it, passing.then, named[passing.then]); f.Fix == nil {
					f.Help = "move it to where it belongs" + f.Help
				}
				report(f)
			}
		}
	}}, nil
}

// goals are the folders of the project to which things go that waited too long, by what they
// are called.
func (r *Real) goals(places map[string]passing) map[string][]string {
	named := map[string][]string{}
	for _, p := range places {
		if p.then == "" || named[p.then] != nil {
			continue
		}
		named[p.then] = []string{}
		for at, n := range r.Root.All() {
			if _, is := placeNamed(map[string]bool{p.then: true}, onWay(n, at)); is {
				named[p.then] = append(named[p.then], at)
			}
		}
	}
	return named
}

// goesOn is the fix that takes what waited too long to where it goes then: a folder of the
// project, beside its own where there are several of that name. Where there is no fix, help says
// why.
func (r *Real) goesOn(f *Finding, it *tree.Node, then string, to []string) (fix *Fix, help string) {
	if then == "" {
		return nil, ""
	}
	here := path.Dir(path.Dir(f.Path))
	if beside := slices.DeleteFunc(slices.Clone(to), func(at string) bool { return path.Dir(at) != here }); len(beside) > 0 {
		to = beside
	}
	switch {
	case len(to) == 0:
		return nil, fmt.Sprintf(": there is no folder %s yet", then)
	case len(to) > 1:
		return nil, fmt.Sprintf(": there are several folders %s", then)
	case r.Root.At(path.Join(to[0], it.Name)) != nil:
		return nil, fmt.Sprintf(": in %s something has its name", to[0])
	case strings.HasPrefix(to[0]+"/", f.Path+"/"):
		return nil, ""
	}
	return &Fix{kind: it.Kind, from: f.Path, into: to[0], name: it.Name}, ""
}

// onWay are a folder at a path and those that it lies in, by their distance.
func onWay(n *tree.Node, at string) func(up int) *tree.Node {
	return func(up int) *tree.Node {
		if up == 0 {
			return n
		}
		for ; up > 0 && at != "."; up-- {
			at = path.Dir(at)
		}
		if at == "." {
			return nil
		}
		return &tree.Node{Name: path.Base(at)}
	}
}

// placeNamed returns what is set for a folder, by its name, its name without its number, or a path
// of such names. At returns the folder itself, and those that it lies in, by their distance; nil
// where there are no more.
func placeNamed[T any](places map[string]T, at func(up int) *tree.Node) (value T, found bool) {
	if len(places) == 0 || at(0).Kind != tree.Folder || at(0).Name == "" {
		return value, false
	}
	most := 0
	for place, v := range places {
		names := strings.Split(place, "/")
		if len(names) <= most {
			continue // the longer path says more
		}
		slices.Reverse(names)
		fits := true
		for up, name := range names {
			n := at(up)
			if fits = n != nil && (alike(n, name) || strings.EqualFold(tree.Bare(n), name)); !fits {
				break
			}
		}
		if fits {
			value, most = v, len(names)
		}
	}
	return value, most > 0
}

// maxSum is how much of a file is read to compare it: more is told by its size alone.
const maxSum = 4 << 30

// A ranked file is one with how sure it is that it lies where it belongs.
type ranked struct {
	at   string
	rank int
}

// staying is which of files that hold the same is to stay, and what a person is told of it: those of
// a list with the numbers in a part.
func staying(list []ranked, part []int) (stays int, help string) {
	stays, rival := part[0], false
	for _, i := range part[1:] {
		if list[i].rank >= list[stays].rank {
			rival = list[i].rank == list[stays].rank
			if !rival {
				stays = i
			}
		}
	}
	if rival {
		return stays, "look which of them is to stay"
	}
	return stays, "that one lies where it belongs"
}

func twice(c *context) (check, error) {
	severity, err := warn(c.setting)
	return check{real: func(r *Real, report func(Finding)) {
		if r.Disk == nil {
			return
		}
		bySize := map[int64][]ranked{}
		var walk func(n *tree.Node, at string)
		walk = func(n *tree.Node, at string) {
			for _, f := range n.Children {
				below := path.Join(at, f.Name)
				if f.Kind != tree.File || f.Marks&tree.Link != 0 {
					walk(f, below)
					continue
				}
				if naming.Points(f.Name) {
					continue
				}
				if e, err := r.Disk.Look(below); err == nil && e.Kind == tree.File && e.Size > 0 && e.Size <= maxSum {
					bySize[e.Size] = append(bySize[e.Size], ranked{below, kept(c.template, n, f)})
				}
			}
		}
		walk(r.Root, "")
		var found []Finding
		for size, list := range bySize {
			if len(list) < 2 {
				continue
			}
			open := func(i int) (io.ReadCloser, error) { return r.Disk.Open(list[i].at) }
			for _, part := range digest.Same(len(list), size, open, func(int, error) {}) {
				if len(part) < 2 {
					continue
				}
				if sum, err := sumOf(r.Disk, list[part[0]].at); err == nil {
					part = slices.DeleteFunc(part, func(i int) bool { return r.Given[list[i].at] == sum })
				}
				if len(part) < 2 {
					continue
				}
				stays, help := staying(list, part)
				for _, i := range part {
					if i != stays {
						found = append(found, Finding{Rule: "twice", Severity: severity, Path: list[i].at, Related: list[stays].at, Help: help,
							Message: say("%s holds the same as %s", shown(path.Base(list[i].at)), shown(list[stays].at))})
					}
				}
			}
		}
		slices.SortFunc(found, func(a, b Finding) int { return cmp.Or(cmp.Compare(a.Related, b.Related), cmp.Compare(a.Path, b.Path)) })
		for _, f := range found {
			report(f)
		}
	}}, err
}

// kept says how sure it is that a file lies where it belongs: 2 where the template has it
// there, or its name is that of such files, 1 where the folder holds its kind.
func kept(t *template.Template, folder, n *tree.Node) int {
	if n.From > 0 || n.Marks&tree.Conforms != 0 {
		return 2
	}
	if l := t.ClausesOf(folder); l != nil && l.TakesFile(n.Name) {
		return 1
	}
	return 0
}

func sumOf(d Disk, at string) (string, error) {
	f, err := d.Open(at)
	if err != nil {
		return "", err
	}
	defer f.Close()
	return digest.Of(io.LimitReader(f, maxSum))
}

// Waiting are the passing places of a project in which something lies, by their paths, with how many things do.
func Waiting(t *template.Template, root *tree.Node) map[string]int {
	places := map[string]bool{}
	for _, s := range t.Rules {
		if s.Name == "waiting" && s.Value != nil {
			for _, p := range s.Value.Pairs {
				places[p.Key] = true
			}
		}
	}
	found := map[string]int{}
	if len(places) == 0 {
		return found
	}
	for at, n := range root.All() {
		if _, is := placeNamed(places, onWay(n, at)); is && len(n.Children) > 0 {
			found[at] = len(n.Children)
		}
	}
	return found
}
