// Package drive reaches folders on servers that speak WebDAV (RFC 4918), as
// [vestibula/core/folder] has them: many drives and office servers do.
//
// Nothing is ever put to a name that a person gave: contents go under a name of the run's own,
// and from there to theirs by a MOVE that replaces nothing. A collection is removed only where
// it is the run's own. What a server answers is held to budgets, and where an answer is lost or
// speaks of a fault, it is looked at what is there before anything is done again.
//
// What such a server does not know is [errors.ErrUnsupported]: the time of a file, its rights,
// links, and writing at the end. Its things have no identity; a file's ETag is the tag of its
// state.
package drive

import (
	"context"
	"crypto/tls"
	"encoding/binary"
	"hash/fnv"
	"net"
	"net/http"
	"net/url"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"vestibula/core/address"
	"vestibula/core/digest"
	"vestibula/core/folder"
	"vestibula/core/tree"
)

// Credentials are what a server wants to know of a person.
type Credentials struct{ User, Password, Token string }

// Config is what the drives of a run have in common.
type Config struct {
	// Who returns the credentials for a server; ask, what it calls itself. It is called once for each.
	Who func(server address.Address, realm string) (Credentials, error)
	// Plain reports whether a server beyond this machine may be spoken to without encryption.
	Plain func(server address.Address) bool
	// Note notes the lock that a run holds at an address, "" for none any more; Noted is what was noted
	// last. So a run that was cut short keeps nobody out for longer than until the next one. Both may
	// be nil.
	Note  func(at address.Address, token string)
	Noted func(at address.Address) (token string)
	// Dial is that of [http.Transport], nil for its own.
	Dial func(ctx context.Context, network, address string) (net.Conn, error)
	// Proxy is that of [http.Transport], nil for none.
	Proxy func(*http.Request) (*url.URL, error)
	// Sleep waits.
	Sleep func(d time.Duration)
	// Version is told to servers.
	Version string
	TLS     *tls.Config // nil for that of the system
}

// Drives are the servers that are reached in a run.
type Drives struct {
	config  Config
	mutex   sync.Mutex
	servers map[address.Address]*Server
}

// New returns drives of which none is reached yet.
func New(config Config) *Drives {
	return &Drives{config: config, servers: map[address.Address]*Server{}}
}

// Of is the server of a path, nil for a path of this disk. It has the form of
// [folder.StoreOf].
func (d *Drives) Of(path string) folder.Store {
	at := address.Address(path).Server()
	if at == "" {
		return nil
	}
	return d.Server(at)
}

// Server is the server of an address.
func (d *Drives) Server(at address.Address) *Server {
	at = at.Server()
	d.mutex.Lock()
	defer d.mutex.Unlock()
	s := d.servers[at]
	if s == nil {
		s = &Server{at: at, url: at.URL(), config: &d.config, hands: mostHands, known: newMemory()}
		s.free = sync.NewCond(&s.mutex)
		s.transport = &http.Transport{
			Proxy: d.config.Proxy, DialContext: d.config.Dial, TLSClientConfig: d.config.TLS, ForceAttemptHTTP2: true,
			MaxIdleConnsPerHost: mostHands, IdleConnTimeout: time.Minute,
			TLSHandshakeTimeout: 20 * time.Second, ResponseHeaderTimeout: 2 * time.Minute, ExpectContinueTimeout: time.Second,
			DisableCompression: true,
		}
		hash := fnv.New64a()
		hash.Write([]byte(at))
		s.dev = hash.Sum64() | 1
		d.servers[at] = s
	}
	return s
}

// mostHands is how many requests one server is asked at a time, at most. What is being read does not
// count: who copies from a server to the same one reads while they write.
const mostHands = 16

// A Server is one that speaks WebDAV. It is a [folder.Store].
type Server struct {
	at        address.Address
	url       *url.URL
	config    *Config
	transport *http.Transport
	dev       uint64 // stands for it in [tree.Entry]

	down  atomic.Bool // it did not answer for as long as it was waited
	mutex sync.Mutex
	free  *sync.Cond
	hands int // how many requests it bears at a time, as far as it was seen
	busy  int
	key   key

	known *memory
	trial trial
	locks locks
}

// Host is what the server is called.
func (s *Server) Host() string { return s.url.Host }

// path is the slashed path of an address on the server, "" for its top.
func (s *Server) path(at string) string {
	below, _ := address.Address(filepath.Clean(at)).From(s.at)
	if below == "." {
		return ""
	}
	return below
}

// Open opens a collection.
func (s *Server) Open(at string) (folder.Folder, error) {
	p := s.path(at)
	e, err := s.look(p)
	if err == nil && e.Kind != tree.Folder {
		err = errKind
	}
	if err != nil {
		return nil, fail("open", p, err)
	}
	return &collection{s, p}, nil
}

// Look returns what lies at a path.
func (s *Server) Look(at string) (tree.Entry, error) {
	p := s.path(at)
	e, err := s.look(p)
	return e, fail("look", p, err)
}

// Identity is what a path is known by, in registers of this machine.
func (s *Server) Identity(at string) (dev, ino uint64) {
	sum := digest.Bytes([]byte(s.path(at)))
	return s.dev, binary.BigEndian.Uint64([]byte(sum)) | 1
}

// Room is how many bytes are free, as RFC 4331 has it.
func (s *Server) Room(at string) (free int64, known bool) {
	found, err := s.properties(s.path(at), "0", quotaWanted)
	if err != nil || found.self == nil || found.self.quota < 0 {
		return 0, false
	}
	return found.self.quota, true
}

// Begin turns answers from memory off, until [Server.End].
func (s *Server) Begin() { s.known.begin() }

// End ends what [Server.Begin] began.
func (s *Server) End() { s.known.end() }
