package disk

import "vestibula/core/folder"

// mostOpen is how many folders of each half of [openFolders] are open; tests have less.
var mostOpen = 64

// openFolders are the folders that a run has open: those that it has used since the
// last change of halves, and those of before. A change uses two at a time, and none
// that was used just now is closed.
type openFolders struct {
	times       *folderTimes
	now, before map[folderKey]folder.Folder
}

func (o *openFolders) get(key folderKey) folder.Folder {
	h := o.now[key]
	if h == nil {
		if h = o.before[key]; h != nil {
			delete(o.before, key)
			o.put(key, h)
		}
	}
	return h
}

func (o *openFolders) put(key folderKey, h folder.Folder) {
	if o.now == nil || len(o.now) >= mostOpen {
		for _, old := range o.before {
			o.times.close(old)
		}
		o.before, o.now = o.now, map[folderKey]folder.Folder{}
	}
	o.now[key] = h
}

// close closes those that are to be closed.
func (o *openFolders) close(which func(key folderKey) bool) {
	for _, half := range []map[folderKey]folder.Folder{o.now, o.before} {
		for key, h := range half {
			if which(key) {
				o.times.close(h)
				delete(half, key)
			}
		}
	}
}
