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

func init() {
	register(&rule{
		name:  "links",
		about: "No link whose target is gone.",
		why:   "A link looks like what it leads to until somebody opens it.",
		set:   "links: on\nlinks: warn",
		bad:   "Commission\n    Prices      a link, whose target was moved",
		good:  "Commission\n    Prices",

		real: true, schema: warnSchema, standard: "on", configure: links,
	})
	register(&rule{
		name:  "waiting",
		about: "In a passing place nothing lies longer than so many days, counted from when it was changed last.",
		why:   "What comes in is meant to go on. After two weeks nobody knows any more what it was.",
		set:   "waiting: { Arrivals: 14 }",
		bad:   "Commission\n    Arrivals\n        a file that was changed last a month ago",
		good:  "# waiting: { Arrivals: 14 }\nCommission\n    Arrivals",

		real: true, schema: map[string]any{"type": "object", "additionalProperties": map[string]any{"type": "integer", "minimum": 0}}, configure: waiting,
	})
	register(&rule{
		name:  "twice",
		about: "No two files of one project have the same content; empty files and untouched starters aside.",
		why:   "Of two copies one is changed, and the other one is sent. It reads the contents of files of one size, so it is off until it is asked for.",
		set:   "twice: warn",
		bad:   "Letters\n    offer.pdf\nOffers\n    offer final.pdf      with the same in it",
		good:  "# twice: warn\nLetters\nOffers",

		real: true, schema: warnSchema, configure: twice,
	})
}

func links(c *context) (check, error) {
	severity, err := onOff(c, Error)
	return check{real: func(r *Real, report func(Finding)) {
		if r.Disk == nil {
			return
		}
		for at, n := range r.Root.All() {
			if n.Marks&tree.Link != 0 && !r.Disk.Leads(at) {
				report(Finding{Rule: "links", Severity: severity, Path: at, Message: fmt.Sprintf("%s is a link to something that is not there", shown(n.Name)), Help: "make it anew, or remove it"})
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
			return check{}, fmt.Errorf("needs a number of days for %q", p.Key)
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
						Message: fmt.Sprintf("%s waits in %s for %d days; at most %d are meant", shown(it.Name), shown(n.Name), lies, limit), Help: "move it to where it belongs"})
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

func twice(c *context) (check, error) {
	severity, err := warn(c.setting)
	return check{real: func(r *Real, report func(Finding)) {
		if r.Disk == nil {
			return
		}
		bySize := map[int64][]string{}
		for at, n := range r.Root.All() {
			if n.Kind != tree.File || n.Marks&tree.Link != 0 {
				continue
			}
			if e, err := r.Disk.Look(at); err == nil && e.Kind == tree.File && e.Size > 0 && e.Size <= maxSum {
				bySize[e.Size] = append(bySize[e.Size], strings.Clone(at))
			}
		}
		first := map[string]string{}
		var found []Finding
		for _, paths := range bySize {
			if len(paths) < 2 {
				continue
			}
			for _, at := range paths {
				sum, err := sumOf(r.Disk, at)
				if err != nil || r.Given[at] == sum {
					continue
				}
				if other, again := first[sum]; again {
					found = append(found, Finding{Rule: "twice", Severity: severity, Path: at, Message: fmt.Sprintf("%s holds the same as %s", shown(path.Base(at)), shown(other)), Help: "look which of them is to stay"})
					continue
				}
				first[sum] = at
			}
		}
		slices.SortFunc(found, func(a, b Finding) int { return cmp.Compare(a.Path, b.Path) })
		for _, f := range found {
			report(f)
		}
	}}, err
}

func sumOf(d Disk, at string) (string, error) {
	f, err := d.Open(at)
	if err != nil {
		return "", err
	}
	defer f.Close()
	return digest.Of(io.LimitReader(f, maxSum))
}
