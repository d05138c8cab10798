package change

import (
	"io"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"vestibula/core/tree"
)

const (
	many   = 2000 // so many sources are worth the while of several who look
	glance = 500  // so many are looked at in one go
)

// brings reports whether a change has a source that is still to be looked at.
func (c *Change) brings() bool { return c.Op == Move || c.Op == Copy && !c.given() && !c.known() }

// known reports whether a change says all of its source: who planned it has just looked,
// and it is looked at again before it is carried out.
func (c *Change) known() bool { return c.Shared != "" && c.Was.Time != 0 && c.Was.Ino != 0 }

// A cloner is a place that several can look at, each at a clone of its own.
type cloner interface{ Clone() tree.Place }

// ahead is what was seen of the sources of a long list.
type ahead struct {
	group   sync.WaitGroup
	entries []tree.Entry
	ready   []chan struct{} // closed when so many more of the entries are there
	lists   sync.Map        // of the folders of sources, by their keys: what [tree.Place.List] returned
}

// LookAhead begins to look at the sources of many changes, where they lie before
// any of them is carried out, while others find their order and check them. Who
// begins it calls [Check.Wait] before the places are closed.
func (k *Check) LookAhead(changes []Change) {
	sources := 0
	for i := range changes {
		if changes[i].brings() {
			sources++
		}
	}
	if sources < many || slices.ContainsFunc(k.Places, func(p tree.Place) bool { _, ok := p.(cloner); return !ok }) {
		return
	}
	a := &ahead{entries: make([]tree.Entry, len(changes)), ready: make([]chan struct{}, (len(changes)+glance-1)/glance)}
	for i := range changes {
		changes[i].seen = int32(i) + 1
	}
	for i := range a.ready {
		a.ready[i] = make(chan struct{})
	}
	var next atomic.Int64
	for range max(1, runtime.GOMAXPROCS(0)-1) {
		a.group.Go(func() {
			eyes := make([]tree.Place, len(k.Places))
			for i, p := range k.Places {
				eyes[i] = p.(cloner).Clone()
				if own, ok := eyes[i].(io.Closer); ok {
					defer own.Close()
				}
			}
			for n := int(next.Add(1)) - 1; n < len(a.ready); n = int(next.Add(1)) - 1 {
				first := n * glance
				a.look(eyes, changes[first:min(first+glance, len(changes))], a.entries[first:])
				close(a.ready[n])
			}
		})
	}
	k.ahead = a
}

func (a *ahead) look(eyes []tree.Place, changes []Change, entries []tree.Entry) {
	last := key{in: -1}
	for i := range changes {
		c := &changes[i]
		if !c.brings() || c.FromIn >= len(eyes) {
			continue
		}
		if dir := (key{c.FromIn, dirOf(c.From)}); dir != last {
			a.list(eyes[c.FromIn], dir)
			last = dir
		}
		entries[i], _ = eyes[c.FromIn].Look(c.From) // what cannot be looked at is told later
	}
}

// Wait waits for those who look ahead.
func (k *Check) Wait() {
	if k.ahead != nil {
		k.ahead.group.Wait()
	}
}

// entry returns what was seen of a change, or nil.
func (a *ahead) entry(seen int32) *tree.Entry {
	if a == nil || seen == 0 {
		return nil
	}
	i := int(seen - 1)
	<-a.ready[i/glance]
	if e := &a.entries[i]; e.Time != 0 {
		return e
	}
	return nil
}

func (a *ahead) list(p tree.Place, dir key) {
	if _, begun := a.lists.LoadOrStore(dir, nil); begun {
		return
	}
	if list, err := p.List(dir.path); err == nil {
		a.lists.Store(dir, list)
	}
}

// listed returns what lies in a folder, where it was listed.
func (a *ahead) listed(dir key) ([]tree.Entry, bool) {
	if a == nil {
		return nil, false
	}
	list, _ := a.lists.Load(dir)
	entries, known := list.([]tree.Entry)
	return entries, known
}
