package address

import (
	"path/filepath"
	"strings"
)

// An Address is where something is: a path of this disk, absolute and without links once
// [vestibula/core/place.Real] has looked, or on a drive: see [OfURL]. It is written as a [Text], so
// that none is lost.
type Address string

// Join is the address of what lies below, by slashed paths.
func (a Address) Join(below ...string) Address {
	at := string(a)
	for _, b := range below {
		at = filepath.Join(at, filepath.FromSlash(b))
	}
	return Address(at)
}

// Parent is the folder that it lies in; of the topmost one, and of a server, that itself.
func (a Address) Parent() Address {
	if _, _, path, is := a.cut(); is && path == "" {
		return a
	}
	return Address(filepath.Dir(string(a)))
}

// Name is the last name of it.
func (a Address) Name() string { return filepath.Base(string(a)) }

// Within reports whether it is a folder, or lies in it.
func (a Address) Within(dir Address) bool {
	_, is := a.From(dir)
	return is
}

// From is the slashed path from a folder that it is or lies in, "." for that itself.
func (a Address) From(dir Address) (below string, is bool) {
	if a == dir {
		return ".", true
	}
	top := strings.TrimSuffix(string(dir), string(filepath.Separator)) + string(filepath.Separator)
	if !strings.HasPrefix(string(a), top) {
		return "", false
	}
	return filepath.ToSlash(string(a)[len(top):]), true
}

// Slashed is the address with slashes.
func (a Address) Slashed() string { return filepath.ToSlash(string(a)) }

// MarshalJSON writes it as a [Text].
func (a Address) MarshalJSON() ([]byte, error) { return Text(a).MarshalJSON() }

// UnmarshalJSON reads what [Address.MarshalJSON] writes.
func (a *Address) UnmarshalJSON(data []byte) error { return (*Text)(a).UnmarshalJSON(data) }

// List shows several, for a person.
func List(all []Address) string {
	texts := make([]string, len(all))
	for i, a := range all {
		texts[i] = string(a)
	}
	return strings.Join(texts, ", ")
}
