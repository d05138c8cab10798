package drive

import (
	"crypto/rand"
	"errors"
	"io/fs"
	"net/http"
	"strings"
	"sync"
)

// A Keeps is what a server keeps of the standard, as it was tried.
type Keeps struct {
	Tried      bool `json:"tried,omitempty"`
	Exclusive  bool `json:"exclusive,omitempty"`  // a move takes the place of nothing
	Conditions bool `json:"conditions,omitempty"` // what has changed is left alone, by its ETag
	Tags       bool `json:"tags,omitempty"`       // it gives ETags
	Locks      bool `json:"locks,omitempty"`
}

// A trial is what is known of a server's ways.
type trial struct {
	mutex sync.Mutex
	keeps Keeps
	work  string // the folder of a run's own that was told last
}

func (t *trial) known() Keeps {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	return t.keeps
}

func (t *trial) place() string {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	return t.work
}

// Keeps is what the server keeps, as far as it was tried.
func (s *Server) Keeps() Keeps { return s.trial.known() }

// Tried notes what was found in an earlier run.
func (s *Server) Tried(k Keeps) {
	s.trial.mutex.Lock()
	defer s.trial.mutex.Unlock()
	s.trial.keeps = k
}

// try finds out, in a folder of a run's own, what the server keeps. Nothing of it stays.
func (s *Server) try(work string) error {
	s.trial.mutex.Lock()
	defer s.trial.mutex.Unlock()
	if s.trial.work = work; s.trial.keeps.Tried {
		return nil
	}
	k := Keeps{Tried: true, Locks: s.trial.keeps.Locks}
	one, other, third := below(work, "part-try1"), below(work, "part-try2"), below(work, "part-try3")
	for _, at := range []string{one, other} {
		if err := s.put(at, request{body: []byte("tried out: " + at)}); err != nil {
			return err
		}
	}
	// A move to a name that is taken.
	err := s.attempt(one, other, nil)
	if err != nil && statusOf(err) == 0 {
		return err
	}
	k.Exclusive = err != nil
	if !k.Exclusive {
		if err := s.put(one, request{body: []byte("tried out")}); err != nil {
			return err
		}
	}
	e, err := s.lookNow(one)
	if err != nil {
		return err
	}
	from := one
	if k.Tags = e.Tag != ""; k.Tags {
		// A move of what is another file by then.
		err := s.attempt(one, third, map[string]string{"If-Match": `"` + random() + `"`})
		switch k.Conditions = statusOf(err) == http.StatusPreconditionFailed; {
		case err == nil:
			from = third
		case statusOf(err) == 0:
			return err
		}
	}
	for _, at := range []string{from, other} {
		if err := s.do(request{method: http.MethodDelete, path: at}, func() (bool, error) { return s.gone(at) }); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		s.known.tagged(at, nil)
	}
	s.trial.keeps = k
	return nil
}

// attempt moves a file of the trial.
func (s *Server) attempt(from, to string, header map[string]string) error {
	r := request{method: "MOVE", path: from, header: map[string]string{"Overwrite": "F", "Destination": s.urlOf(to, false).String()}}
	for name, value := range header {
		r.header[name] = value
	}
	return s.do(r, func() (bool, error) { return s.gone(from) })
}

// random is a part of a name that nobody else has.
func random() string { return strings.ToLower(rand.Text()[:12]) }
