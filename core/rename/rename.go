// Package rename plans new names for files whose names have other shapes than a
// convention asks for: what an older name says is written anew, with what others know.
// Files stay in their folders.
package rename

import (
	"fmt"
	"path"
	"strings"

	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A File is one whose name is looked at.
type File struct {
	At    string // absolute, with slashes
	Entry tree.Entry
}

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
	Becomes string // its new name
	Why     string // it is left
	Stopped int    // in bytes of the name: where reading stopped
	Note    string // what in it came from elsewhere than the name
}

// A Job says how names are made anew.
type Job struct {
	Older *naming.Older
	// Known returns what is known of a file beside its name: values, the first that say
	// something, and what is used where nothing else says anything, with a note for a
	// person on what comes from the file itself.
	Known func(f *File) (values []template.Values, spare template.Values, note string, err error)
	// Counting returns the names that a number of a file counts on from, and what they have
	// in common.
	Counting func(f *File) (key string, names []string)
	// Wrong says what rules find wrong with a name that is to be; "" for nothing.
	Wrong func(name string) string
	// Taken reports whether something has a path.
	Taken func(at string) bool
}

// Plan finds out what becomes of files. No two get one name, and none gets the name of
// something that keeps it: such are left.
func (j *Job) Plan(files []*File) []*Outcome {
	conv := j.Older.Convention
	series := naming.SeriesOf(conv)
	next := map[string]int{}
	outcomes := make([]*Outcome, len(files))
	for i, f := range files {
		o := &Outcome{File: f}
		outcomes[i] = o
		name := path.Base(f.At)
		stem, ending := naming.Split(name)
		switch {
		case len(conv.For) > 0 && !has(conv.For, ending):
			o.Kind = Other
			continue
		case j.Older.Fits(stem):
			o.Kind = Fits
			continue
		}
		read, misfit := j.Older.Read(stem)
		if misfit != nil {
			o.Kind, o.Why, o.Stopped = Left, misfit.Message, misfit.At
			continue
		}
		if read == nil {
			o.Kind, o.Why = Left, "no older shape is known: --from says one"
			continue
		}
		others, spare, note, err := j.Known(f)
		if err != nil {
			o.Kind, o.Why = Left, err.Error()
			continue
		}
		values, err := j.Older.Anew(read, spare, others...)
		if err != nil {
			o.Kind, o.Why = Left, err.Error()
			continue
		}
		if series != nil && !values[series.Field.Name].Given() {
			where, names := j.Counting(f)
			key := where + "\x00" + series.Within(values)
			n, known := next[key]
			if !known {
				n, _ = series.Next(values, names)
			}
			if err := series.Fits(n); err != nil {
				o.Kind, o.Why = Left, err.Error()
				continue
			}
			next[key] = n + 1
			values[series.Field.Name] = value.OfNumber(n)
		}
		becomes, _, err := conv.Write(values)
		if err == nil {
			becomes += name[len(stem):]
			err = naming.Check(conv, becomes, values)
		}
		if err != nil {
			o.Kind, o.Why = Left, fmt.Sprintf("it would be “%s”: %v", becomes, err)
			continue
		}
		if wrong := j.Wrong(becomes); wrong != "" {
			o.Kind, o.Why = Left, wrong
			continue
		}
		o.Becomes, o.Note = becomes, note
	}
	j.settle(outcomes)
	return outcomes
}

func has(list []string, text string) bool {
	for _, x := range list {
		if x == text {
			return true
		}
	}
	return false
}

// settle leaves what would get the name of another one, until all that is left fits
// together: what is left keeps its name.
func (j *Job) settle(outcomes []*Outcome) {
	at := func(o *Outcome) string { return path.Join(path.Dir(o.File.At), o.Becomes) }
	for again := true; again; {
		again = false
		goes := map[string]bool{} // paths that become free
		comes := map[string]*Outcome{}
		for _, o := range outcomes {
			if o.Kind != Renamed {
				continue
			}
			goes[o.File.At] = true
			key := tree.Folded(at(o))
			if first := comes[key]; first != nil {
				for _, both := range []*Outcome{first, o} {
					both.Kind, both.Why, again = Left, fmt.Sprintf("another one would be “%s” as well", o.Becomes), true
				}
			}
			comes[key] = o
		}
		for _, o := range outcomes {
			if to := at(o); o.Kind == Renamed && !goes[to] && !strings.EqualFold(to, o.File.At) && j.Taken(to) {
				o.Kind, o.Why, again = Left, fmt.Sprintf("it would be “%s”, and that is there", o.Becomes), true
			}
		}
	}
}
