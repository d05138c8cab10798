// Package drivetest runs drives for tests: a WebDAV server in this process, and one that fails.
package drivetest

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"path"
	"strings"
	"sync"
	"testing"
	"time"

	"golang.org/x/net/webdav"

	"vestibula/core/address"
	"vestibula/core/drive"
	"vestibula/core/folder"
)

// A Server is a drive that holds a folder of this disk.
type Server struct {
	*httptest.Server
	Dir string

	// Keeps says that it keeps the conditions of requests, which the server behind it does not.
	Keeps bool
	// Fault, unless it is nil, is asked before each request.
	Fault *Fault
	// Delay is added to each answer.
	Delay time.Duration
	// Password, unless it is empty, is asked for.
	Password string
	// Refuses, unless it is empty, are signs that no name may hold.
	Refuses string

	front *httputil.ReverseProxy // of the server that it stands in front of; nil for its own
	dav   *webdav.Handler
	mutex sync.Mutex
	seen  []string // the requests: their methods and paths
}

// New starts a drive that keeps the standard, below /dav/.
func New(dir string) *Server {
	s := &Server{Dir: dir, Keeps: true}
	s.dav = &webdav.Handler{Prefix: "/dav", FileSystem: webdav.Dir(dir), LockSystem: webdav.NewMemLS()}
	s.Server = httptest.NewServer(s)
	return s
}

// Before stands in front of a real drive, so that this can fail as well.
func Before(r *Real) *Server {
	s := &Server{Dir: r.Dir}
	there, err := url.Parse(r.URL)
	if err != nil {
		panic(err)
	}
	s.front = &httputil.ReverseProxy{Rewrite: func(q *httputil.ProxyRequest) {
		q.Out.URL.Scheme, q.Out.URL.Host, q.Out.Host = there.Scheme, there.Host, there.Host
		for _, name := range []string{"Destination", "If"} {
			if value := q.In.Header.Get(name); value != "" {
				q.Out.Header.Set(name, strings.ReplaceAll(value, q.In.Host, there.Host))
			}
		}
	}, Transport: &http.Transport{DisableKeepAlives: true}, ErrorLog: log.New(io.Discard, "", 0)}
	s.Server = httptest.NewServer(s)
	return s
}

// Start starts one for a test.
func Start(t testing.TB) *Server {
	s := New(t.TempDir())
	t.Cleanup(s.Close)
	return s
}

// Connect lets a test reach drives, of which this server is one.
func (s *Server) Connect(t testing.TB) *drive.Drives {
	d := drive.New(Config(drive.Credentials{User: "wren", Password: s.Password}))
	was := folder.StoreOf
	folder.StoreOf = d.Of
	t.Cleanup(func() { folder.StoreOf = was })
	return d
}

// Config is that of tests: nobody waits, and nobody is asked.
func Config(who drive.Credentials) drive.Config {
	return drive.Config{
		Who:   func(address.Address, string) (drive.Credentials, error) { return who, nil },
		Plain: func(address.Address) bool { return false },
		Sleep: func(time.Duration) {},
	}
}

// Address is that of the top of the drive.
func (s *Server) Address() address.Address {
	at, err := address.OfURL(s.URL + "/dav")
	if err != nil {
		panic(err)
	}
	return at
}

// Requests are those that were made since the last call, by their methods and paths.
func (s *Server) Requests() []string {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	out := s.seen
	s.seen = nil
	return out
}

// ServeHTTP answers a request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.mutex.Lock()
	s.seen = append(s.seen, r.Method+" "+strings.TrimPrefix(r.URL.Path, "/dav"))
	s.mutex.Unlock()
	if s.Delay > 0 {
		time.Sleep(s.Delay)
	}
	if _, given, _ := r.BasicAuth(); s.Password != "" && given != s.Password {
		w.Header().Set("WWW-Authenticate", `Basic realm="The bindery"`)
		w.WriteHeader(http.StatusUnauthorized)
		return
	}
	if changes := r.Method == "MKCOL" || r.Method == "PUT"; changes && s.Refuses != "" && strings.ContainsAny(path.Base(r.URL.Path), s.Refuses) {
		w.WriteHeader(http.StatusBadRequest)
		return
	}
	if s.Fault != nil {
		s.Fault.serve(s, w, r)
		return
	}
	s.answer(w, r)
}

