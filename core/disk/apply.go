// Package disk is the only writer: it carries lists of changes out on real file
// systems, one run at a time in one place, writes each down before it begins, and
// takes back what did not come to its end. Nothing is overwritten, no link is
// followed, and what is removed is kept. What is to be done, and whether, is
// decided elsewhere.
package disk

import (
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"
	"sync/atomic"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/folder"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/register"
	"vestibula/core/tree"
)

// A Writer carries plans out.
type Writer struct {
	// Dir is the folder in which the program keeps what it has to remember: the
	// journal, and the register of places in which runs are at work.
	Dir string
	// Spare is where the register is kept if nothing can be written in Dir.
	Spare string
	// NoJournal says that nothing is written down, so that nothing can be undone.
	NoJournal bool
	// Keep says that what was done stays where a run fails or is stopped: its record is one
	// that was cut short, and can be taken back as far as it came.
	Keep bool
	// Done, if it is not nil, is called with how many things were just made or
	// changed, from several goroutines.
	Done func(n int)
	// Stop, if it is not nil, ends the run when it is closed, and what was done is taken back.
	Stop <-chan struct{}
}

// A Plan is a set of changes that was put into order and held against the disk.
type Plan struct {
	Places  []address.Address
	List    []change.Change
	Blocked []Blocked // what is in the way; such a plan is not carried out
	Work    string    // the hidden folder of the run, in each place
	Untidy  bool      // it is done, and its hidden folder could not be taken away
	NoLinks []string  // links that are left out, as the store that they would lie in knows none

	// Continues are records that were cut short, and of which this plan does what
	// was left.
	Continues []*journal.Record

	identities [][2]uint64
	undoes     *journal.Record     // of a plan that takes a record back
	finishes   *journal.Record     // of a plan that does what was left of one
	lines      []int               // the numbers of its changes in that
	meanwhile  []map[string]string // names that folders in the places bear until that has taken them away
	times      *journal.Times      // of folders, from that record
	release    func()              // gives the places back, where the plan was made while they were held
}

// Steps is how many things [Writer.Done] is told of when the plan is carried out: each folder
// and file that is made, and each other change.
func (p *Plan) Steps() (n int) {
	for i := range p.List {
		if n++; p.List[i].Op == change.Make {
			n += p.List[i].Node.Count()
		}
	}
	return n
}

// A Blocked path is one that something is in the way of.
type Blocked struct {
	Path string
	Why  string
}

// A BlockedError says that a plan cannot be carried out, though it could when it
// was made. Nothing was changed.
type BlockedError struct{ Blocked []Blocked }

// Error returns the first obstacle.
func (e *BlockedError) Error() string {
	return fmt.Sprintf("%s: %s", e.Blocked[0].Path, e.Blocked[0].Why)
}

// Prepare is as the function of that name, with the places held from then on: no
// other run can change them, and the plan need not be looked at as a whole again.
// It is for plans that nobody is asked about. Who does not apply it drops it.
func (w *Writer) Prepare(set *change.Set) (*Plan, error) {
	var places []address.Address
	for _, p := range set.Places {
		real, err := place.Real(p)
		if err != nil {
			return nil, err
		}
		places = append(places, real)
	}
	release, err := w.take(places)
	if err != nil {
		return nil, err
	}
	p, err := Prepare(set)
	if err != nil {
		release()
		return nil, err
	}
	p.release = release
	return p, nil
}

// Drop gives the places of a plan back that is not applied.
func (p *Plan) Drop() {
	if p.release != nil {
		p.release()
		p.release = nil
	}
}

// Prepare looks at all that a set touches, and puts its changes into order. The
// error is that of a place which cannot be opened or read, or a [FullError].
func Prepare(set *change.Set) (*Plan, error) {
	p := &Plan{Work: change.NewWork()}
	places, err := p.open(set.Places)
	if err != nil {
		return nil, err
	}
	defer closeAll(places)
	p.withoutLinks(set, places)
	check := &change.Check{Places: asPlaces(places), Work: p.Work}
	check.LookAhead(set.Changes)
	defer check.Wait()
	list, bad := set.Order(p.Work)
	for _, o := range bad {
		p.Blocked = append(p.Blocked, Blocked{set.Changes[o.Index].Path, o.Why})
	}
	if bad != nil {
		return p, nil
	}
	p.List, bad, err = check.Run(list)
	for _, o := range bad {
		p.Blocked = append(p.Blocked, Blocked{list[o.Index].Path, o.Why})
	}
	for i := range p.List {
		if c := &p.List[i]; err == nil && c.Op == change.Replace && c.Sum == "" {
			c.Sum, err = journal.SumOf(&tree.Node{Content: c.Content})
		}
	}
	for i := range p.List {
		c := &p.List[i]
		if !c.Whole || c.Op != change.Make {
			continue
		}
		if _, wrong := places[c.In].Look(path.Join(path.Dir(c.Path), c.Meanwhile())); wrong == nil {
			p.Blocked = append(p.Blocked, Blocked{path.Join(path.Dir(c.Path), c.Meanwhile()), "that is left of a run which was cut short: take it back first"})
		}
	}
	if err == nil && len(p.Blocked) == 0 {
		err = p.room(places)
	}
	return p, err
}

