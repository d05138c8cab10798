package disk

import (
	"cmp"
	"fmt"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// A FullError says that a disk has too little room for what would be copied to it, in bytes.
// Nothing was changed.
type FullError struct {
	Path       address.Address // a folder on that disk
	Need, Free int64
}

// Error says how much is needed, and how much is free.
func (e *FullError) Error() string {
	return fmt.Sprintf("%s: %d bytes are needed, and %d are free", e.Path, e.Need, e.Free)
}

// room returns a [FullError] where what comes from other disks does not fit. What is copied
// within one disk may share its room there, and what a disk does not tell is not known.
func (p *Plan) room(places []*place.Place) error {
	need, on := map[uint64]int64{}, map[uint64]address.Address{}
	devices := map[address.Address]uint64{} // by the folders that something comes to lie in
	for i := range p.List {
		c := &p.List[i]
		if c.Op != change.Move && c.Op != change.Copy || c.Was.Kind != tree.File {
			continue
		}
		from := cmp.Or(c.Was.Dev, p.identities[c.FromIn][0])
		if from == p.identities[c.In][0] {
			continue
		}
		dir := p.Places[c.In].Join(c.Path, "..")
		to, known := devices[dir]
		if !known {
			at := existing(places[c.In], c.Path)
			e, err := places[c.In].Look(at)
			if err != nil {
				continue
			}
			to = cmp.Or(e.Dev, p.identities[c.In][0])
			devices[dir], on[to] = to, cmp.Or(on[to], p.Places[c.In].Join(at))
		}
		if from != to {
			need[to] += c.Was.Size
		}
	}
	for device, bytes := range need {
		if free, known := place.Room(on[device]); known && free < bytes {
			return &FullError{on[device], bytes, free}
		}
	}
	return nil
}

// existing is the nearest folder above a path that is there.
func existing(in *place.Place, path string) string {
	for path != "." {
		path, _ = place.Split(path)
		if _, err := in.Look(path); err == nil {
			break
		}
	}
	return path
}
