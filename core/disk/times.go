package disk

import (
	"sync"

	"vestibula/core/folder"
	"vestibula/core/journal"
	"vestibula/core/tree"
)

// folderTimes are the times of the folders that a run changes something in: what they
// were before, to be written down, and what they are to be again, where it takes
// something back. Folders are known by their identity, wherever they lie by then.
type folderTimes struct {
	mutex  sync.Mutex
	before map[journal.Identity]int64
	after  map[journal.Identity]int64
	// undoes are the times that the record noted which is taken back, as far as nobody
	// has changed anything in those folders since.
	undoes *journal.Times
	clock  *journal.Clock // notes them in the record
}

func newFolderTimes(undoes *journal.Times) *folderTimes {
	return &folderTimes{before: map[journal.Identity]int64{}, after: map[journal.Identity]int64{}, undoes: undoes}
}

// note notes the time of an open folder before something is changed in it.
func (t *folderTimes) note(h folder.Folder) {
	if folder.Lacks(h)&folder.Dating != 0 {
		return
	}
	e, err := h.Look(".")
	if err != nil || e.Ino == 0 {
		return
	}
	id := journal.Identity{e.Dev, e.Ino}
	t.mutex.Lock()
	defer t.mutex.Unlock()
	if _, known := t.before[id]; known {
		return
	}
	t.before[id] = e.Time
	t.clock.Note(id, e.Time)
	_, made := t.after[id] // it has the number of one that went
	if t.undoes != nil && e.Time <= t.undoes.Noted && !made {
		if was, known := t.undoes.Folders[id]; known {
			t.after[id] = was
		}
	}
}

// again gives a folder that is made again the time that it had, which it keeps
// whatever is put into it.
func (t *folderTimes) again(parent folder.Folder, name string, time int64) {
	if folder.Lacks(parent)&folder.Dating != 0 {
		return
	}
	e, err := parent.Look(name)
	if err != nil || e.Kind != tree.Folder || e.Ino == 0 {
		return
	}
	t.mutex.Lock()
	t.after[journal.Identity{e.Dev, e.Ino}] = time
	t.mutex.Unlock()
	_ = parent.SetTime(name, time)
}

// stays notes that an open folder keeps the time that it had before the run: a file in it changes that is to look
// as if nobody had touched it.
func (t *folderTimes) stays(h folder.Folder) {
	if folder.Lacks(h)&folder.Dating != 0 {
		return
	}
	e, err := h.Look(".")
	if err != nil {
		return
	}
	id := journal.Identity{e.Dev, e.Ino}
	t.mutex.Lock()
	defer t.mutex.Unlock()
	if _, known := t.after[id]; !known && t.before[id] != 0 {
		t.after[id] = t.before[id]
	}
}

// allAgain gives all folders, in the end, the times that they had before the run.
func (t *folderTimes) allAgain() {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	for id, was := range t.before {
		t.after[id] = was
	}
}

// settle gives an open folder the time that it is to have, now that nothing more is
// changed in it. That it cannot be had does no harm.
func (t *folderTimes) settle(h folder.Folder) {
	t.mutex.Lock()
	none := len(t.after) == 0
	t.mutex.Unlock()
	if none || folder.Lacks(h)&folder.Dating != 0 {
		return
	}
	e, err := h.Look(".")
	if err != nil {
		return
	}
	t.mutex.Lock()
	time, known := t.after[journal.Identity{e.Dev, e.Ino}]
	t.mutex.Unlock()
	if known && e.Time != time {
		_ = h.SetTime(".", time)
	}
}

// close closes a folder in which nothing more is changed.
func (t *folderTimes) close(h folder.Folder) {
	t.settle(h)
	h.Close()
}
