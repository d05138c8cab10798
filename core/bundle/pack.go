package bundle

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"strings"
	"time"

	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// Pack returns the change that makes one file, at a path of a place, of all that changes
// of a set would make there in folders: of Makes and Copies, of which it takes their paths
// as those in the archive. A copy's Was says what is read: where its checksum is another
// one by then, nothing is made. Done, which may be nil, is called with how many entries
// were written, and how many were read back.
func Pack(in int, file string, set *change.Set, now time.Time, done func(n int)) change.Change {
	grown := tree.NewGrower()
	dresses := map[string]change.Dress{}
	for i := range set.Changes {
		c := &set.Changes[i]
		dress := c.As
		switch {
		case c.Op == change.Copy:
			dress = change.Dress{Mode: c.Was.Mode, Time: c.Was.Time}
			grown.Put(c.Path, &tree.Node{Name: path.Base(c.Path), Kind: tree.File, Content: &living{string(set.Places[c.FromIn]), c.From, c.Was.Sum}})
		case c.Node.Kind == tree.Folder:
			grown.Folder(c.Path)
		default:
			grown.Put(c.Path, &tree.Node{Name: path.Base(c.Path), Kind: c.Node.Kind, Content: c.Node.Content})
		}
		if dress != (change.Dress{}) {
			dresses[c.Path] = dress
		}
	}
	content := &packed.Archive{Root: grown.Root, Format: packed.Zip, Time: now, Done: done}
	content.Dress = func(at string) (fs.FileMode, time.Time) {
		if d := dresses[at]; d.Time != 0 {
			return d.Mode, time.Unix(0, d.Time).UTC()
		}
		return dresses[at].Mode, now
	}
	return change.Change{Op: change.Copy, In: in, Path: file, Content: content}
}

// A living content is that of a file on a disk, which has to hold what it held.
type living struct{ dir, path, sum string }

// Source names the file.
func (l *living) Source() string { return path.Join(l.dir, l.path) }

// Sum is the checksum that it has to have.
func (l *living) Sum() string { return l.sum }

// Open opens it. The last read fails where it holds something else.
func (l *living) Open() (io.ReadCloser, error) {
	p, err := place.Open(l.dir)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	f, err := p.Open(l.path)
	if err != nil {
		return nil, fmt.Errorf("%s: %s", l.path, place.Reason(err))
	}
	return &summed{f, digest.NewWriter(io.Discard), l}, nil
}

type summed struct {
	io.ReadCloser
	so *digest.Writer // what was read so far
	of *living
}

// Read reads, and compares at the end.
func (s *summed) Read(b []byte) (int, error) {
	n, err := s.ReadCloser.Read(b)
	_, _ = s.so.Write(b[:n])
	if errors.Is(err, io.EOF) && s.so.Sum() != s.of.sum {
		return n, fmt.Errorf("somebody has changed %s meanwhile", s.of.path)
	}
	return n, err
}

// A File is a packed file that is open.
type File struct {
	*packed.Contents
	files map[string]*packed.Packed
}

// OpenFile opens one. Who opens it closes it.
func OpenFile[P ~string](file P) (*File, error) {
	c, err := packed.OpenKnown(string(file))
	if err != nil {
		return nil, err
	}
	f := &File{c, map[string]*packed.Packed{}}
	for i := range c.Files {
		f.files[c.Files[i].Path] = &c.Files[i]
	}
	return f, nil
}

// Top is the only folder at the top of the file, if there is nothing beside it; else nil.
func (f *File) Top() *tree.Node {
	if len(f.Root.Children) != 1 || f.Root.Children[0].Kind != tree.Folder {
		return nil
	}
	return f.Root.Children[0]
}

// Note is the list of what one of its folders held, and where that lies in the folder; nil
// where there is none. The error says, for a person, why a list cannot be read.
func (f *File) Note(top string) (note *Inventory, below string, err error) {
	for _, name := range []string{BackupName, BagName} {
		data, err := f.In(top).Read(name)
		if errors.Is(err, ErrNone) {
			continue
		}
		if err == nil {
			note, err = ParseInventory(data)
		}
		if name == BagName {
			below = Payload
		}
		return note, below, err
	}
	return nil, "", nil
}

