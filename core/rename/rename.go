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
	// Older returns what reads older names, for one goroutine.
	Older func() *naming.Older
	// Several calls what worker returns for the numbers up to n, in any order; nil: one
	// after the other.
	Several func(n int, worker func() func(i int))
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
	older := j.Older()
	conv := older.Convention
	outcomes := make([]*Outcome, len(files))
	read := make([]*naming.Reading, len(files))
	j.inParts(len(files), func() func(i int) {
		own := j.Older()
		return func(i int) { outcomes[i], read[i] = look(own, files[i]) }
	})
	series := naming.SeriesOf(conv)
	next := map[string]int{}
	values := make([]template.Values, len(files))
	for i, f := range files {
		o := outcomes[i]
		if o.Kind != Renamed {
			continue
		}
		others, spare, note, err := j.Known(f)
		if err == nil {
			values[i], err = older.Anew(read[i], spare, others...)
		}
		if err == nil && series != nil && !values[i][series.Field.Name].Given() {
			where, names := j.Counting(f)
			key := where + "\x00" + series.Within(values[i])
			n, known := next[key]
			if !known {
				n, _ = series.Next(values[i], names)
			}
			if err = series.Fits(n); err == nil {
				next[key] = n + 1
				values[i][series.Field.Name] = value.OfNumber(n)
			}
		}
		if o.Note = note; err != nil {
			o.Kind, o.Why = Left, err.Error()
		}
	}
	j.inParts(len(files), func() func(i int) {
		back := naming.NewReader([]*template.Convention{conv})
		return func(i int) {
			if outcomes[i].Kind == Renamed {
				outcomes[i].write(conv, back, values[i])
			}
		}
	})
	for _, o := range outcomes {
		if o.Kind == Renamed {
			if wrong := j.Wrong(o.Becomes); wrong != "" {
				o.Kind, o.Why = Left, wrong
			}
		}
	}
	j.settle(outcomes)
	return outcomes
}

// inParts does something for each number, many of them in one go.
func (j *Job) inParts(n int, worker func() func(i int)) {
	const together = 512
	if j.Several == nil || n <= together {
		do := worker()
		for i := range n {
			do(i)
		}
		return
	}
	j.Several((n+together-1)/together, func() func(i int) {
		do := worker()
		return func(part int) {
			for i := part * together; i < min((part+1)*together, n); i++ {
				do(i)
			}
		}
	})
}

// look reads the name of a file.
func look(older *naming.Older, f *File) (*Outcome, *naming.Reading) {
	o := &Outcome{File: f}
	stem, ending := naming.Split(path.Base(f.At))
	switch {
	case len(older.Convention.For) > 0 && !has(older.Convention.For, ending):
		o.Kind = Other
		return o, nil
	case older.Fits(stem):
		o.Kind = Fits
		return o, nil
	}
	read, misfit := older.Read(stem)
	switch {
	case misfit != nil:
		o.Kind, o.Why, o.Stopped = Left, misfit.Message, misfit.At
	case read == nil:
		o.Kind, o.Why = Left, "no older shape is known: --from says one"
	}
	return o, read
}

// write makes the new name, and reads it back.
func (o *Outcome) write(conv *template.Convention, back *naming.Reader, values template.Values) {
	name := path.Base(o.File.At)
	stem, _ := naming.Split(name)
	becomes, _, err := conv.Write(values)
	if err == nil {
		becomes += name[len(stem):]
		err = back.Check(conv, becomes, values)
	}
	if err != nil {
		o.Kind, o.Why = Left, fmt.Sprintf("it would be “%s”: %v", becomes, err)
		return
	}
	o.Becomes = becomes
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
