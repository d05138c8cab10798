// Package packed writes trees as archives, to be handed out or mailed: ZIP, and
// tar with gzip. The same tree and time give the same bytes, whenever and
// wherever it is written. [List] says what an archive of somebody else holds.
package packed

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"cmp"
	"compress/gzip"
	"io"
	"io/fs"
	"path"
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
	Time   time.Time // that all entries bear, where Dress says nothing else
	// Dress, which may be nil, says which permissions an entry has and when it was changed
	// last, by its path. Zero leaves each as it comes.
	Dress func(path string) (fs.FileMode, time.Time)
	Done  func(n int) // is called with how many entries were just written; may be nil
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
	folder(path string, as dress) error
	file(path string, c tree.Content, as dress) error
	link(path string, target tree.Content, as dress) error
	Close() error
}

func (a *Archive) write(w io.Writer) error {
	var p packer
	if a.Format == Zip {
		p = &zipPacker{zip.NewWriter(w), a.Dress != nil}
	} else {
		z := gzip.NewWriter(w)
		p = &tarPacker{tar.NewWriter(z), z}
	}
	for path, n := range a.Root.All() {
		var err error
		if n.Kind == tree.Folder {
			err = p.folder(path+"/", a.dress(path, 0o755))
		} else if n.Kind == tree.Symlink {
			err = p.link(path, n.Content, a.dress(path, 0o777))
		} else {
			err = p.file(path, n.Content, a.dress(path, 0o644))
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

// A dress is what an entry bears.
type dress struct {
	mode fs.FileMode
	time time.Time
}

func (a *Archive) dress(path string, mode fs.FileMode) dress {
	as := dress{mode, a.Time}
	if a.Dress == nil {
		return as
	}
	if mode, at := a.Dress(path); mode != 0 || !at.IsZero() {
		as = dress{cmp.Or(mode.Perm(), as.mode), at}
	}
	return as
}

// packedAlready are the endings of files that do not become smaller.
var packedAlready = map[string]bool{".jpg": true, ".jpeg": true, ".png": true, ".gif": true, ".webp": true, ".heic": true, ".avif": true, ".mp3": true, ".m4a": true, ".ogg": true, ".flac": true, ".mp4": true, ".mov": true, ".avi": true, ".mkv": true, ".webm": true, ".zip": true, ".gz": true, ".tgz": true, ".xz": true, ".7z": true, ".rar": true, ".docx": true, ".xlsx": true, ".pptx": true, ".odt": true, ".ods": true, ".odp": true}

type zipPacker struct {
	*zip.Writer
	real bool // what is packed are files of a person's, of which some are packed already
}

func (p *zipPacker) create(path string, as dress, method uint16) (io.Writer, error) {
	h := &zip.FileHeader{Name: path, Method: method, Modified: as.time}
	h.SetMode(as.mode)
	return p.CreateHeader(h)
}

func (p *zipPacker) folder(path string, as dress) error {
	as.mode |= fs.ModeDir
	_, err := p.create(path, as, zip.Store)
	return err
}

func (p *zipPacker) file(at string, c tree.Content, as dress) error {
	if c == nil {
		_, err := p.create(at, as, zip.Store)
		return err
	}
	method := zip.Deflate
	if p.real && packedAlready[strings.ToLower(path.Ext(at))] {
		method = zip.Store
	}
	w, err := p.create(at, as, method)
	if err != nil {
		return err
	}
	return tree.Copy(w, c)
}

func (p *zipPacker) link(path string, target tree.Content, as dress) error {
	as.mode |= fs.ModeSymlink
	w, err := p.create(path, as, zip.Store)
	if err != nil {
		return err
	}
	return tree.Copy(w, target)
}

func (p *tarPacker) link(path string, target tree.Content, as dress) error {
	var to strings.Builder
	if err := tree.Copy(&to, target); err != nil {
		return err
	}
	return p.WriteHeader(&tar.Header{Typeflag: tar.TypeSymlink, Name: path, Linkname: to.String(), Mode: int64(as.mode), ModTime: as.time})
}

type tarPacker struct {
	*tar.Writer
	zip *gzip.Writer
}

func (p *tarPacker) folder(path string, as dress) error {
	return p.WriteHeader(&tar.Header{Typeflag: tar.TypeDir, Name: path, Mode: int64(as.mode), ModTime: as.time})
}

func (p *tarPacker) file(path string, c tree.Content, as dress) error {
	var data bytes.Buffer // its size has to be known first
	if err := tree.Copy(&data, c); err != nil {
		return err
	}
	if err := p.WriteHeader(&tar.Header{Typeflag: tar.TypeReg, Name: path, Mode: int64(as.mode), Size: int64(data.Len()), ModTime: as.time}); err != nil {
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
