package packed

import (
	"archive/tar"
	"archive/zip"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"slices"
	"strings"
	"sync"

	"vestibula/core/folder"
	"vestibula/core/tree"
)

// A Packed file is one in an archive.
type Packed struct {
	Path    string // with slashes
	Size    int64
	Time    int64 // when it was changed last, in nanoseconds since 1970
	Content tree.Content
}

// Contents are the files of an archive that is open. It may be used by several
// goroutines.
type Contents struct {
	*Listing
	Files []Packed          // in the order of their paths
	Links map[string]string // where links of a ZIP archive lead, by their paths
	file  folder.Reading
	name  string
	size  int64
	ours  bool       // a list says what it holds
	mutex sync.Mutex // of what follows: the place in a tar archive
	tar   *tar.Reader
}

// Open opens an archive for its files. What leads out of it, links and other special
// entries are not among them. The error says, for a person, why it cannot be read: a
// password, or more than can be meant.
func Open(file string) (*Contents, error) { return open(file, false) }

// OpenKnown opens an archive as [Open] does, where a list says what it holds: it may be
// as small as an archive of such files can become.
func OpenKnown(file string) (*Contents, error) { return open(file, true) }

func open(file string, ours bool) (*Contents, error) {
	f, err := folder.OpenFile(file)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	c := &Contents{file: f, name: file, ours: ours}
	if err == nil {
		c.size = info.Size()
		c.Listing, err = list(f, c.size, FormatOf(file), ours)
	}
	if err == nil && c.Locked {
		err = errors.New("it needs a password: unpack it first")
	}
	if err == nil {
		if FormatOf(file) == Zip {
			err = c.zipped()
		} else {
			err = c.tarred()
		}
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	slices.SortStableFunc(c.Files, func(a, b Packed) int { return strings.Compare(a.Path, b.Path) })
	return c, nil
}

// Close closes the archive. Its contents cannot be opened any more.
func (c *Contents) Close() error { return c.file.Close() }

// known are the paths of the files in the listing.
func (c *Contents) known() map[string]bool {
	known := map[string]bool{}
	for at, n := range c.Root.All() {
		if n.Kind == tree.File && n.Marks&tree.Link == 0 {
			known[at] = true
		}
	}
	return known
}

// pathOf is the path of an entry, as the listing has it.
func pathOf(name string, known bool) string {
	if !known {
		name = strings.ReplaceAll(name, `\`, "/")
	}
	return strings.TrimPrefix(strings.TrimSuffix(name, "/"), "./")
}

func (c *Contents) zipped() error {
	ratio := uint64(maxRatio)
	if c.ours {
		ratio = bestRatio
	}
	r, err := zip.NewReader(c.file, c.size)
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return errors.New("it is damaged, or no ZIP archive")
	}
	known := c.known()
	var whole uint64
	for _, e := range r.File {
		at := pathOf(e.Name, c.ours)
		if e.Mode()&fs.ModeSymlink != 0 {
			c.link(e, at)
		}
		if !known[at] || !e.Mode().IsRegular() {
			continue
		}
		delete(known, at) // of two of one name, the first
		if whole += e.UncompressedSize64; whole > uint64(c.size)*ratio+64<<20 {
			return fmt.Errorf("it would become more than %d times as large as it is", ratio)
		}
		c.Files = append(c.Files, Packed{at, int64(e.UncompressedSize64), e.Modified.UnixNano(), &packed{c, e, at, int64(e.UncompressedSize64)}})
	}
	return nil
}

// link notes where a link leads, as far as that can be read.
func (c *Contents) link(e *zip.File, at string) {
	f, err := e.Open()
	if err != nil {
		return
	}
	defer f.Close()
	if to, err := io.ReadAll(io.LimitReader(f, maxPath+1)); err == nil && len(to) <= maxPath {
		if c.Links == nil {
			c.Links = map[string]string{}
		}
		c.Links[at] = string(to)
	}
}

func (c *Contents) tarred() error {
	known := c.known()
	if err := c.rewind(); err != nil {
		return err
	}
	for {
		e, err := c.tar.Next()
		switch {
		case errors.Is(err, io.EOF):
			return c.rewind()
		case err != nil && !errors.Is(err, tar.ErrInsecurePath):
			return errors.New("it is damaged, or holds more than can be meant")
		}
		at := pathOf(e.Name, c.ours)
		if !known[at] || e.Typeflag != tar.TypeReg {
			continue
		}
		delete(known, at)
		c.Files = append(c.Files, Packed{at, e.Size, e.ModTime.UnixNano(), &packed{c, nil, at, e.Size}})
	}
}

// rewind goes to the begin of a tar archive.
func (c *Contents) rewind() error {
	if _, err := c.file.Seek(0, io.SeekStart); err != nil {
		return err
	}
	z, err := gzip.NewReader(c.file)
	if err != nil {
		return errors.New("it is damaged, or no tar archive with gzip")
	}
	c.tar = tar.NewReader(io.LimitReader(z, min(maxUnpacked, c.size*maxRatio+64<<20)))
	return nil
}

// A packed content is that of a file in an archive.
type packed struct {
	in   *Contents
	zip  *zip.File
	path string
	size int64
}

// Source names the archive and the file.
func (p *packed) Source() string { return p.in.name + ", " + p.path }

// Open opens the file. In a tar archive one can be open at a time, and those that stand
// behind the last one are found without beginning anew.
func (p *packed) Open() (io.ReadCloser, error) {
	if p.zip != nil {
		r, err := p.zip.Open()
		if err != nil {
			return nil, errors.New("it is damaged, or packed in a way that cannot be read")
		}
		return &counted{r, r.Close, p.size}, nil
	}
	c := p.in
	c.mutex.Lock()
	for again := range 2 {
		for {
			e, err := c.tar.Next()
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil && !errors.Is(err, tar.ErrInsecurePath) {
				c.mutex.Unlock()
				return nil, errors.New("it is damaged")
			}
			if pathOf(e.Name, c.ours) == p.path && e.Typeflag == tar.TypeReg {
				return &counted{c.tar, func() error { c.mutex.Unlock(); return nil }, p.size}, nil
			}
		}
		if again == 0 {
			if err := c.rewind(); err != nil {
				c.mutex.Unlock()
				return nil, err
			}
		}
	}
	c.mutex.Unlock()
	return nil, errors.New("it has changed meanwhile")
}

// A counted reader gives no more than was said.
type counted struct {
	io.Reader
	close func() error
	left  int64
}

// Read reads; more than was said is an error.
func (r *counted) Read(b []byte) (int, error) {
	n, err := r.Reader.Read(b)
	if errors.Is(err, zip.ErrChecksum) {
		err = errors.New("it is damaged: it does not hold what it held")
	}
	if r.left -= int64(n); r.left < 0 {
		return 0, errors.New("the archive holds more of it than it says")
	}
	return n, err
}

// Close ends the reading.
func (r *counted) Close() error {
	if r.close == nil {
		return nil
	}
	end := r.close
	r.close = nil
	return end()
}
