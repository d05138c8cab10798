package disk

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"

	"vestibula/core/plan"
	"vestibula/core/tree"
)

// A Note is a small file of the program's own, such as a label. Unlike all
// others it may be replaced, as a whole.
type Note struct {
	Path string
	Data []byte
}

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

// Build makes what is new in the plan, and then writes the notes. Done, if it
// is not nil, is called after each step with the number of steps so far. If
// anything fails, all that was made is taken back and the error is a
// [BuildError].
func (p *Place) Build(pl *plan.Plan, notes []Note, done func(n int)) error {
	b := &builder{place: p, plan: pl}
	b.handles = append(b.handles, handle{step: -1, root: p.root})
	defer b.closeTo(1)
	for i := range pl.Steps {
		if pl.Steps[i].State == plan.New {
			if err := b.make(int32(i)); err != nil {
				return b.takeBack(pl.Path(i), err)
			}
		}
		if done != nil {
			done(i + 1)
		}
	}
	for _, n := range notes {
		if err := p.writeNote(n); err != nil {
			return b.takeBack(n.Path, err)
		}
	}
	return nil
}

// A builder keeps a handle open for each folder on the way to where it works,
// so that each new folder costs one call with a single name.
type builder struct {
	place   *Place
	plan    *plan.Plan
	handles []handle
	made    []int32 // the steps that were carried out
}

type handle struct {
	step int32
	root *os.Root
}

func (b *builder) make(i int32) error {
	step := &b.plan.Steps[i]
	parent, err := b.open(step.Parent)
	if err != nil {
		return err
	}
	if step.Node.Kind == tree.Folder {
		err = parent.Mkdir(step.Node.Name, 0o777)
	} else {
		err = writeFile(parent, step.Node.Name, step.Node.Content)
	}
	if err == nil {
		b.made = append(b.made, i)
	}
	return err
}

// open returns the handle of a folder, given by its step.
func (b *builder) open(step int32) (*os.Root, error) {
	for i := len(b.handles) - 1; i >= 0; i-- {
		if b.handles[i].step == step {
			b.closeTo(i + 1)
			return b.handles[i].root, nil
		}
	}
	s := &b.plan.Steps[step]
	parent, err := b.open(s.Parent)
	if err != nil {
		return nil, err
	}
	root, err := parent.OpenRoot(s.Node.Name)
	if err != nil {
		return nil, err
	}
	b.handles = append(b.handles, handle{step, root})
	return root, nil
}

func (b *builder) closeTo(n int) {
	for _, h := range b.handles[n:] {
		h.root.Close()
	}
	b.handles = b.handles[:n]
}

// partName is the name under which a file is written before it gets its own, so
// that a file of a build is there as a whole or not at all, whenever the power
// goes.
const partName = ".vestibula.part"

// writeFile makes a file that does not exist yet.
func writeFile(parent *os.Root, name string, c tree.Content) error {
	if c == nil {
		return fillFile(parent, name, os.O_EXCL, nil)
	}
	if err := fillFile(parent, partName, os.O_TRUNC, c); err != nil {
		parent.Remove(partName)
		return err
	}
	// A link fails where the name is taken, as a rename does not.
	err := parent.Link(partName, name)
	parent.Remove(partName)
	if err == nil || errors.Is(err, fs.ErrExist) {
		return err
	}
	// Some media know no links; there the file is written in its place.
	if err := fillFile(parent, name, os.O_EXCL, c); err != nil {
		if !errors.Is(err, fs.ErrExist) {
			parent.Remove(name)
		}
		return err
	}
	return nil
}

func fillFile(parent *os.Root, name string, flag int, c tree.Content) error {
	f, err := parent.OpenFile(name, os.O_WRONLY|os.O_CREATE|flag, 0o666)
	if err != nil {
		return err
	}
	if c != nil {
		var r io.ReadCloser
		if r, err = c.Open(); err == nil {
			_, err = io.Copy(f, r)
			r.Close()
		}
	}
	if e := f.Close(); err == nil {
		err = e
	}
	return err
}

// takeBack removes what this build has made, the last first. A folder that
// somebody has put something into meanwhile stays.
func (b *builder) takeBack(path string, cause error) error {
	err := &BuildError{Path: path, Err: cause}
	for n := len(b.made) - 1; n >= 0; n-- {
		at := b.plan.Path(int(b.made[n]))
		if b.place.root.Remove(at) != nil {
			err.Left = append(err.Left, at)
		}
	}
	return err
}

// writeNote writes a note beside its place and then moves it there, so that it
// is there as a whole or not at all.
func (p *Place) writeNote(n Note) error {
	temporary := path.Join(path.Dir(n.Path), partName)
	f, err := p.root.OpenFile(temporary, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o666)
	if err != nil {
		return err
	}
	_, err = f.Write(n.Data)
	if e := f.Sync(); err == nil {
		err = e
	}
	if e := f.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = p.root.Rename(temporary, n.Path)
	}
	if err != nil {
		p.root.Remove(temporary)
	}
	return err
}