// withoutLinks takes links out of what is made in a store that knows none.
func (p *Plan) withoutLinks(set *change.Set, places []*place.Place) {
	for i := 0; i < len(set.Changes); i++ {
		c := &set.Changes[i]
		if c.In >= len(places) || c.Node == nil || c.Op != change.Make || !places[c.In].Far() {
			continue
		}
		if c.Node.Kind == tree.Symlink {
			p.NoLinks = append(p.NoLinks, c.Path)
			set.Changes = slices.Delete(set.Changes, i, i+1)
			i--
			continue
		}
		var left []string
		c.Node, left = tree.WithoutLinks(c.Node, c.Path)
		p.NoLinks = append(p.NoLinks, left...)
	}
}

// TakeBack returns the plan of a list that takes a record back, or finishes it.
func TakeBack(b *proposal.Back) *Plan {
	p := &Plan{Places: b.Places, identities: b.Identity, List: b.List, Work: b.Work, meanwhile: b.Meanwhile}
	if b.Finishes {
		p.finishes, p.lines = b.Record, b.Lines
	} else {
		p.Continues, p.undoes, p.times = b.Continues, b.Record, b.Times
	}
	return p
}

// open opens the places of a plan, and notes what they are known by.
func (p *Plan) open(paths []address.Address) (places []*place.Place, err error) {
	for _, path := range paths {
		at, err := place.Open(path)
		var dev, ino uint64
		if err == nil {
			places = append(places, at)
			dev, ino, err = place.Identity(at.Real)
		}
		if err != nil {
			closeAll(places)
			return nil, err
		}
		p.Places = append(p.Places, at.Real)
		p.identities = append(p.identities, [2]uint64{dev, ino})
	}
	return places, nil
}

func closeAll(places []*place.Place) {
	for _, p := range places {
		p.Close()
	}
}

func asPlaces(list []*place.Place) []tree.Place {
	out := make([]tree.Place, len(list))
	for i, p := range list {
		out[i] = p
	}
	return out
}

// A BusyError says that another run is at work in a place.
type BusyError = register.BusyError

// ErrStopped is why a run failed that was stopped.
var ErrStopped = errors.New("it was stopped")

// ErrChanged is why something is left alone that is no longer what it was when it
// was looked at.
var ErrChanged = errors.New("somebody has changed it meanwhile")

// An ApplyError says at which path a run failed. What it had done is taken back,
// except at the paths in Left.
type ApplyError struct {
	Path string
	Err  error
	Left []string
	Kept bool // nothing was taken back: see [Writer.Keep]

	untidy bool // what was half written is still there
}

// Error returns where the run failed and why.
func (e *ApplyError) Error() string { return fmt.Sprintf("%s: %s", e.Path, place.Reason(e.Err)) }

// Unwrap returns what the file system said.
func (e *ApplyError) Unwrap() error { return e.Err }

// Apply carries a plan out: it has the places for itself, looks at them once more,
// writes down what will be done, does it, each change after one more look at what
// it touches, and writes the end down. Where anything fails, what was done is
// taken back. Of the head, What, When, Title, Project and Roots are given. The
// error is a [BusyError], [BlockedError], [journal.Error], [journal.ContentError] or
// [ApplyError].
func (w *Writer) Apply(p *Plan, head journal.Head) (record *journal.Record, err error) {
	held := p.release != nil
	if !held {
		if p.release, err = w.take(p.Places); err != nil {
			return nil, err
		}
	}
	defer p.Drop()
	again := &Plan{}
	places, err := again.open(p.Places)
	if err != nil {
		return nil, &BlockedError{[]Blocked{{string(p.Places[0]), err.Error()}}}
	}
	defer closeAll(places)
	if !slices.Equal(again.identities, p.identities) || !slices.Equal(again.Places, p.Places) {
		return nil, &BlockedError{[]Blocked{{string(p.Places[0]), ErrChanged.Error()}}}
	}
	for i, names := range p.meanwhile {
		places[i].Under(names)
	}
	if err := p.counts(head.What); err != nil {
		return nil, err
	}
	// It is looked once more while what will be done is written down.
	looked := make(chan error, 1)
	go func() {
		if held {
			looked <- nil
			return
		}
		looked <- p.lookAgain(places)
	}()
	p.note(&head)
	r := &run{writer: w, plan: p, places: places, number: -1, times: newFolderTimes(p.times), noClones: &atomic.Bool{}}
	return r.recorded(head, looked)
}

