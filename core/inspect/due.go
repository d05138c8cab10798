package inspect

import (
	"path"
	"time"

	"vestibula/core/match"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Delivery is something that a person has to deliver to a project.
type Delivery struct {
	Path  string      // where it is wanted, from the project's own folder
	Real  string      // where it is; empty where it is not
	Part  string      // the folder at the top of the project that it belongs to; empty for the project itself
	Day   value.Value // by when; not given where it has no day
	Worth int         // points
	Done  string      // the day on which it was ticked as done; empty where nobody did
	Late  int         // for so many days it should have been there; 0 where it is, or is not yet due
}

// Delivered reports whether it is there, or was ticked.
func (d *Delivery) Delivered() bool { return d.Real != "" || d.Done != "" }

// deliveries makes a match note what was delivered to a subject. The function that it
// returns makes the list, after the match.
func (s *Subject) deliveries(w *match.Wanted, now time.Time) func() {
	there := map[*tree.Node]string{}
	w.Matched = func(want, _ *tree.Node, at string, _ func(func(*match.Thing) bool) string) {
		if want.Marks&tree.Due != 0 {
			there[want] = at
		}
	}
	ticked := map[string]string{}
	if s.Project != nil {
		ticked = s.Project.Label.Done
		w.Closed, w.Refuses = s.Project.Label.Closed, s.Project.Label.Refuses
	}
	w.Done = func(at string) bool { return ticked[at] != "" }
	return func() {
		var walk func(n *tree.Node, at, part string)
		walk = func(n *tree.Node, at, part string) {
			for _, c := range n.Children {
				here := path.Join(at, c.Name)
				if at == "" && c.Kind == tree.Folder {
					part = c.Name
				} else if at == "" {
					part = ""
				}
				if c.Marks&tree.Due != 0 {
					s.Due = append(s.Due, delivery(w, c, Delivery{Path: here, Part: part, Real: there[c], Done: ticked[here]}, now))
				}
				walk(c, here, part)
			}
		}
		walk(w.Own, "", "")
	}
}

// delivery adds to what is known of something that is due when it is, what it is worth, and
// how late it is.
func delivery(w *match.Wanted, n *tree.Node, d Delivery, now time.Time) Delivery {
	d.Day = w.Expansion.Due[n]
	if line := w.Template.ClausesOf(n); line != nil {
		d.Worth = line.Worth
	}
	if today := now.Truncate(24 * time.Hour); !d.Delivered() && d.Day.Given() && d.Day.Kind != value.Pending && d.Day.Time().Before(today) {
		d.Late = int(today.Sub(d.Day.Time()).Hours() / 24)
	}
	return d
}

// Uses counts, for the lines of a template, in how many projects each holds anything.
type Uses struct {
	Template *template.Template
	Projects int
	There    []int // of the lines, by their index: in how many projects it is there
	Used     []int // and holds something, or is a file
}

// Count adds a project that was held against the template.
func (u *Uses) Count(root *tree.Node) {
	u.Projects++
	if u.There == nil {
		u.There, u.Used = make([]int, len(u.Template.Lines)), make([]int, len(u.Template.Lines))
	}
	there, used := map[int32]bool{}, map[int32]bool{}
	for _, n := range root.All() {
		if n.From < 1 || int(n.From) > len(u.There) {
			continue
		}
		there[n.From] = true
		if n.Kind != tree.Folder || hasFile(n) {
			used[n.From] = true
		}
	}
	for i := range there {
		u.There[i-1]++
	}
	for i := range used {
		u.Used[i-1]++
	}
}

// hasFile reports whether anything but folders lies in a folder.
func hasFile(n *tree.Node) bool {
	for _, c := range n.Children {
		if c.Kind != tree.Folder || hasFile(c) {
			return true
		}
	}
	return false
}
