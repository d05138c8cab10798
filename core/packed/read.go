package packed

import (
	"archive/tar"
	"archive/zip"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"vestibula/core/folder"
	"vestibula/core/tree"
)

// What is read of an archive at the most: far above what people pack, far below what
// hurts.
const (
	MaxEntries  = 2_000_000
	maxPath     = 4096
	maxUnpacked = 4 << 30 // of a tar archive, which has to be unpacked to be listed
	bestRatio   = 1100    // how many bytes one byte can give at best, by how ZIP packs
	maxRatio    = 100     // how many bytes of it one byte of the file may give
)

// A Listing is what an archive holds. Contents are not read.
type Listing struct {
	Root *tree.Node // its children are sorted by their names
	// Outside are names of entries that lead out of the archive; they are left out.
	Outside []string
	Locked  bool // a password is needed for what it holds
}

// List reads what a ZIP or tar archive holds. The error says, for a person, why that
// cannot be told.
func List(file string) (*Listing, error) {
	f, err := folder.OpenFile(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	return list(f, info.Size(), FormatOf(file), false)
}

// A source is an archive that can be read anywhere.
type source interface {
	io.Reader
	io.ReaderAt
}

// list lists an archive. In one that is known a backslash is a part of a name; others were
// made by programs that part names with it.
func list(f source, size int64, format Format, known bool) (*Listing, error) {
	l := &Listing{Root: &tree.Node{}}
	p := &planter{l: l, known: known, grown: tree.NewGrower()}
	var err error
	switch format {
	case Zip:
		err = p.zip(f, size)
	case TarGzip:
		err = p.tar(f, size)
	default:
		err = errors.New("it is no archive that can be read: name a .zip or .tar.gz file")
	}
	if err != nil {
		return nil, err
	}
	l.Root = p.grown.Root.Sort()
	return l, nil
}

// A planter puts entries into a tree.
type planter struct {
	l     *Listing
	grown *tree.Grower
	count int
	known bool
}

func (p *planter) zip(f source, size int64) error {
	r, err := zip.NewReader(f, size)
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return errors.New("it is damaged, or no ZIP archive")
	}
	if len(r.File) > MaxEntries {
		return fmt.Errorf("it holds more than %d entries", MaxEntries)
	}
	for _, e := range r.File {
		p.l.Locked = p.l.Locked || e.Flags&1 != 0
		kind := tree.File
		if strings.HasSuffix(e.Name, "/") || e.Mode().IsDir() {
			kind = tree.Folder
		}
		if err := p.put(e.Name, kind, !e.Mode().IsDir() && !e.Mode().IsRegular()); err != nil {
			return err
		}
	}
	return nil
}

func (p *planter) tar(f source, size int64) error {
	z, err := gzip.NewReader(f)
	if err != nil {
		return errors.New("it is damaged, or no tar archive with gzip")
	}
	most := min(maxUnpacked, size*maxRatio+64<<20)
	r := tar.NewReader(io.LimitReader(z, most))
	for {
		e, err := r.Next()
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case errors.Is(err, tar.ErrInsecurePath):
		case err != nil:
			return fmt.Errorf("it is damaged, or holds more than %d MB", most>>20)
		}
		kind := tree.File
		if e.Typeflag == tar.TypeDir {
			kind = tree.Folder
		}
		if err := p.put(e.Name, kind, e.Typeflag == tar.TypeSymlink || e.Typeflag == tar.TypeLink); err != nil {
			return err
		}
	}
}

// put adds an entry, with the folders on the way.
func (p *planter) put(name string, kind tree.Kind, link bool) error {
	if p.count++; p.count+p.grown.Folders() > MaxEntries {
		return fmt.Errorf("it holds more than %d entries", MaxEntries)
	}
	path := pathOf(name, p.known)
	if path == "." || path == "" {
		return nil
	}
	if len(path) > maxPath || path[0] == '/' || strings.ContainsRune(path, 0) || slices.ContainsFunc(strings.Split(path, "/"), func(n string) bool { return n == "" || n == "." || n == ".." }) {
		if len(p.l.Outside) < 1000 {
			p.l.Outside = append(p.l.Outside, name)
		}
		return nil
	}
	if kind == tree.Folder {
		p.grown.Folder(path)
		return nil
	}
	n := &tree.Node{Name: path[strings.LastIndexByte(path, '/')+1:], Kind: kind}
	if link {
		n.Marks = tree.Link
	}
	p.grown.Put(path, n)
	return nil
}
