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
		set:   "waiting: { Arrivals: 14 }",
		bad:   "Commission\n    Arrivals\n        a file that was changed last a month ago",
		good:  "# waiting: { Arrivals: 14 }\nCommission\n    Arrivals",

		real: true, schema: map[string]any{"type": "object", "additionalProperties": map[string]any{"type": "integer", "minimum": 0}}, configure: waiting,
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
				report(Finding{Rule: "links", Severity: severity, Path: at, Message: say("%s is a link to something that is not there", shown(n.Name)), Help: "make it anew, or remove it"})
			}
		}
	}}, err
}

func waiting(c *context) (check, error) {
	if c.setting.Kind != template.Mapping || len(c.setting.Pairs) == 0 {
		return check{}, fmt.Errorf("needs places with days, as in { Arrivals: 14 }")
	}
	days := map[string]int{}
	for _, p := range c.setting.Pairs {
		n, err := strconv.Atoi(p.Value.Text)
		if err != nil || n < 0 {
			return check{}, fmt.Errorf("needs a number of days for \"%s\"", p.Key)
		}
		days[p.Key] = n
	}
	return check{real: func(r *Real, report func(Finding)) {
		if r.Disk == nil {
			return
		}
		for at, n := range r.Root.All() {
			limit, passing := placeNamed(days, n)
			if !passing {
				continue
			}
			for _, it := range n.Children {
				e, err := r.Disk.Look(path.Join(at, it.Name))
				if err != nil {
					continue
				}
				if lies := int(r.Now.Sub(time.Unix(0, e.Time)).Hours() / 24); lies > limit {
					report(Finding{Rule: "waiting", Severity: c.severity, Path: path.Join(at, it.Name),
						Message: say("%s waits in %s for %d days; at most %d are meant", shown(it.Name), shown(n.Name), lies, limit), Help: "move it to where it belongs"})
				}
			}
		}
	}}, nil
}

// placeNamed returns what is set for a folder, by its name or its name without its
// number.
func placeNamed[T any](places map[string]T, n *tree.Node) (value T, found bool) {
	if n.Kind != tree.Folder {
		return value, false
	}
	if len(places) == 0 {
		return value, false
	}
	for name, v := range places {
		if alike(n, name) || strings.EqualFold(naming.Bare(n), name) {
			return v, true
		}
	}
	return value, false
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
	_, ending := naming.Split(n.Name)
	if l := t.ClausesOf(folder); l != nil && l.Takes(ending) {
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
