package drive

import (
	"bytes"
	"errors"
	"io"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"syscall"
	"time"
)

const (
	attempts     = 5                // how often something is asked for, while there is no answer
	mostPatience = 2 * time.Minute  // how long a server is waited for that asks for it
	mostRest     = 64 << 10         // how much of an answer that nobody reads is waited for, in bytes
	longestWait  = 30 * time.Second // at a time
)

// waits is how long it is waited behind each attempt.
var waits = [attempts]time.Duration{100 * time.Millisecond, 400 * time.Millisecond, time.Second, 3 * time.Second}

// A request is one to a server.
type request struct {
	method, path string
	folder       bool // what lies at the path is a collection
	header       map[string]string
	body         []byte
	stream       io.Reader // instead of body; it is sent once
	bare         bool      // the locks that this run holds are not told
}

// url is the address of a path on the server. A collection ends with a slash.
func (s *Server) urlOf(path string, folder bool) *url.URL {
	u := *s.url
	u.Path = "/" + path
	if folder && path != "" {
		u.Path += "/"
	}
	return &u
}

// send sends a request once. The answer is one of any status but 401.
func (s *Server) send(r request) (*http.Response, error) {
	tells := s.proves(r)
	turn := s.locks.queue(tells)
	defer func() { turn.end() }()
	s.enter()
	answer, err := s.authorized(r)
	s.leave()
	if err == nil && answer.StatusCode == http.StatusPreconditionFailed && tells && r.stream == nil {
		answer, err = s.unproved(r, answer, &turn)
	}
	if err != nil {
		return nil, err
	}
	if answer.StatusCode == http.StatusTooManyRequests || answer.StatusCode == http.StatusServiceUnavailable {
		s.fewer()
	}
	answer.Body = &leaving{ReadCloser: answer.Body}
	return answer, nil
}

// changing are the requests that change what a folder holds.
var changing = map[string]bool{http.MethodPut: true, http.MethodDelete: true, "MKCOL": true, "MOVE": true, "COPY": true}

// once makes a request of HTTP and sends it.
func (s *Server) once(r request, authorization string) (*http.Response, error) {
	var body io.Reader
	switch {
	case r.stream != nil:
		body = r.stream
	case r.body != nil:
		body = bytes.NewReader(r.body)
	}
	if s.url.Scheme == "http" && !local(s.url.Hostname()) && !s.config.Plain(s.at) {
		return nil, errPlain
	}
	q, err := http.NewRequest(r.method, "/", body)
	if err != nil {
		return nil, err
	}
	q.URL, q.Host = s.urlOf(r.path, r.folder), s.url.Host
	q.Header.Set("User-Agent", "vestibula/"+s.config.Version)
	for name, value := range r.header {
		q.Header.Set(name, value)
	}
	if s.proves(r) {
		q.Header.Set("If", s.locks.tokens(r.path, r.header["Destination"]))
	}
	if r.stream != nil {
		q.Header.Set("Expect", "100-continue")
	}
	if authorization != "" {
		q.Header.Set("Authorization", authorization)
	}
	return s.transport.RoundTrip(q)
}

var errPlain = &Error{Says: "it would be spoken to without encryption, so that others on the way could read everything: its address begins with http, and should with https"}

