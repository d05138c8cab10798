package rename

import (
	"errors"
	"iter"
	"slices"

	"vestibula/core/naming"
	"vestibula/core/pool"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// maxKnown is how many values of a field are known from other names.
const maxKnown = 1000

// known are the values of text fields: those that somebody knows, and those that names say which fit.
func (j *Job) known(files []*File, older *naming.Older, places []template.Values) map[string][]value.Value {
	all := map[string][]value.Value{}
	seen := map[string]map[string]bool{}
	add := func(field string, v value.Value) {
		if seen[field] == nil {
			seen[field] = map[string]bool{}
		}
		if text := v.String(); v.Kind == value.Text && text != "" && !seen[field][text] && len(all[field]) < maxKnown {
			seen[field][text] = true
			all[field] = append(all[field], v)
		}
	}
	free := 0
	for _, f := range older.Convention.Fields {
		if f.Type.Kind == value.Text {
			free++
		}
		for _, v := range j.Known[f.Name] {
			add(f.Name, v)
		}
	}
	if free < 2 {
		return all // the only text is whatever is left over
	}
	for i, f := range files {
		stem, _ := tree.Split(f.Name)
		if !older.Fits(stem) || naming.Contradiction(older.Convention, naming.Listed(older.Convention, older.Own().Values), places[i]) != "" {
			continue
		}
		for name, v := range older.Own().Values {
			add(name, v)
		}
	}
	return all
}

// guess reads the names that no pattern reads, of any shape, and settles which reading is meant: the
// only one, or the one that other names of that shape in the folder decide. Where several are left, the
// first is probable.
func (j *Job) guess(outcomes []*Outcome, places, values []template.Values) {
	older := j.Older()
	var files []*File
	var which []int
	for i, o := range outcomes {
		files = append(files, o.File)
		if o.unread {
			which = append(which, i)
		}
	}
	if len(which) == 0 {
		return
	}
	known := j.known(files, older, places)
	said := make([]*naming.Guessed, len(outcomes))
	pool.Each(len(which), 512, func(numbers iter.Seq[int]) {
		free := naming.NewFree(older.Convention, known)
		for k := range numbers {
			i := which[k]
			stem, _ := tree.Split(outcomes[i].File.Name)
			said[i] = free.Read(stem, places[i])
		}
	})
	j.settleGuesses(outcomes, which, said, places, values)
}

// settleGuesses settles which of the guesses at names are meant.
func (j *Job) settleGuesses(outcomes []*Outcome, which []int, said []*naming.Guessed, places, values []template.Values) {
	older := j.Older()
	decided := map[string]map[naming.Order]bool{} // in what orders days are written, by folders and shapes
	key := func(i int) string { return outcomes[i].File.Dir + "\x00" + said[i].Shape }
	for _, i := range which {
		if g := said[i].Guesses; len(g) > 0 && g[0].Order != "" && !slices.ContainsFunc(g, func(x naming.Guess) bool { return x.Order != g[0].Order }) {
			if decided[key(i)] == nil {
				decided[key(i)] = map[naming.Order]bool{}
			}
			decided[key(i)][g[0].Order] = true
		}
	}
	for _, i := range which {
		o, g := outcomes[i], said[i].Guesses
		if o.denied != "" { // only what the place says, and stands elsewhere in the name, is another reading
			g = slices.DeleteFunc(slices.Clone(g), func(x naming.Guess) bool { return !x.Values[o.denied].Given() })
			said[i].Lacks = ""
		}
		if len(g) == 0 {
			if o.Stopped = 0; said[i].Lacks != "" {
				o.Why, o.Alike = said[i].Lacks, said[i].Alike
			}
			continue
		}
		if orders := decided[key(i)]; len(orders) == 1 {
			same := slices.DeleteFunc(slices.Clone(g), func(x naming.Guess) bool { return x.Order != "" && !orders[x.Order] })
			if len(same) > 0 {
				g = same
			}
		}
		own, spare, note := j.Own(o.File)
		anew, err := older.Anew(naming.ReadingOf(older.Convention, g[0].Values), spare, places[i], own)
		if o.Kind, o.Note, o.Stopped, o.Own = Renamed, note, 0, len(own) > 0; err != nil {
			o.Kind, o.Why = Left, err.Error()
			var lack *naming.LackError
			if errors.As(err, &lack) && len(lack.Fields) == 1 {
				o.Lacks = lack.Fields[0]
			}
			continue
		}
		values[i] = anew
		if slip := said[i].Slip; slip != "" && len(g) == 1 {
			o.Probable, o.Shape, o.Note = true, key(i)+"\x00"+slip, slip
		}
		if len(g) > 1 {
			o.Probable, o.Shape = true, key(i)
			o.Note = "it could also say " + differs(older.Convention, g[0].Values, g[1].Values)
			o.Or = nil
			stem, _ := tree.Split(o.File.Name)
			for _, other := range g[1:min(3, len(g))] {
				if anew, err := older.Anew(naming.ReadingOf(older.Convention, other.Values), spare, places[i], own); err == nil {
					if name, _, err := older.Convention.Write(anew); err == nil {
						o.Or = append(o.Or, name+o.File.Name[len(stem):])
					}
				}
			}
		}
	}
}

// differs is what another reading says otherwise.
func differs(c *template.Convention, a, b template.Values) string {
	for _, f := range c.Fields {
		if v := b[f.Name]; v.Given() && !v.Equal(a[f.Name]) {
			return f.Name + " " + v.String()
		}
	}
	return "something else"
}
