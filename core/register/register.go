// Package register holds which places runs are at work in: for each user, one locked
// file for each folder, called by the folder's identity on its disk, so that it
// does not matter how a path to it is spelled. What runs on other machines do is
// not its business.
package register

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"github.com/gofrs/flock"

	"vestibula/core/address"
	"vestibula/core/folder"
)

// A BusyError says that another run is at work in a place, above it or below it.
type BusyError struct{ Place string }

// Error says where.
func (e *BusyError) Error() string { return "another run is at work in " + e.Place }

// A Register is the folder of the locked files. A run has the file of its place for
// itself, and shares those of all folders above: two runs never have one place,
// nor one of them a folder inside the other's.
type Register struct{ Dir string }

// Take registers a run in all places, or in none.
func (r Register) Take(places []address.Address) (release func(), err error) {
	if err := os.MkdirAll(r.Dir, 0o700); err != nil {
		return nil, err
	}
	own := map[string]address.Address{}    // the places, by the names of their files
	shared := map[string]address.Address{} // the folders above
	for _, place := range places {
		name, err := lockName(place)
		if err != nil {
			return nil, err
		}
		own[name] = place
		for up := place.Parent(); ; up = up.Parent() {
			name, err := lockName(up)
			if err != nil {
				return nil, err
			}
			shared[name] = place
			if up == up.Parent() {
				break
			}
		}
	}
	var held []*flock.Flock
	release = func() {
		for _, l := range held {
			_ = l.Unlock()
		}
	}
	var names []string
	for name := range own {
		names = append(names, name)
	}
	for name := range shared {
		if own[name] == "" {
			names = append(names, name)
		}
	}
	slices.Sort(names) // every run in one order
	for _, name := range names {
		l := flock.New(filepath.Join(r.Dir, name))
		try, place := l.TryRLock, shared[name]
		if own[name] != "" {
			try, place = l.TryLock, own[name]
		}
		free, err := try()
		if err == nil && !free {
			err = &BusyError{string(place)}
		}
		if err != nil {
			release()
			return nil, err
		}
		held = append(held, l)
	}
	return release, nil
}

// Busy reports whether a run is at work in a place now.
func (r Register) Busy(place address.Address) bool {
	name, err := lockName(place)
	if err != nil {
		return false
	}
	path := filepath.Join(r.Dir, name)
	if _, err := os.Lstat(path); errors.Is(err, os.ErrNotExist) {
		return false
	}
	l := flock.New(path)
	free, err := l.TryLock()
	if free {
		_ = l.Unlock()
	}
	return err == nil && !free
}

// lockName is the name of the file for a folder.
func lockName(path address.Address) (string, error) {
	dev, ino, err := folder.Identity(string(path))
	return fmt.Sprintf("%x-%x", dev, ino), err
}
