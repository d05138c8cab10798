package disk

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"runtime"
	"slices"
	"strconv"
	"sync"
	"sync/atomic"

	"vestibula/core/plan"
	"vestibula/core/tree"
)

// A Note is a small file of the program's own, such as a label. Unlike all
// others it may be replaced, as a whole.
type Note struct {
	Path string
	Data func() ([]byte, error) // what it is to hold; may be called more than once
	Was  []byte                 // what it holds before; nil where it is not there
}

// A Job is what one run is to change on a disk.
type Job struct {
	Plan     *plan.Plan
	Notes    []Note
	Revision *Revision // written last; nil where there is none
	// Done, if it is not nil, is called with how many steps were just carried
	// out, from several goroutines.
	Done func(n int)
	// Stop, if it is not nil, has the build taken back when it is closed.
	Stop <-chan struct{}
}

// ErrStopped is why a build failed that was stopped.
var ErrStopped = errors.New("it was stopped")

// A BuildError says at which path a build failed. What the build had made is
// gone again, except for the paths in Left.
type BuildError struct {
	Path string
	Err  error
	Left []string
}

// Error returns where the build failed and why.
func (e *BuildError) Error() string { return fmt.Sprintf("%s: %s", e.Path, Reason(e.Err)) }

// Unwrap returns what the file system said.
func (e *BuildError) Unwrap() error { return e.Err }

// A RevisionError says that a person's file cannot be written; it is as it was.
// Built says whether all else was made, or nothing.
type RevisionError struct {
	Path  string
	Err   error
	Built bool
}

// Error returns which file could not be written and why.
func (e *RevisionError) Error() string { return fmt.Sprintf("%s: %s", e.Path, Reason(e.Err)) }

// Build makes what is new in the plan, writes the notes, and then the revision.
// If anything up to the notes fails, all that was made is taken back and the
// error is a [BuildError]; of the revision, it is a [RevisionError].
func (p *Place) Build(job Job) error {
	// That the revision can be written is only known by writing it, so that comes
	// first; it takes the file's place when all else is done.
	staged := job.Revision
	if staged != nil {
		if err := staged.stage(); err != nil {
			_ = staged.discard()
			return &RevisionError{Path: staged.Path, Err: err}
		}
	}
	run := &buildRun{place: p, job: job}
	run.steps()
	if run.failed == nil && run.halted() {
		run.failed = &BuildError{Path: p.Path, Err: ErrStopped}
	}
	if run.failed == nil {
		run.notes()
	}
	if run.failed != nil {
		run.takeBack()
		if staged != nil && staged.discard() != nil {
			run.failed.Left = append(run.failed.Left, staged.Path+partName)
		}
		return run.failed
	}
	if staged != nil {
		if err := staged.commit(); err != nil {
			_ = staged.discard()
			return &RevisionError{staged.Path, err, true}
		}
	}
	return nil
}

// A buildRun shares the work between builders.
type buildRun struct {
	place  *Place
	job    Job
	ranges chan span

	halt   atomic.Bool
	mutex  sync.Mutex // guards what follows
	made   []int32    // the steps that were carried out
	parts  []string   // half-written files that may have been left
	failed *BuildError
	at     int32 // the step that failed
	noted  int   // the notes that were written
}

// A span is a run of steps: from the first up to, but without, the last.
type span struct{ first, last int32 }

// enough is how many steps are worth the while of another builder.
const enough = 256

// maxBuilders bounds how many work at a time.
const maxBuilders = 8

// steps carries out the plan. Folders that hold much are made first; then what
// lies in them is shared out, so that the builders work below different parents
// and meet seldom.
func (r *buildRun) steps() {
	steps := r.job.Plan.Steps
	size := make([]int32, len(steps)) // of a step with all that lies below it
	for i := len(steps) - 1; i >= 0; i-- {
		size[i]++
		if up := steps[i].Parent; up >= 0 {
			size[up] += size[i]
		}
	}
	first := r.builder(0)
	var spans []span
	next := span{}
	for i := int32(0); i < int32(len(steps)); {
		if size[i] > enough && len(steps) > 2*enough {
			spans = append(spans, next, span{i, i + 1})
			i++
			next = span{i, i}
			continue
		}
		i += size[i]
		if next.last = i; next.last-next.first > enough {
			spans = append(spans, next)
			next = span{i, i}
		}
	}
	spans = append(spans, next)
	if len(spans) == 1 {
		first.carryOut(spans[0])
		first.close()
		return
	}
	large := func(s span) bool { return s.last == s.first+1 && size[s.first] > enough }
	for _, s := range spans {
		if large(s) {
			first.carryOut(s)
		}
	}
	r.ranges = make(chan span)
	var group sync.WaitGroup
	for n := range min(maxBuilders, runtime.GOMAXPROCS(0)) {
		group.Go(func() {
			b := first
			if n > 0 {
				b = r.builder(n)
			}
			for s := range r.ranges {
				b.carryOut(s)
			}
			b.close()
		})
	}
	for _, s := range spans {
		if s.first < s.last && !large(s) {
			r.ranges <- s
		}
	}
	close(r.ranges)
	group.Wait()
}

// halted reports whether something failed, or the run was stopped.
func (r *buildRun) halted() bool {
	select {
	case <-r.job.Stop:
		return true
	default:
		return r.halt.Load()
	}
}

// fail remembers the failure that stands first in the plan.
func (r *buildRun) fail(step int32, path string, err error) {
	r.halt.Store(true)
	r.mutex.Lock()
	defer r.mutex.Unlock()
	if r.failed == nil || step < r.at {
		r.failed, r.at = &BuildError{Path: path, Err: err}, step
	}
}