// recorded carries the plan out, with a record of it. Looked says, once it is known, what is in
// the way of it now.
func (r *run) recorded(head journal.Head, looked <-chan error) (record *journal.Record, err error) {
	w, p := r.writer, r.plan
	if w.NoJournal {
		if err := <-looked; err != nil {
			return nil, err
		}
		return &journal.Record{Head: head, End: journal.Done}, r.carryOut(head.Roots)
	}
	j, err := journal.Make(w.Dir)
	if err != nil {
		<-looked
		return nil, &journal.Error{Err: err}
	}
	defer j.Close()
	r.journal = j
	record = &journal.Record{Head: head}
	if p.finishes != nil { // in its own record, and its own work folder
		record, r.lines = p.finishes, p.lines
	} else {
		r.lines, err = j.Begin(&record.Head, p.List)
	}
	if wrong := <-looked; wrong != nil {
		if err == nil && p.finishes == nil {
			_ = j.Drop(record.Number) // what is left of it says that nothing was done
		}
		return nil, wrong
	}
	if err != nil {
		return nil, err
	}
	r.number, r.times.clock = record.Number, j.Clock(record.Number)
	err = r.carryOut(record.Roots)
	r.times.clock.Close()
	var failed *ApplyError
	if errors.As(err, &failed) {
		if len(failed.Left) == 0 && !failed.Kept && !failed.untidy && p.finishes == nil {
			_ = j.Finish(record.Number, journal.TakenBack, nil) // without its end it is cut short, which does no harm
		}
		return record, err
	}
	if err := closeRecord(j, record, p, r.places); err != nil {
		return record, &journal.Error{Done: true, Err: err}
	}
	record.End = journal.Done
	return record, nil
}

// note writes into the head of a record what the plan is.
func (p *Plan) note(head *journal.Head) {
	head.Work, head.Places, head.Mounts, head.Count, head.Kept = p.Work, nil, nil, change.Count(p.List, label.Own), journal.Kept(p.List)
	for _, at := range p.Places {
		head.Places = append(head.Places, address.Address(address.Text(at)))
		if begins := place.Begins(at); begins != begins.Parent() && !slices.Contains(head.Mounts, address.Text(begins)) {
			head.Mounts = append(head.Mounts, address.Text(begins))
		}
	}
	if p.undoes != nil {
		head.Undoes = p.undoes.Number
	}
	for _, o := range p.Continues {
		head.Continues = append(head.Continues, o.Number)
	}
}

// counting are the runs that give names numbers, which they have counted.
var counting = []string{"name", "put", "build", "new period", "rename", "add"}

// counts says in which folders on drives somebody else has put something since it was looked there
// which numbers are taken: the next number may be another one by now.
func (p *Plan) counts(what string) error {
	if !slices.Contains(counting, what) {
		return nil
	}
	blocked, seen := &BlockedError{}, map[folderKey]bool{}
	for i := range p.List {
		c := &p.List[i]
		dir, name := place.Split(c.Path)
		key := folderKey{c.In, dir}
		store := folder.StoreOf(string(p.Places[c.In]))
		if store == nil || c.Op == change.Remove || c.Op == change.Replace || seen[key] || dir == p.Work || !strings.ContainsAny(name, "0123456789") {
			continue
		}
		seen[key] = true
		came, err := store.Came(string(p.Places[c.In].Join(dir)))
		if err != nil {
			return &BlockedError{[]Blocked{{c.Path, place.Reason(err)}}}
		}
		for _, other := range came {
			if !strings.HasPrefix(other, change.WorkName) && strings.ContainsAny(other, "0123456789") {
				blocked.Blocked = append(blocked.Blocked, Blocked{path.Join(dir, other), "somebody has put it there meanwhile, so that the next number may be another one: the same call looks anew"})
			}
		}
	}
	if len(blocked.Blocked) > 0 {
		return blocked
	}
	return nil
}

// lookAgain says what is in the way of the plan now.
func (p *Plan) lookAgain(places []*place.Place) error {
	check := &change.Check{Places: asPlaces(places), Work: p.Work, Names: true}
	_, bad, err := check.Run(p.List)
	if err != nil {
		return &BlockedError{[]Blocked{{string(p.Places[0]), place.Reason(err)}}}
	}
	if len(bad) == 0 {
		return nil
	}
	blocked := &BlockedError{}
	for _, o := range bad {
		blocked.Blocked = append(blocked.Blocked, Blocked{p.List[o.Index].Path, o.Why})
	}
	return blocked
}

// take keeps others out of the places while this run is at work.
func (w *Writer) take(places []address.Address) (release func(), err error) {
	release, err = register.Register{Dir: journal.RegisterDir(w.Dir)}.Take(places)
	var busy *BusyError
	if err != nil && !errors.As(err, &busy) {
		if !w.NoJournal {
			return nil, &journal.Error{Err: err}
		}
		release, err = register.Register{Dir: journal.RegisterDir(w.Spare)}.Take(places)
	}
	if err != nil {
		return nil, err
	}
	if release, err = far(places, release); err != nil {
		release()
		return nil, err
	}
	return release, nil
}

// far keeps other computers out of places on drives, as far as those can do that, and has nothing
// there be answered from memory until all are released.
func far(places []address.Address, release func()) (func(), error) {
	for _, p := range places {
		s := folder.StoreOf(string(p))
		if s == nil {
			continue
		}
		free, err := s.Take(string(p))
		var busy *folder.Busy
		if errors.As(err, &busy) {
			err = &BusyError{Place: string(p) + busy.By}
		}
		if err != nil {
			return release, err
		}
		s.Begin()
		before := release
		release = func() {
			s.End()
			free()
			before()
		}
	}
	return release, nil
}
