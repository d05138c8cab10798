package drive

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"strconv"
	"strings"

	"vestibula/core/digest"
	"vestibula/core/folder"
	"vestibula/core/tree"
)

// mostBuffered is how much of a new file is kept until all of it is there, in bytes: so much can
// be sent again. What is larger is sent as it comes.
const mostBuffered = 8 << 20

func (c *collection) Open(name string) (folder.File, error) {
	at, err := c.at("open", name)
	if err != nil {
		return nil, err
	}
	e, err := c.look(at)
	if err == nil && e.Kind != tree.File {
		err = errKind
	}
	if err != nil {
		return nil, fail("open", name, err)
	}
	return &reader{server: c.Server, path: at, entry: e}, nil
}

// Append cannot be done by a request.
func (c *collection) Append(name string) (folder.File, error) {
	at, err := c.at("append", name)
	if err == nil {
		_, err = c.look(at)
	}
	if err == nil {
		err = errors.ErrUnsupported
	}
	return nil, fail("append", name, err)
}

// Create makes a file under a name that nobody else has: it is put there when it is closed.
func (c *collection) Create(name string, _ fs.FileMode) (folder.File, error) {
	at, err := c.at("create", name)
	if err != nil {
		return nil, err
	}
	if c.path != c.trial.place() { // in a run's own folder, nobody else puts anything
		if _, err := c.lookNow(at); err == nil {
			err = refused(http.StatusPreconditionFailed)
			return nil, fail("create", name, err)
		} else if !errors.Is(err, fs.ErrNotExist) {
			return nil, fail("create", name, err)
		}
	}
	return &writer{server: c.Server, path: at}, nil
}

// A plain file knows neither rights nor attributes.
type plain struct{}

func (plain) Chmod(fs.FileMode) error           { return nil }
func (plain) Attributes() map[string][]byte     { return nil }
func (plain) SetAttribute(string, []byte) error { return errors.ErrUnsupported }

// A reader is a file that is read.
type reader struct {
	plain
	server *Server
	path   string
	entry  tree.Entry
	at     int64
	body   io.ReadCloser
}

func (r *reader) Look() (tree.Entry, error) {
	e, err := r.server.look(r.path)
	return e, fail("look", r.path, err)
}

// Stat is what was seen when it was opened.
func (r *reader) Stat() (fs.FileInfo, error) { return r.entry.Info(), nil }

func (r *reader) Sync() error             { return nil }
func (*reader) Write([]byte) (int, error) { return 0, fs.ErrPermission }
func (r *reader) Close() error            { return r.drop() }

func (r *reader) drop() error {
	if r.body == nil {
		return nil
	}
	body := r.body
	r.body = nil
	return body.Close()
}

// Seek is where is read next.
func (r *reader) Seek(offset int64, whence int) (int64, error) {
	switch whence {
	case io.SeekCurrent:
		offset += r.at
	case io.SeekEnd:
		offset += r.entry.Size
	}
	if offset < 0 {
		return 0, fail("seek", r.path, fs.ErrInvalid)
	}
	if offset != r.at {
		r.at = offset
		return offset, r.drop()
	}
	return offset, nil
}

// Read reads on, also where the line was lost meanwhile.
func (r *reader) Read(b []byte) (n int, err error) {
	for attempt := 0; ; attempt++ {
		if r.body == nil {
			if r.at >= r.entry.Size && r.at > 0 {
				return 0, io.EOF
			}
			if r.body, err = r.server.get(r.path, r.at, r.entry); err != nil {
				return 0, fail("read", r.path, err)
			}
		}
		n, err = r.body.Read(b)
		r.at += int64(n)
		if err == nil || errors.Is(err, io.EOF) && (r.at >= r.entry.Size || n > 0) {
			return n, err
		}
		_ = r.drop()
		if n > 0 {
			return n, nil
		}
		if attempt == attempts-1 {
			return 0, fail("read", r.path, &Unreachable{err: err})
		}
		r.server.config.Sleep(waits[attempt])
	}
}

// ReadAt reads at an offset, beside what is read in turn.
func (r *reader) ReadAt(b []byte, offset int64) (int, error) {
	other := &reader{server: r.server, path: r.path, entry: r.entry, at: offset}
	defer other.Close()
	n, err := io.ReadFull(other, b)
	if errors.Is(err, io.ErrUnexpectedEOF) {
		err = io.EOF
	}
	return n, err
}

