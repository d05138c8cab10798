package disk

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/drive"
	"vestibula/core/folder"
)

// Try finds out what a drive keeps of what it should, in a hidden folder at an address there, of
// which nothing stays. The error is a [BusyError] where a run is at work there.
func (w *Writer) Try(at address.Address) (k drive.Keeps, err error) {
	h, err := folder.Open(string(at))
	if err != nil {
		return k, err
	}
	defer h.Close()
	release, err := w.take([]address.Address{at})
	if err != nil {
		return k, err
	}
	defer release()
	work := change.NewWork()
	if err := h.Mkdir(work, 0o700); err != nil {
		return k, err
	}
	in, err := h.Folder(work)
	if err == nil {
		err = folder.Working(in)
	}
	if said, ok := folder.Behind(h).(interface{ Keeps() drive.Keeps }); ok {
		k = said.Keeps()
	}
	return k, errors.Join(err, folder.RemoveEmpty(h, work))
}

// Keep writes a small file of the program's own, in which nothing of a person's lies: drives by
// their names, say. Only the person can read it. It is written beside itself, and changes places
// with what was there; folders on the way are made. Nil removes it.
func Keep(file string, data []byte) error {
	dir, name := filepath.Split(file)
	var missing []string
	base := filepath.Clean(dir)
	for {
		_, err := os.Stat(base)
		if err == nil {
			break
		}
		if !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		missing = append([]string{filepath.Base(base)}, missing...)
		base = filepath.Dir(base)
	}
	for _, made := range missing {
		if err := in(base, func(h folder.Folder) error { return h.Mkdir(made, 0o700) }); err != nil && !errors.Is(err, fs.ErrExist) {
			return err
		}
		base = filepath.Join(base, made)
	}
	return in(base, func(h folder.Folder) error {
		_, err := h.Look(name)
		there := err == nil
		if data == nil {
			if !there {
				return nil
			}
			return h.Remove(name, false)
		}
		fresh := change.NewWork()
		err = folder.Write(h, fresh, 0o600, func(f folder.File) error {
			_, err := f.Write(data)
			return err
		})
		if err == nil && there {
			if err = h.Swap(fresh, h, name); errors.Is(err, folder.ErrNoSwap) {
				if err = h.Remove(name, false); err == nil {
					return folder.Move(h, fresh, h, name)
				}
			}
			return errors.Join(err, h.Remove(fresh, false))
		}
		if err == nil {
			err = folder.Move(h, fresh, h, name)
		}
		if err != nil {
			_ = h.Remove(fresh, false)
		}
		return err
	})
}
