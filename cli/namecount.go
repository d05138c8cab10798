package cli

import (
	"fmt"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/naming"
	"vestibula/core/standing"
	"vestibula/core/template"
	"vestibula/core/value"
)

// countOn gives the field that counts on the next free number.
func (n *nameRun) countOn(values template.Values) error {
	series := naming.SeriesOf(n.convention)
	if series == nil || values[series.Field.Name].Given() {
		return nil
	}
	names, err := n.taken(series.Field.Next)
	if err != nil {
		return err
	}
	next, odd := series.Next(values, names)
	if err := series.Fits(next); err != nil {
		return refused("", "%v", err)
	}
	if len(odd) > 0 {
		others := ""
		if len(odd) > 3 {
			others = fmt.Sprintf(" and %d more", len(odd)-3)
		}
		n.note(term.Sprintf("not counted, because the convention cannot read them: %s%s", strings.Join(odd[:min(3, len(odd))], ", "), others))
	}
	values[series.Field.Name] = value.OfNumber(next)
	return nil
}

// taken returns the names that a number counts on from, and says where that is.
func (n *nameRun) taken(scope template.Scope) ([]string, error) {
	count := n.counting()
	switch top := count.Top(n.dir); {
	case scope == template.InProject && count.Layout == nil:
		n.note(term.Sprintf("%s is no project, or none of %s: its number counts on in this folder alone", fromHere(n.dir), n.t.Name))
	case scope == template.Everywhere:
		n.note(term.Sprintf("the number counts on in all of %s", fromHere(top)))
	}
	done, end := n.progress("reading", -1)
	defer end()
	count.Done = done
	names, err := count.Names(n.dir)
	if err != nil {
		err = refused("give the number yourself", "%v.", err)
	}
	return names, err
}

// counting is what knows the names that a number counts on from.
func (n *nameRun) counting() *standing.Count {
	c := &standing.Count{Template: n.t, Convention: n.convention}
	if n.place != nil {
		c.Layout = n.place.layout
	}
	return c
}
