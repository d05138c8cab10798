package drive

import (
	"crypto/tls"
	"crypto/x509"
	"errors"
	"io"
	"net/http"
	"strings"
	"sync"

	"github.com/icholy/digest"
)

// A key is what a server lets somebody in by.
type key struct {
	mutex     sync.Mutex
	proving   sync.Mutex // held while it is not known yet whether the server takes it
	proved    bool
	who       Credentials
	basic     bool
	challenge *digest.Challenge
	count     int
	refused   error // nobody is let in, and it is not tried again
}

// authorized sends a request with what the server wants to know. Wrong credentials are sent once.
func (s *Server) authorized(r request) (*http.Response, error) {
	for range 3 {
		with, round, err := s.key.header(s, r)
		if err != nil {
			return nil, err
		}
		answer, err := s.key.try(round, func() (*http.Response, error) { return s.once(r, with) })
		if err != nil || answer.StatusCode != http.StatusUnauthorized {
			return answer, err
		}
		_, _ = io.CopyN(io.Discard, answer.Body, mostRest)
		answer.Body.Close()
		if err := s.key.learn(s, answer, round); err != nil {
			return nil, err
		}
		if r.stream != nil { // it is spent; what comes next knows the way
			return nil, ErrAccess
		}
	}
	return nil, ErrAccess
}

// try sends a request. As long as it is not known whether the credentials are right, one goes at a
// time: a server that counts wrong ones sees one.
func (k *key) try(round int, once func() (*http.Response, error)) (*http.Response, error) {
	k.mutex.Lock()
	proved := k.proved || round == 0
	k.mutex.Unlock()
	if proved {
		return once()
	}
	k.proving.Lock()
	defer k.proving.Unlock()
	k.mutex.Lock()
	refused := k.refused
	k.mutex.Unlock()
	if refused != nil {
		return nil, refused
	}
	answer, err := once()
	k.mutex.Lock()
	defer k.mutex.Unlock()
	switch {
	case err != nil:
	case answer.StatusCode != http.StatusUnauthorized:
		k.proved = true
	case k.challenge == nil || !stale(answer):
		k.refused = ErrAccess
	}
	return answer, err
}

// stale reports whether a challenge only asks for the same once more.
func stale(answer *http.Response) bool {
	challenge, err := digest.FindChallenge(answer.Header)
	return err == nil && challenge.Stale
}

// header is what is sent; round tells which challenge it answers.
func (k *key) header(s *Server, r request) (text string, round int, err error) {
	k.mutex.Lock()
	defer k.mutex.Unlock()
	switch {
	case k.refused != nil:
		return "", 0, k.refused
	case k.who.Token != "":
		return "Bearer " + k.who.Token, 1, nil
	case k.basic:
		q := http.Request{Header: http.Header{}}
		q.SetBasicAuth(k.who.User, k.who.Password)
		return q.Header.Get("Authorization"), 1, nil
	case k.challenge != nil:
		k.count++
		made, err := digest.Digest(k.challenge, digest.Options{
			Method: r.method, URI: s.urlOf(r.path, r.folder).RequestURI(), Count: k.count, Username: k.who.User, Password: k.who.Password,
		})
		if err != nil {
			return "", 0, err
		}
		return made.String(), 1, nil
	}
	return "", 0, nil
}

// learn reads what a server asks for. Round tells what the request had answered.
func (k *key) learn(s *Server, answer *http.Response, round int) (err error) {
	k.mutex.Lock()
	defer k.mutex.Unlock()
	defer func() {
		if err != nil {
			k.refused = err
		}
	}()
	challenge, wrong := digest.FindChallenge(answer.Header)
	switch {
	case k.refused != nil:
		return k.refused
	case round == 0 && (k.basic || k.challenge != nil || k.who.Token != ""): // somebody else has learned it meanwhile
		return nil
	case round > 0 && wrong == nil && challenge.Stale:
		k.challenge, k.count = challenge, 0
		return nil
	case round > 0:
		return ErrAccess
	}
	basic, bearer := false, false
	realm := ""
	for _, line := range answer.Header.Values("Www-Authenticate") {
		lower := strings.ToLower(line)
		basic = basic || strings.Contains(lower, "basic")
		bearer = bearer || strings.Contains(lower, "bearer")
		if _, rest, is := strings.Cut(line, `realm="`); is {
			realm, _, _ = strings.Cut(rest, `"`)
		}
	}
	if k.who, err = s.config.Who(s.at, realm); err != nil {
		return &Error{Status: http.StatusUnauthorized, Says: err.Error(), cause: err}
	}
	switch {
	case k.who.Token != "":
	case wrong == nil:
		k.challenge = challenge
	case basic:
		k.basic = true
	case bearer:
		return &Error{Status: http.StatusUnauthorized, Says: "the drive wants a token instead of a name and a password", cause: ErrAccess}
	default:
		return &Error{Status: http.StatusUnauthorized, Says: "the drive asks who you are in a way that is not known here", cause: ErrAccess}
	}
	return nil
}

// isTrust reports whether a connection was refused because nothing proves who is there.
func isTrust(err error) bool {
	var unknown x509.UnknownAuthorityError
	var invalid x509.CertificateInvalidError
	var name x509.HostnameError
	var record tls.RecordHeaderError
	var verify *tls.CertificateVerificationError
	return errors.As(err, &unknown) || errors.As(err, &invalid) || errors.As(err, &name) || errors.As(err, &record) || errors.As(err, &verify)
}