// local reports whether a host is this machine.
func local(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// enter waits until the server bears another request.
func (s *Server) enter() {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	for s.busy >= s.hands {
		s.free.Wait()
	}
	s.busy++
}

func (s *Server) leave() {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.busy--
	s.free.Signal()
}

// fewer lowers how many requests the server is sent at a time.
func (s *Server) fewer() {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.hands = max(1, s.hands/2)
}

// leaving is the body of an answer.
type leaving struct {
	io.ReadCloser
	left bool
}

// Close reads what is left of a short answer, so that its connection can be used again.
func (l *leaving) Close() error {
	if l.left {
		return nil
	}
	l.left = true
	_, _ = io.CopyN(io.Discard, l.ReadCloser, mostRest)
	return l.ReadCloser.Close()
}

// proves reports whether a request tells which locks this run holds.
func (s *Server) proves(r request) bool {
	return changing[r.method] && !r.bare && s.locks.tokens(r.path, r.header["Destination"]) != ""
}

// unproved sends a request once more, without the locks: some servers take them amiss where a folder
// above is locked, and want to know nothing there.
func (s *Server) unproved(r request, answer *http.Response, turn *turn) (*http.Response, error) {
	bare := r
	bare.bare = true
	again, err := s.authorized(bare)
	if err != nil {
		answer.Body.Close()
		return nil, err
	}
	if again.StatusCode != http.StatusLocked {
		answer.Body.Close()
		if again.StatusCode < 300 {
			s.locks.quiet()
		}
		return again, nil
	}
	again.Body.Close()
	// It does want to know; others let one request at a time tell it.
	target := r.path
	if to := r.header["Destination"]; to != "" {
		target = strings.Trim(pathOf(to), "/")
	}
	for attempt := range attempts {
		if free, err := s.gone(target); err != nil || !free || r.method == http.MethodDelete {
			break
		}
		answer.Body.Close()
		turn.take(&s.locks)
		if attempt > 0 {
			s.config.Sleep(waits[attempt-1])
		}
		if answer, err = s.authorized(r); err != nil || answer.StatusCode != http.StatusPreconditionFailed {
			return answer, err
		}
	}
	return answer, nil
}

// over reports whether a request may be made again: there was no answer to it, or one that
// speaks of a fault which may pass.
func over(answer *http.Response, err error) bool {
	if err != nil {
		var wrong *Error
		return !errors.Is(err, ErrAccess) && !errors.As(err, &wrong) && !isTrust(err)
	}
	switch answer.StatusCode {
	case http.StatusRequestTimeout, http.StatusTooManyRequests, http.StatusInternalServerError, http.StatusBadGateway, http.StatusServiceUnavailable, http.StatusGatewayTimeout:
		return true
	}
	return false
}

// wait waits before something is asked for again, as long as the server says; false where that is
// over, for this request, and for all behind it until there is an answer again. Spent is how long it was
// waited until then.
func (s *Server) wait(attempt int, answer *http.Response, spent *time.Duration) bool {
	if attempt == attempts-1 || s.down.Load() {
		s.down.Store(true)
		return false
	}
	d := waits[min(attempt, attempts-1)]
	if answer != nil {
		if seconds, err := strconv.Atoi(answer.Header.Get("Retry-After")); err == nil && seconds > 0 {
			d = min(time.Duration(seconds)*time.Second, longestWait)
		}
	}
	if *spent += d; *spent > mostPatience {
		return false
	}
	s.config.Sleep(d)
	return true
}

// ask sends a request that only reads, again where there is no answer, and follows where it is
// led within the server.
func (s *Server) ask(r request) (*http.Response, error) {
	spent, led := time.Duration(0), 0
	for attempt := 0; ; attempt++ {
		answer, err := s.send(r)
		if err == nil && answer.StatusCode >= 300 && answer.StatusCode < 400 {
			to, wrong := s.led(r, answer)
			answer.Body.Close()
			if led++; wrong != nil || led > 3 {
				return nil, errLed
			}
			r.path, r.folder = strings.Trim(to, "/"), strings.HasSuffix(to, "/")
			attempt--
			continue
		}
		if !over(answer, err) {
			s.down.Store(false)
			return told(answer, err)
		}
		if answer != nil {
			answer.Body.Close()
		}
		if !s.wait(attempt, answer, &spent) {
			return told(answer, err)
		}
	}
}

var errLed = &Error{Says: "the drive points to another address: give that one instead"}

// led is the path to which an answer points, on the same server only.
func (s *Server) led(r request, answer *http.Response) (path string, err error) {
	to, err := s.urlOf(r.path, r.folder).Parse(answer.Header.Get("Location"))
	if err != nil || to.Scheme != s.url.Scheme || !strings.EqualFold(to.Host, s.url.Host) || to.RawQuery != "" || answer.Header.Get("Location") == "" {
		return "", errLed
	}
	return to.Path, nil
}

// told makes errors of what went wrong on the way, and of statuses that are none of success.
func told(answer *http.Response, err error) (*http.Response, error) {
	if err != nil {
		return nil, lost(err)
	}
	if answer.StatusCode >= 200 && answer.StatusCode < 300 {
		return answer, nil
	}
	answer.Body.Close()
	return nil, refused(answer.StatusCode)
}

// An Unreachable error says that there was no answer at all.
type Unreachable struct {
	err   error
	asked bool // as often as that is done
}

// Error says why, for a person.
func (u *Unreachable) Error() string {
	var name *net.DNSError
	switch {
	case isTrust(u.err):
		return "the drive cannot prove who it is: its certificate is not one that this computer trusts"
	case errors.As(u.err, &name):
		return "there is no server of that name, or no connection to the net"
	case errors.Is(u.err, syscall.ECONNREFUSED):
		return "the server does not answer there"
	}
	return "the line to the drive was lost"
}

// Reason is the same.
func (u *Unreachable) Reason() string { return u.Error() }

func lost(err error) error {
	var wrong *Error
	if errors.Is(err, ErrAccess) || errors.As(err, &wrong) {
		return err
	}
	return &Unreachable{err, true}
}

// do sends a request that changes something. Where there is no answer, or one that speaks of a
// fault, done looks whether it was done all the same: it returns true where it was, false where nothing
// was, and an error where that cannot be told. Only where nothing was is it sent again.
func (s *Server) do(r request, done func() (bool, error)) error {
	defer s.known.forget()
	spent := time.Duration(0)
	for attempt := 0; ; attempt++ {
		answer, err := s.send(r)
		if !over(answer, err) {
			s.down.Store(false)
			if answer, err = told(answer, err); err != nil {
				return err
			}
			defer answer.Body.Close()
			if answer.StatusCode == http.StatusMultiStatus {
				return errPartly
			}
			return nil
		}
		if answer != nil {
			answer.Body.Close()
		}
		waited := s.wait(attempt, answer, &spent)
		is, wrong := done()
		switch {
		case is && wrong == nil:
			return nil
		case waited && wrong != nil:
			return wrong
		case !waited || r.stream != nil: // which is spent
			_, err = told(answer, err)
			return err
		}
	}
}

// errPartly says that only a part of something was done.
var errPartly = &Error{Status: http.StatusMultiStatus, Says: "only a part of it could be done", cause: syscall.EIO}