// get asks for what a file holds from an offset on, as long as it is the one that was seen.
func (s *Server) get(path string, from int64, is tree.Entry) (io.ReadCloser, error) {
	r := request{method: http.MethodGet, path: path, header: map[string]string{}}
	if from > 0 {
		r.header["Range"] = "bytes=" + strconv.FormatInt(from, 10) + "-"
	}
	answer, err := s.ask(r)
	if err != nil {
		return nil, err
	}
	tag, _ := tagOf(answer.Header.Get("ETag"))
	switch {
	case is.Tag != "" && tag != "" && tag != is.Tag:
		answer.Body.Close()
		return nil, errState
	case from > 0 && answer.StatusCode != http.StatusPartialContent: // it sends all of it
		if _, err := io.CopyN(io.Discard, answer.Body, from); err != nil {
			answer.Body.Close()
			return nil, &Unreachable{err: err}
		}
	case from > 0 && !strings.HasPrefix(answer.Header.Get("Content-Range"), fmt.Sprintf("bytes %d-", from)):
		answer.Body.Close()
		return nil, &Error{Says: "the drive sends another part of the file than it was asked for"}
	}
	return answer.Body, nil
}

// sum is the checksum of a file.
func (s *Server) sum(path string) (string, error) {
	e, err := s.lookNow(path)
	if err != nil {
		return "", err
	}
	return digest.Of(&reader{server: s, path: path, entry: e.Entry})
}

// A writer is a new file.
type writer struct {
	plain
	server *Server
	path   string
	held   bytes.Buffer
	size   int64
	pipe   *io.PipeWriter // of what is sent as it comes
	sent   chan error
	put    bool
	err    error
}

func (w *writer) Read([]byte) (int, error)       { return 0, fs.ErrPermission }
func (w *writer) Seek(int64, int) (int64, error) { return 0, errors.ErrUnsupported }
func (w *writer) Sync() error                    { return nil }

func (w *writer) Look() (tree.Entry, error) {
	return tree.Entry{Name: last(w.path), Kind: tree.File, Mode: 0o644, Size: w.size, Time: 1, Dev: w.server.dev}, w.err
}

func (w *writer) Write(b []byte) (int, error) {
	if w.err != nil {
		return 0, w.err
	}
	w.size += int64(len(b))
	if w.pipe == nil && w.held.Len()+len(b) <= mostBuffered {
		return w.held.Write(b)
	}
	if w.pipe == nil {
		from, pipe := io.Pipe()
		w.pipe, w.sent = pipe, make(chan error, 1)
		first := bytes.Clone(w.held.Bytes())
		w.held = bytes.Buffer{}
		go func() {
			err := w.server.put(w.path, request{stream: io.MultiReader(bytes.NewReader(first), from)})
			_ = from.CloseWithError(errors.Join(err, io.ErrClosedPipe))
			w.sent <- err
		}()
	}
	n, err := w.pipe.Write(b)
	if err != nil {
		err = <-w.sent
		w.sent <- err
		w.err = fail("write", w.path, err)
		return n, w.err
	}
	return n, nil
}

// Close puts the file where it belongs. It is there only where there is no error.
func (w *writer) Close() error {
	if w.put {
		return nil
	}
	w.put = true
	var err error
	if w.pipe != nil {
		_ = w.pipe.Close()
		err = <-w.sent
	} else {
		err = w.server.put(w.path, request{body: append([]byte{}, w.held.Bytes()...)})
	}
	if err == nil && w.pipe != nil {
		var e *seen
		if e, err = w.server.lookNow(w.path); err == nil && e.Size != w.size {
			err = &Unreachable{err: io.ErrShortWrite}
		}
	}
	return fail("write", w.path, err)
}

// put sends a file to a name of the run's own.
func (s *Server) put(path string, r request) error {
	r.method, r.path = http.MethodPut, path
	r.header = map[string]string{"Content-Type": "application/octet-stream"}
	err := s.do(r, func() (bool, error) { return false, nil }) // it is this run's own: the same once more does no harm
	if err == nil {
		s.known.own(path, tree.File)
	}
	return err
}