// ErrNone says that there is no file of that name.
var ErrNone = errors.New("it is not there")

// A Folder is one in a packed file. Several goroutines may use it.
type Folder struct {
	in  *File
	top string
}

// In returns a folder of the file, by its path.
func (f *File) In(top string) Folder { return Folder{f, top} }

func (d Folder) at(name string) *packed.Packed { return d.in.files[path.Join(d.top, name)] }

// Open opens a file in it.
func (d Folder) Open(name string) (io.ReadCloser, error) {
	p := d.at(name)
	if p == nil {
		return nil, ErrNone
	}
	return p.Content.Open()
}

// Size is how large a file in it is, in bytes.
func (d Folder) Size(name string) (int64, error) {
	p := d.at(name)
	if p == nil {
		return 0, ErrNone
	}
	return p.Size, nil
}

// Read is what a list or a manifest in it holds.
func (d Folder) Read(name string) ([]byte, error) {
	r, err := d.Open(name)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, MaxManifest+1))
	if err == nil && len(data) > MaxManifest {
		err = errors.New("it is larger than any list")
	}
	return data, err
}

// Back returns what makes a folder of the file, or a part of it, again, at a path of a
// place: by its list, which says what each file holds. Part is empty for all of it.
func (f *File) Back(top, part string, in int, to string) ([]change.Change, error) {
	note, below, err := f.Note(top)
	if err != nil {
		return nil, err
	}
	if note == nil {
		return nil, errors.New("the list of what it held is not in it any more")
	}
	var list []change.Change
	if own := note.Own; part == "" {
		c := change.Change{In: in, Path: to, Node: &tree.Node{Name: path.Base(to)}, Why: "back"}
		if own != nil {
			c.As = change.Dress{Mode: own.Permissions(), Time: own.Time}
		}
		list = append(list, c)
	}
	for i := range note.Entries {
		e := &note.Entries[i]
		at := strings.TrimSuffix(e.Path, "/")
		if part != "" && at != part && !strings.HasPrefix(at, part+"/") {
			continue
		}
		c := change.Change{In: in, Path: path.Join(to, at), As: change.Dress{Mode: e.Permissions(), Time: e.Time}, Why: "back"}
		switch {
		case strings.HasSuffix(e.Path, "/"):
			c.Node = &tree.Node{Name: path.Base(at)}
		case e.Sum == "":
			c.Node = &tree.Node{Name: path.Base(at), Kind: tree.Symlink, Content: tree.Target(e.To)}
		default:
			p := f.In(top).at(path.Join(below, e.Path))
			if p == nil {
				return nil, fmt.Errorf("%s is missing in it", e.Path)
			}
			c.Op, c.Content = change.Copy, &sealed{p.Content, e.Sum}
		}
		list = append(list, c)
	}
	return list, nil
}

// Sealed is what an entry of the backup in the file holds, which has to be what its list says; nil where
// it is missing.
func (f *File) Sealed(e *Entry) tree.Content {
	top := f.Top()
	if top == nil {
		return nil
	}
	for _, below := range []string{"", Payload} {
		if p := f.In(top.Name).at(path.Join(below, e.Path)); p != nil {
			if e.Sum == "" {
				return p.Content
			}
			return &sealed{p.Content, e.Sum}
		}
	}
	return nil
}

// A sealed content is that of a packed file, which has to be what its list says.
type sealed struct {
	tree.Content
	sum string
}

// Prove compares what was written with what the list says.
func (s *sealed) Prove(written io.ReadSeeker) error {
	sum, err := digest.Of(written)
	if err == nil && sum != s.sum {
		err = fmt.Errorf("%s is damaged: it does not hold what it held", s.Source())
	}
	return err
}
