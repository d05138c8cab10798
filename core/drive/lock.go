package drive

import (
	"encoding/xml"
	"errors"
	"html"
	"io"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"vestibula/core/address"
	"vestibula/core/folder"
	"vestibula/core/tree"
)

// A lock holds a folder for a minute or two, and is asked for again meanwhile: what a computer
// leaves behind that goes off is soon free.
const (
	lockSeconds = "Second-120"
	lockAgain   = 40 * time.Second
)

// locks are those that this run holds.
type locks struct {
	mutex sync.Mutex
	held  map[string]string // their tokens, by the paths of the folders
	bare  bool              // the server takes it amiss to be told
	alone bool              // it can be told by one request at a time only
	turn  sync.Mutex        // is held by that
}

// A turn is that of a request that tells of locks, where a server lets one at a time do so.
type turn struct{ of *locks }

// queue waits for the turn of a request, where each waits for the one before.
func (l *locks) queue(tells bool) (t turn) {
	l.mutex.Lock()
	alone := l.alone
	l.mutex.Unlock()
	if tells && alone {
		t.take(l)
	}
	return t
}

// take waits until this request is the only one; from now on, each of the others waits for its turn.
func (t *turn) take(l *locks) {
	if t.of != nil {
		return
	}
	l.mutex.Lock()
	l.alone = true
	l.mutex.Unlock()
	l.turn.Lock()
	t.of = l
}

func (t *turn) end() {
	if t.of != nil {
		t.of.turn.Unlock()
	}
}

// quiet stops telling the server of locks.
func (l *locks) quiet() {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.bare = true
}

// tokens is the header that proves that this run holds the folders which a request changes the
// names in (RFC 4918, 10.4).
func (l *locks) tokens(path, destination string) string {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if len(l.held) == 0 || l.bare {
		return ""
	}
	var out strings.Builder
	for at, token := range l.held {
		top, rest, _ := strings.Cut(token, " ")
		in := func(p string) bool { return p == at || above(p) == at }
		if in(path) || destination != "" && (in(strings.Trim(pathOf(destination), "/"))) {
			out.WriteString("<" + rest + "> (<" + top + ">) ")
		}
	}
	return strings.TrimSpace(out.String())
}

// pathOf is the path of a URL.
func pathOf(address string) string {
	if _, rest, is := strings.Cut(address, "://"); is {
		_, path, _ := strings.Cut(rest, "/")
		if plain, err := url.PathUnescape(path); err == nil {
			return plain
		}
	}
	return ""
}

// Take keeps other computers from changing the names in a folder, where the server can do that.
func (s *Server) Take(at string) (release func(), err error) {
	path, owner, left := s.path(at), "vestibula "+random(), s.noted(at)
	if left == "" {
		s.note(at, owner) // also if this ends before there is an answer
	}
	token, err := s.lock(path, owner)
	var busy *folder.Busy
	if errors.As(err, &busy) && left != "" { // it is of a run of this computer, of which there is none by now
		for _, token := range append(s.locksOf(path, left), left) {
			s.unlock(path, token)
		}
		token, err = s.lock(path, owner)
	}
	if token == "" || err != nil {
		if left == "" && (err == nil || errors.As(err, &busy)) { // there is nothing to be let go
			s.note(at, "")
		}
		return func() {}, err
	}
	s.note(at, token)
	stop := make(chan struct{})
	var ended sync.WaitGroup
	ended.Go(func() {
		again := time.NewTicker(lockAgain)
		defer again.Stop()
		for {
			select {
			case <-stop:
				return
			case <-again.C:
				s.refresh(path, token)
			}
		}
	})
	return func() {
		close(stop)
		ended.Wait()
		s.locks.mutex.Lock()
		delete(s.locks.held, path)
		s.locks.mutex.Unlock()
		if s.unlock(path, token) {
			s.note(at, "")
		}
	}, nil
}

// unlock lets go, and reports whether the server has heard it.
func (s *Server) unlock(path, token string) bool {
	answer, err := s.send(request{method: "UNLOCK", path: path, folder: true, header: map[string]string{"Lock-Token": "<" + token + ">"}})
	if err != nil {
		return false
	}
	answer.Body.Close()
	return answer.StatusCode < 300 || answer.StatusCode == http.StatusConflict // there is no such lock
}

// locksWanted asks for the locks of a folder.
const locksWanted = `<?xml version="1.0" encoding="utf-8"?><propfind xmlns="DAV:"><prop><lockdiscovery/></prop></propfind>`

