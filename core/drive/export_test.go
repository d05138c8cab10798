package drive

import (
	"io"
	"net/url"

	"vestibula/core/tree"
)

// ReadList reads a multistatus about a path: what lies directly in it. The error is for a person.
func ReadList(from io.Reader, path string) ([]tree.Entry, error) {
	s := &Server{url: &url.URL{Scheme: "https", Host: "drive.example"}}
	f, err := s.read(from, path)
	if err != nil {
		return nil, err
	}
	var entries []tree.Entry
	for i := range f.entries {
		entries = append(entries, f.entries[i].Entry)
	}
	return entries, nil
}
