// Package rename plans new names for files whose names have other shapes than a
// convention asks for: what an older name says is written anew, with what others know.
// Files stay in their folders.
package rename

import (
	"cmp"
	"fmt"
	"iter"
	"slices"
	"strings"

	"vestibula/core/naming"
	"vestibula/core/pool"
	"vestibula/core/proposal"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A File is one whose name is looked at.
type File struct {
	Dir   string // the folder that it lies in, absolute, with slashes
	Name  string
	Entry tree.Entry
	// Elsewhere says that its folder does not hold the convention, and others do.
	Elsewhere bool
}

// At is its path.
func (f *File) At() string { return strings.TrimSuffix(f.Dir, "/") + "/" + f.Name }

// A Kind is what becomes of a name.
type Kind uint8

// The kinds.
const (
	Renamed Kind = iota // it gets another name
	Fits                // it has the convention's shape already
	Left                // it stays as it is
	Other               // the convention is not for files with its ending
)

// An Outcome is what was found out about a file.
type Outcome struct {
	File    *File
	Kind    Kind
	Becomes string   // its new name
	Or      []string // the names that it would get by other readings
	Why     string   // it is left
	Alike   string   // what is said of all that are left for that reason, where Why has words of its own
	Stopped int      // in bytes of the name: where reading stopped
	Lacks   string   // the field that nothing says, where that is why
	Note    string   // what in it came from elsewhere than the name
	Own     bool     // a table has a row for it alone
	// Probable says that its name can be read in several ways: one answer is for all of a Shape.
	Probable, Agreed bool
	Shape            string

	with   *Outcome // that it goes with
	unread bool     // no pattern reads its name
	denied string   // the field that its name gives another value than its place, as the pattern reads it
	step   *proposal.Step
}

// A Job says how names are made anew.
type Job struct {
	// Older returns what reads older names, for one goroutine.
	Older func() *naming.Older
	// Place returns what is known of all files in a folder. It is asked once for each run
	// of files in one folder, by one goroutine.
	Place func(dir string) (template.Values, error)
	// Own returns what is known of a file beside its name and its folder, what is used where
	// nothing else says anything, and a note for a person on what comes from the file
	// itself. Several goroutines may ask.
	Own func(f *File) (own, spare template.Values, note string)
	// Counting returns where a number of a file counts, and what names it counts on from there.
	Counting func(f *File) (where string, names func() ([]string, error))
	// Judge returns what says what rules find wrong with a name that is to be, "" for
	// nothing; for one goroutine.
	Judge func() func(name string) string
	// Free says that names of any shape are read, and Known are values of text fields, for that.
	Free  bool
	Known map[string][]value.Value
	// Names are those of all that lies in a folder now. Several goroutines may ask.
	Names func(dir string) []string
	// Same reports whether two files hold the same; nil where that is not looked at.
	Same func(a, b string) bool
}

// Plan finds out what becomes of files. No two get one name, and none gets the name of
// something that keeps it: such are left. The error is that of a folder of which nothing
// can be known.
func (j *Job) Plan(files []*File) ([]*Outcome, error) {
	places := make([]template.Values, len(files))
	for i, f := range files {
		if i > 0 && f.Dir == files[i-1].Dir {
			places[i] = places[i-1]
			continue
		}
		var err error
		if places[i], err = j.Place(f.Dir); err != nil {
			return nil, err
		}
	}
	outcomes, all := make([]*Outcome, len(files)), make([]Outcome, len(files))
	values := make([]template.Values, len(files))
	const together = 512
	pool.Each(len(files), together, func(numbers iter.Seq[int]) {
		older := j.Older()
		for i := range numbers {
			outcomes[i], all[i].File = &all[i], files[i]
			values[i] = j.look(older, outcomes[i], places[i])
		}
	})
	conv := j.Older().Convention
	if j.Free {
		j.guess(outcomes, places, values)
	}
	alike(outcomes, values)
	j.count(conv, outcomes, values)
	pool.Each(len(files), together, func(numbers iter.Seq[int]) {
		back, wrong := naming.NewReader([]*template.Convention{conv}), j.Judge()
		for i := range numbers {
			if outcomes[i].Kind == Renamed {
				outcomes[i].write(conv, back, wrong, values[i])
			}
		}
	})
	folders := byFolder(outcomes)
	pool.Each(len(folders), 1, func(numbers iter.Seq[int]) {
		for i := range numbers {
			company(folders[i])
			j.settle(folders[i])
		}
	})
	return outcomes, nil
}

// count gives numbers that nobody says.
func (j *Job) count(conv *template.Convention, outcomes []*Outcome, values []template.Values) {
	series := naming.SeriesOf(conv)
	if series == nil {
		return
	}
	numbers, shared := naming.Numbers{}, map[string]value.Value{}
	var order []int // what is sure first: the others may never get theirs
	for _, probable := range []bool{false, true} {
		for i, o := range outcomes {
			if o.Kind == Renamed && o.Probable == probable && !values[i][series.Field.Name].Given() {
				order = append(order, i)
			}
		}
	}
	for _, i := range order {
		o := outcomes[i]
		stem := o.File.Dir + "/" + naming.Unended(o.File.Name)
		if n, known := shared[stem]; known && naming.Unended(o.File.Name) != "" {
			values[i][series.Field.Name] = n
			continue
		}
		where, names := j.Counting(o.File)
		n, take, err := numbers.Next(series, where, values[i], names)
		if err != nil {
			o.Kind, o.Why = Left, err.Error()
			continue
		}
		take()
		values[i][series.Field.Name] = value.OfNumber(n)
		shared[stem] = values[i][series.Field.Name]
	}
}

// alike gives files of one stem, which belong together, the values of the first of them.
func alike(outcomes []*Outcome, values []template.Values) {
	first := map[string]template.Values{}
	for i, o := range outcomes {
		if o.Kind != Renamed || naming.Unended(o.File.Name) == "" {
			continue
		}
		stem := o.File.Dir + "/" + naming.Unended(o.File.Name)
		if known := first[stem]; known == nil {
			first[stem] = values[i]
		} else if !o.Own {
			values[i] = known.Clone()
		}
	}
}

// company gives what belongs to a file that is renamed its name: it has the same stem, or the
// whole name with a further ending.
func company(outcomes []*Outcome) {
	names := make([]string, 0, len(outcomes))
	named := map[string]*Outcome{}
	for _, o := range outcomes {
		names = append(names, o.File.Name)
		named[o.File.Name] = o
	}
	found := naming.Companies(names)
	for _, o := range outcomes {
		if o.Kind != Renamed || o.with != nil {
			continue
		}
		for _, key := range []string{o.File.Name, naming.Unended(o.File.Name)} {
			for _, name := range found[key] {
				other := named[name]
				if becomes := naming.Along(name, o.File.Name, o.Becomes, false); becomes != "" && (other.Kind == Left || other.Kind == Other) {
					other.Kind, other.Becomes, other.Note, other.with = Renamed, becomes, "it belongs to "+o.File.Name, o
					other.Probable, other.Agreed, other.Shape = o.Probable, o.Agreed, o.Shape
				}
			}
		}
	}
}

// byFolder are what was found out, folder by folder.
func byFolder(outcomes []*Outcome) (folders [][]*Outcome) {
	which := map[string]int{}
	last := -1
	for _, o := range outcomes {
		if last < 0 || folders[last][0].File.Dir != o.File.Dir {
			at, known := which[o.File.Dir]
			if !known {
				at = len(folders)
				which[o.File.Dir], folders = at, append(folders, nil)
			}
			last = at
		}
		folders[last] = append(folders[last], o)
	}
	return folders
}

// look reads the name of a file, and returns the values of its new one.
func (j *Job) look(older *naming.Older, o *Outcome, place template.Values) template.Values {
	stem, ending := tree.Split(o.File.Name)
	switch {
	case len(older.Convention.For) > 0 && !slices.Contains(older.Convention.For, ending):
		o.Kind = Other
		return nil
	case older.Fits(stem):
		return j.fits(older, o, place)
	}
	of := naming.ConflictBeside(stem, func(other string) bool {
		return slices.Contains(j.Names(o.File.Dir), other+o.File.Name[len(stem):])
	})
	if of != "" {
		o.Kind, o.Why = Left, naming.InConflict(of)
		return nil
	}
	read, misfit := older.Read(stem)
	switch {
	case misfit != nil:
		o.Kind, o.Why, o.Stopped, o.unread = Left, misfit.Message, misfit.At, true
		return nil
	case read == nil:
		o.Kind, o.Why, o.unread = Left, "no older shape is known", true
		return nil
	}
	own, spare, note := j.Own(o.File)
	o.Own = len(own) > 0
	values, err := older.Anew(read, spare, place, own)
	if o.Note = note; err != nil {
		o.Kind, o.Why = Left, err.Error()
	}
	return values
}

// fits looks at a name that has the convention's shape: one that contradicts its place does not fit. It
// is written anew where somebody says what it is to say.
func (j *Job) fits(older *naming.Older, o *Outcome, place template.Values) template.Values {
	read := older.Own()
	slot := naming.Contradiction(older.Convention, naming.Listed(older.Convention, read.Values), place)
	if slot == "" {
		o.Kind = Fits
		return nil
	}
	own, spare, note := j.Own(o.File)
	if given := spare[slot]; given.Given() && !older.Convention.Pattern.Agrees(slot, read.Values[slot], given) {
		delete(read.Values, slot)
	}
	values, err := older.Anew(read, spare, place, own)
	switch {
	case err != nil: // its parts may stand in another order
		o.Kind, o.Why, o.unread, o.denied = Left, err.Error(), true, slot
	case read.Values[slot].Given(): // it lies in another period than its place
		o.Kind, o.Why = Left, fmt.Sprintf("its name says %s %s, which contradicts its place", slot, read.Values[slot])
	}
	o.Note = note
	return values
}

// write makes the new name, reads it back, and has it judged.
func (o *Outcome) write(conv *template.Convention, back *naming.Reader, wrong func(name string) string, values template.Values) {
	becomes, _, err := conv.Write(values)
	if err == nil {
		becomes += naming.Ending(conv, o.File.Name)
		err = back.Check(conv, becomes, values)
	}
	if err != nil {
		o.Kind, o.Why = Left, fmt.Sprintf("it would be “%s”: %v", becomes, err)
		return
	}
	if why := wrong(becomes); why != "" {
		o.Kind, o.Why = Left, why
		return
	}
	o.Becomes = becomes
}

// doubled tells which of two files is called a copy of the other by its name; nil for neither.
func doubled(a, b *Outcome) (stays, double *Outcome) {
	switch one, two := naming.Copied(a.File.Name), naming.Copied(b.File.Name); {
	case one && !two:
		return b, a
	case two && !one:
		return a, b
	}
	return nil, nil
}

// oneOf tells which of two files that would get one name gets it, where one is a copy of the other; double is nil where
// nothing tells.
func (j *Job) oneOf(a, b *Outcome) (stays, double *Outcome) {
	stays, double = doubled(a, b)
	if double == nil && j.Same != nil && !naming.Points(b.File.Name) && j.Same(a.File.At(), b.File.At()) {
		return older(a, b)
	}
	return stays, double
}

// older is which of two files that hold the same came first, and which later: of the same time, the one with the
// shorter name.
func older(a, b *Outcome) (first, later *Outcome) {
	if c := cmp.Or(cmp.Compare(a.File.Entry.Time, b.File.Entry.Time), len(a.File.Name)-len(b.File.Name), strings.Compare(a.File.Name, b.File.Name)); c > 0 {
		return b, a
	}
	return a, b
}

// double is what is said of a file whose new name another one gets.
func (j *Job) double(double, stays *Outcome) string {
	switch {
	case j.Same == nil || naming.Points(double.File.Name):
		return "it is called a copy of “" + stays.File.Name + "”, which gets that name"
	case j.Same(double.File.At(), stays.File.At()):
		return "it holds the same as “" + stays.File.Name + "”, which gets that name"
	}
	return "it is called a copy of “" + stays.File.Name + "”, which gets that name, and holds something else"
}

// settle leaves what would get the name of another one in its folder, with what belongs to it, until
// all that is left fits together: what is left keeps its name.
func (j *Job) settle(outcomes []*Outcome) {
	if !slices.ContainsFunc(outcomes, func(o *Outcome) bool { return o.Kind == Renamed }) {
		return
	}
	there := map[string]bool{} // names in the folder, as systems see them that take some for the same
	for _, name := range j.Names(outcomes[0].File.Dir) {
		there[tree.Folded(name)] = true
	}
	stays := map[string]*Outcome{} // by their stems
	leave := func(o *Outcome, why string) {
		o.Kind, o.Why = Left, why
		if stem := naming.Unended(o.File.Name); stem != "" && stays[stem] == nil {
			stays[stem] = o
		}
	}
	for again := true; again; {
		again = false
		goes := make(map[string]bool, len(outcomes)) // names that become free
		comes := make(map[string]*Outcome, len(outcomes))
		for _, o := range outcomes {
			if o.Kind != Renamed {
				continue
			}
			goes[o.File.Name] = true
			key := tree.Folded(o.Becomes)
			first := comes[key]
			if comes[key] = o; first == nil {
				continue
			}
			again = true
			if stays, double := j.oneOf(first, o); double != nil {
				comes[key] = stays
				leave(double, j.double(double, stays))
				continue
			}
			leave(first, fmt.Sprintf("another one would be “%s” as well, and holds something else", o.Becomes))
			leave(o, first.Why)
		}
		for _, o := range outcomes {
			if o.Kind == Renamed && there[tree.Folded(o.Becomes)] && !goes[o.Becomes] && !strings.EqualFold(o.Becomes, o.File.Name) {
				if why := fmt.Sprintf("it would be “%s”, and that is there", o.Becomes); j.Same != nil && j.Same(o.File.At(), strings.TrimSuffix(o.File.Dir, "/")+"/"+o.Becomes) {
					leave(o, "it holds the same as “"+o.Becomes+"”, which is there")
				} else {
					leave(o, why)
				}
				again = true
			}
		}
		for _, o := range outcomes {
			with := cmp.Or(stays[naming.Unended(o.File.Name)], o.with)
			if o.Kind == Renamed && with != nil && with.Kind == Left {
				leave(o, "it belongs to "+with.File.Name+", which stays")
				again = true
			}
		}
	}
}