// locksOf are the tokens of the locks that an owner has of a folder, where the server tells.
func (s *Server) locksOf(path, owner string) (tokens []string) {
	answer, err := s.ask(request{method: "PROPFIND", path: path, folder: true, body: []byte(locksWanted), header: map[string]string{"Depth": "0", "Content-Type": "application/xml; charset=utf-8"}})
	if err != nil {
		return nil
	}
	defer answer.Body.Close()
	var all struct {
		Active []struct {
			Owner string `xml:"DAV: owner"`
			Token string `xml:"DAV: locktoken>href"`
		} `xml:"DAV: response>propstat>prop>lockdiscovery>activelock"`
	}
	if xml.NewDecoder(io.LimitReader(answer.Body, mostResponse)).Decode(&all) != nil {
		return nil
	}
	for _, lock := range all.Active {
		if strings.TrimSpace(lock.Owner) == owner {
			tokens = append(tokens, strings.TrimSpace(lock.Token))
		}
	}
	return tokens
}

func (s *Server) note(at, token string) {
	if s.config.Note != nil {
		s.config.Note(address.Address(at), token)
	}
}

func (s *Server) noted(at string) string {
	if s.config.Noted == nil {
		return ""
	}
	return s.config.Noted(address.Address(at))
}

// lock asks for a lock; the token is "" where the server knows none.
func (s *Server) lock(path, owner string) (token string, err error) {
	body := `<?xml version="1.0" encoding="utf-8"?><lockinfo xmlns="DAV:"><lockscope><exclusive/></lockscope><locktype><write/></locktype><owner>` + html.EscapeString(owner) + `</owner></lockinfo>`
	answer, err := s.send(request{method: "LOCK", path: path, folder: true, body: []byte(body), header: map[string]string{"Depth": "0", "Timeout": lockSeconds, "Content-Type": "application/xml; charset=utf-8"}})
	if err != nil {
		return "", lost(err)
	}
	defer answer.Body.Close()
	switch answer.StatusCode {
	case http.StatusOK, http.StatusCreated:
		// Where nothing was there, it has made a file to be locked.
		if e, err := s.lookNow(path); err == nil && e.Kind == tree.File {
			return "", errors.Join(refused(http.StatusNotFound), s.letGo(path, strings.Trim(answer.Header.Get("Lock-Token"), "<> ")))
		}
	case http.StatusLocked:
		return "", &folder.Busy{By: ", on this computer or another one; where one was cut short, the drive lets go after some minutes"}
	default: // it knows no locks, or grants none there
		return "", nil
	}
	token = strings.Trim(answer.Header.Get("Lock-Token"), "<> ")
	if token == "" {
		token, err = tokenIn(io.LimitReader(answer.Body, mostResponse))
	}
	if err != nil || token == "" {
		return "", nil
	}
	s.locks.mutex.Lock()
	defer s.locks.mutex.Unlock()
	if s.locks.held == nil {
		s.locks.held = map[string]string{}
	}
	s.locks.held[path] = token + " " + s.urlOf(path, true).String()
	s.trial.mutex.Lock()
	s.trial.keeps.Locks = true
	s.trial.mutex.Unlock()
	return token, nil
}

// letGo takes away what a server has made only to have something that is locked.
func (s *Server) letGo(path, token string) error {
	answer, err := s.send(request{method: "UNLOCK", path: path, header: map[string]string{"Lock-Token": "<" + token + ">"}})
	if err == nil {
		answer.Body.Close()
	}
	if e, wrong := s.lookNow(path); wrong == nil && e.Kind == tree.File && e.Size == 0 {
		return s.delete(path, false)
	}
	return err
}

// refresh makes a lock last longer. Where it is lost, what is done is still done by conditions.
func (s *Server) refresh(path, token string) {
	if answer, err := s.send(request{method: "LOCK", path: path, folder: true, header: map[string]string{"If": "(<" + token + ">)", "Timeout": lockSeconds}}); err == nil {
		answer.Body.Close()
	}
}

// tokenIn is the token that an answer holds.
func tokenIn(from io.Reader) (string, error) {
	var prop struct {
		Token string `xml:"DAV: lockdiscovery>activelock>locktoken>href"`
	}
	if err := xml.NewDecoder(from).Decode(&prop); err != nil && !errors.Is(err, io.EOF) {
		return "", err
	}
	return strings.TrimSpace(prop.Token), nil
}