// answer answers as the server behind does, with the conditions kept where it is to keep them.
func (s *Server) answer(w http.ResponseWriter, r *http.Request) {
	if s.Keeps && !s.met(r) {
		w.WriteHeader(http.StatusPreconditionFailed)
		return
	}
	if s.front != nil {
		s.front.ServeHTTP(w, r)
		return
	}
	s.dav.ServeHTTP(w, r)
}

// met reports whether the conditions of a request hold (RFC 9110, 13.1).
func (s *Server) met(r *http.Request) bool {
	have := s.tag(r.URL.Path)
	if want := r.Header.Get("If-Match"); want != "" && want != have {
		return false
	}
	return r.Header.Get("If-None-Match") != "*" || have == ""
}

// tag is the ETag of what lies at a path, "" for nothing.
func (s *Server) tag(at string) string {
	info, err := s.dav.FileSystem.Stat(context.Background(), path.Clean("/"+strings.TrimPrefix(at, "/dav")))
	if errors.Is(err, fs.ErrNotExist) || err != nil {
		return ""
	}
	return fmt.Sprintf(`"%x%x"`, info.ModTime().UnixNano(), info.Size()) // as golang.org/x/net/webdav has it
}

// A Way is how a drive fails.
type Way int

// The ways in which a drive fails.
const (
	CutBefore  Way = iota // the line is cut before anything is done
	CutAfter              // the answer is lost
	FaultAfter            // it is done, and the answer is 500
	Full                  // 507
	Locked                // 423
	Forbidden             // 403
	Busy                  // 503, for the first time
	Restart               // it does not answer for some time
)

// Ways are all of them.
var Ways = map[string]Way{"cut before": CutBefore, "cut after": CutAfter, "500 after": FaultAfter, "full": Full, "locked": Locked, "forbidden": Forbidden, "busy": Busy, "restart": Restart}

// A Fault makes a drive fail at its k-th request, from 1, and at all behind it unless it fails once.
type Fault struct {
	At   int
	Way  Way
	Once bool
	// Rival is called before the k-th request.
	Rival func()

	mutex sync.Mutex
	Done  int // so many requests counted
}

var writes = map[string]bool{"PUT": true, "MOVE": true, "COPY": true, "MKCOL": true, "DELETE": true}

func (f *Fault) now(r *http.Request) bool {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	f.Done++
	if refuses := f.Way == Full || f.Way == Locked || f.Way == Forbidden && f.Once; refuses && !writes[r.Method] {
		return false // nobody is told so who only reads, or only once
	}
	if f.Done == f.At && f.Rival != nil {
		f.Rival()
		return false
	}
	last := f.At
	if f.Way == Restart {
		last += 2
	}
	return f.Rival == nil && f.At > 0 && f.Done >= f.At && (f.Done <= last || !f.Once)
}

func (f *Fault) serve(s *Server, w http.ResponseWriter, r *http.Request) {
	if !f.now(r) {
		s.answer(w, r)
		return
	}
	switch f.Way {
	case CutBefore, Restart:
		cut(w)
	case CutAfter:
		s.answer(httptest.NewRecorder(), r)
		cut(w)
	case FaultAfter:
		s.answer(httptest.NewRecorder(), r)
		w.WriteHeader(http.StatusInternalServerError)
	case Full:
		w.WriteHeader(http.StatusInsufficientStorage)
	case Locked:
		w.WriteHeader(http.StatusLocked)
	case Forbidden:
		w.WriteHeader(http.StatusForbidden)
	case Busy:
		w.Header().Set("Retry-After", "1")
		w.WriteHeader(http.StatusServiceUnavailable)
	}
}

// cut ends a connection without an answer.
func cut(w http.ResponseWriter) {
	if h, ok := w.(http.Hijacker); ok {
		if c, _, err := h.Hijack(); err == nil {
			c.Close()
			return
		}
	}
	panic(http.ErrAbortHandler)
}

// Names are those of all that lies in a folder of this disk, with what files hold.
func Names(dir string) map[string]string {
	out := map[string]string{}
	root := os.DirFS(dir)
	_ = fs.WalkDir(root, ".", func(at string, e fs.DirEntry, err error) error {
		if err != nil || at == "." {
			return err
		}
		text := "/"
		if !e.IsDir() {
			data, _ := fs.ReadFile(root, at)
			text = string(data)
		}
		out[at] = text
		return nil
	})
	return out
}