// A builder keeps a handle open for each folder on the way to where it works,
// so that each new folder costs one call with a single name.
type builder struct {
	run   *buildRun
	part  string // the name under which it writes files
	open  []opened
	made  []int32
	parts []string
}

type opened struct {
	step   int32
	handle handle
}

func (r *buildRun) builder(n int) *builder {
	return &builder{run: r, part: partOf(n), open: []opened{{-1, r.place.root}}}
}

// close hands over what the builder has done.
func (b *builder) close() {
	b.closeTo(1)
	b.run.mutex.Lock()
	b.run.made = append(b.run.made, b.made...)
	b.run.parts = append(b.run.parts, b.parts...)
	b.run.mutex.Unlock()
}

// carryOut makes what is new in a run of steps.
func (b *builder) carryOut(s span) {
	const often = 64
	r := b.run
	told := s.first
	for i := s.first; i < s.last && !r.halted(); i++ {
		if r.job.Plan.Steps[i].State == plan.New {
			if err := b.make(i); err != nil {
				r.fail(i, r.job.Plan.Path(int(i)), err)
			}
		}
		if n := i + 1 - told; r.job.Done != nil && (n == often || i+1 == s.last) {
			r.job.Done(int(n))
			told = i + 1
		}
	}
}

func (b *builder) make(i int32) error {
	step := &b.run.job.Plan.Steps[i]
	parent, err := b.parent(step.Parent)
	if err != nil {
		return err
	}
	if step.Node.Kind == tree.Folder {
		if err = parent.Mkdir(step.Node.Name, 0o777); err == nil {
			b.made = append(b.made, i)
		}
		return err
	}
	there, err := writeFile(parent, step.Node.Name, b.part, step.Node.Content)
	if there {
		b.made = append(b.made, i)
	}
	if err != nil {
		b.parts = append(b.parts, path.Join(path.Dir(b.run.job.Plan.Path(int(i))), b.part))
	}
	return err
}

// parent returns the handle of a folder, given by its step.
func (b *builder) parent(step int32) (handle, error) {
	for i := len(b.open) - 1; i >= 0; i-- {
		if b.open[i].step == step {
			b.closeTo(i + 1)
			return b.open[i].handle, nil
		}
	}
	s := &b.run.job.Plan.Steps[step]
	above, err := b.parent(s.Parent)
	if err != nil {
		return nil, err
	}
	h, err := above.Folder(s.Node.Name)
	if err != nil {
		return nil, err
	}
	b.open = append(b.open, opened{step, h})
	return h, nil
}

func (b *builder) closeTo(n int) {
	for _, o := range b.open[n:] {
		o.handle.Close()
	}
	b.open = b.open[:n]
}

// partName begins the names under which files are written before they get their
// own, so that a file of a build is there as a whole or not at all, whenever the
// power goes. Each builder has its own.
const partName = ".vestibula.part"

func partOf(builder int) string { return partName + strconv.Itoa(builder) }

// writeFile makes a file that does not exist yet. There says whether it is
// there now, which it may be even where something failed.
func writeFile(parent handle, name, part string, c tree.Content) (there bool, err error) {
	if c == nil {
		f, err := parent.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666)
		if err != nil {
			return false, err
		}
		return true, f.Close()
	}
	fill := func(f file) error { return tree.Copy(f, c) }
	if _, err := write(parent, part, os.O_CREATE|os.O_TRUNC, 0o666, fill); err != nil {
		_ = parent.Remove(part)
		return false, err
	}
	// A link fails where the name is taken, as a rename does not.
	linked := parent.Link(part, name)
	err = parent.Remove(part)
	switch {
	case linked == nil:
		return true, err
	case errors.Is(linked, fs.ErrExist):
		return false, linked
	case err != nil:
		return false, err
	}
	// Some media know no links; there the file is written in its place.
	return write(parent, name, os.O_CREATE|os.O_EXCL, 0o666, fill)
}

// notes writes the notes.
func (r *buildRun) notes() {
	for _, n := range r.job.Notes {
		data, err := n.Data()
		if err == nil {
			err = r.place.writeNote(n.Path, data)
		}
		if err != nil {
			r.fail(int32(len(r.job.Plan.Steps)), n.Path, err)
			return
		}
		r.noted++
	}
}

// writeNote writes a note beside its place and then moves it there.
func (p *Place) writeNote(at string, data []byte) error {
	return replace(p.root, at, path.Join(path.Dir(at), partOf(0)), 0o666, data)
}

// takeBack removes what this build has made, the last first. A folder that
// somebody has put something into meanwhile stays.
func (r *buildRun) takeBack() {
	root := r.place.root
	for _, n := range slices.Backward(r.job.Notes[:r.noted]) {
		var err error
		if n.Was == nil {
			err = root.Remove(n.Path)
		} else {
			err = r.place.writeNote(n.Path, n.Was)
		}
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			r.failed.Left = append(r.failed.Left, n.Path)
		}
	}
	for _, part := range r.parts {
		if err := root.Remove(part); err != nil && !errors.Is(err, fs.ErrNotExist) {
			r.failed.Left = append(r.failed.Left, part)
		}
	}
	slices.Sort(r.made)
	for _, i := range slices.Backward(r.made) {
		at := r.job.Plan.Path(int(i))
		if err := root.Remove(at); err != nil && !errors.Is(err, fs.ErrNotExist) {
			r.failed.Left = append(r.failed.Left, at)
		}
	}
}
