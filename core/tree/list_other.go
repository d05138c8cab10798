//go:build !linux

package tree

import "os"

// list returns the names in a folder, and their kinds.
func list(dir string) ([]Entry, error) {
	f, err := os.Open(dir)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	found, err := f.ReadDir(-1)
	entries := make([]Entry, len(found))
	for i, e := range found {
		entries[i] = Entry{Name: e.Name(), Kind: kindOf(e.Type())}
	}
	return entries, err
}
