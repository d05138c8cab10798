package folder

import (
	"io/fs"
	"path"
	"strings"

	"vestibula/core/tree"
)

// Under returns a folder in which folders at some slashed paths bear other names for the time
// being, by these paths. Whoever uses it sees them under the names that they are to have.
func Under(h Folder, names map[string]string) Folder { return under{h, names, ""} }

type under struct {
	inner
	names map[string]string
	at    string
}

func (u under) Behind() Folder { return u.inner }

// real is the name that something has meanwhile.
func (u under) real(name string) string {
	if meanwhile, is := u.names[path.Join(u.at, name)]; is {
		return meanwhile
	}
	return name
}

func (u under) Folder(name string) (Folder, error) {
	h, err := u.inner.Folder(u.real(name))
	if err != nil {
		return nil, err
	}
	at := path.Join(u.at, name)
	for p := range u.names {
		if strings.HasPrefix(p, at+"/") {
			return under{h, u.names, at}, nil
		}
	}
	return h, nil
}

func (u under) List() ([]tree.Entry, error) {
	list, err := u.inner.List()
	for p, meanwhile := range u.names {
		for i := range list {
			if dir, name := path.Split(p); path.Clean(dir) == path.Clean(u.at) && list[i].Name == meanwhile {
				list[i].Name = name
			}
		}
	}
	return list, err
}

func (u under) Look(name string) (tree.Entry, error) {
	e, err := u.inner.Look(u.real(name))
	if name != "." {
		e.Name = name
	}
	return e, err
}

func (u under) Mkdir(name string, perm fs.FileMode) error { return u.inner.Mkdir(u.real(name), perm) }
func (u under) Remove(name string, dir bool) error        { return u.inner.Remove(u.real(name), dir) }
func (u under) SetTime(name string, ns int64) error       { return u.inner.SetTime(u.real(name), ns) }

func (u under) Move(name string, to Folder, as string) error {
	if there, ok := to.(under); ok {
		as = there.real(as)
	}
	return u.inner.Move(u.real(name), to, as)
}

func (u under) Swap(name string, with Folder, other string) error {
	return u.inner.Swap(u.real(name), with, other)
}

func (u under) Create(name string, perm fs.FileMode) (File, error) {
	return u.inner.Create(u.real(name), perm)
}

func (u under) Open(name string) (File, error)       { return u.inner.Open(u.real(name)) }
func (u under) Append(name string) (File, error)     { return u.inner.Append(u.real(name)) }
func (u under) Readlink(name string) (string, error) { return u.inner.Readlink(u.real(name)) }
func (u under) Symlink(target, name string) error    { return u.inner.Symlink(target, u.real(name)) }
