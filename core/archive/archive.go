// Package archive writes trees as archives, to be handed out or mailed: ZIP, and
// tar with gzip. The same tree and time give the same bytes, whenever and
// wherever it is written. [List] says what an archive of somebody else holds.
package archive

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"io"
	"io/fs"
	"strings"
	"time"

	"vestibula/core/tree"
)

// A Format is a kind of archive.
type Format int

// The formats.
const (
	None    Format = iota
	Zip            // .zip
	TarGzip        // .tar.gz or .tgz
)

// FormatOf tells the format by the ending of a file's name.
func FormatOf(name string) Format {
	switch name = strings.ToLower(name); {
	case strings.HasSuffix(name, ".zip"):
		return Zip
	case strings.HasSuffix(name, ".tar.gz"), strings.HasSuffix(name, ".tgz"):
		return TarGzip
	}
	return None
}

// An Archive is a tree as the content of a file.
type Archive struct {
	Root   *tree.Node
	Format Format
	Time   time.Time   // that all entries bear
	Done   func(n int) // is called with how many entries were just written; may be nil
}

// Source names the archive in messages.
func (a *Archive) Source() string { return "the archive" }

// Open returns the bytes of the archive, which are made as they are read.
func (a *Archive) Open() (io.ReadCloser, error) {
	r, w := io.Pipe()
	go func() { w.CloseWithError(a.write(w)) }()
	return r, nil
}

// A packer writes one entry after the other. Paths have slashes.
type packer interface {
	folder(path string) error
	file(path string, c tree.Content) error
	link(path string, target tree.Content) error
	Close() error
}

func (a *Archive) write(w io.Writer) error {
	var p packer
	if a.Format == Zip {
		p = &zipPacker{zip.NewWriter(w), a.Time}
	} else {
		z := gzip.NewWriter(w)
		p = &tarPacker{tar.NewWriter(z), z, a.Time}
	}
	for path, n := range a.Root.All() {
		var err error
		if n.Kind == tree.Folder {
			err = p.folder(path + "/")
		} else if n.Kind == tree.Symlink {
			err = p.link(path, n.Content)
		} else {
			err = p.file(path, n.Content)
		}
		if err != nil {
			return err
		}
		if a.Done != nil {
			a.Done(1)
		}
	}
	return p.Close()
}

type zipPacker struct {
	*zip.Writer
	time time.Time
}

func (p *zipPacker) create(path string, mode fs.FileMode, method uint16) (io.Writer, error) {
	h := &zip.FileHeader{Name: path, Method: method, Modified: p.time}
	h.SetMode(mode)
	return p.CreateHeader(h)
}

func (p *zipPacker) folder(path string) error {
	_, err := p.create(path, fs.ModeDir|0o755, zip.Store)
	return err
}

func (p *zipPacker) file(path string, c tree.Content) error {
	if c == nil {
		_, err := p.create(path, 0o644, zip.Store)
		return err
	}
	w, err := p.create(path, 0o644, zip.Deflate)
	if err != nil {
		return err
	}
	return tree.Copy(w, c)
}

func (p *zipPacker) link(path string, target tree.Content) error {
	w, err := p.create(path, fs.ModeSymlink|0o777, zip.Store)
	if err != nil {
		return err
	}
	return tree.Copy(w, target)
}

func (p *tarPacker) link(path string, target tree.Content) error {
	var to strings.Builder
	if err := tree.Copy(&to, target); err != nil {
		return err
	}
	return p.WriteHeader(&tar.Header{Typeflag: tar.TypeSymlink, Name: path, Linkname: to.String(), Mode: 0o777, ModTime: p.time})
}

type tarPacker struct {
	*tar.Writer
	zip  *gzip.Writer
	time time.Time
}

func (p *tarPacker) folder(path string) error {
	return p.WriteHeader(&tar.Header{Typeflag: tar.TypeDir, Name: path, Mode: 0o755, ModTime: p.time})
}

func (p *tarPacker) file(path string, c tree.Content) error {
	var data bytes.Buffer // its size has to be known first
	if err := tree.Copy(&data, c); err != nil {
		return err
	}
	if err := p.WriteHeader(&tar.Header{Typeflag: tar.TypeReg, Name: path, Mode: 0o644, Size: int64(data.Len()), ModTime: p.time}); err != nil {
		return err
	}
	_, err := p.Write(data.Bytes())
	return err
}

func (p *tarPacker) Close() error {
	if err := p.Writer.Close(); err != nil {
		return err
	}
	return p.zip.Close()
}
