package disk

import (
	"bytes"
	"encoding/json"
	"time"
	"unicode/utf8"
)

// A Head says what a record is about.
type Head struct {
	Format int       `json:"vestibula"`
	Number int       `json:"number"`
	What   string    `json:"what"` // "build" or "undo"
	When   time.Time `json:"when"`
	Place  string    `json:"place"`            // the folder that the paths are relative to
	Title  string    `json:"title"`            // of the template
	Undoes int       `json:"undoes,omitempty"` // the record that an undo takes back
}

// An Action is one thing that was done.
type Action struct {
	Op   string `json:"op"`            // "folder", "file", "note" or "revision"
	Path string `json:"path"`          // from the place; of a revision, absolute
	Sum  string `json:"sum,omitempty"` // the checksum of what was written
	// Was is what a note or a revision held before, by its checksum; empty where
	// there was none.
	Was string `json:"was,omitempty"`
	// Gone says that the action removed what it names, as an undo does.
	Gone bool `json:"gone,omitempty"`
}

// The ends of records.
const (
	Done      = "done"
	TakenBack = "taken back"
	Continued = "continued later" // a later record holds all of it
	CutShort  = ""                // no end was written: see [Journal.CutShort]
)

// A Record is one entry of a journal.
type Record struct {
	Head
	Actions  []Action
	End      string
	UndoneBy int // the record that took it back, or 0

	torn bool // its last line was cut off
}

// Undone reports whether what the record did has been taken back, or stands in
// a later one.
func (r *Record) Undone() bool {
	return r.UndoneBy > 0 || r.End == TakenBack || r.End == Continued
}

// appendLine writes the action as a line of JSON. Most paths hold nothing that
// has to be escaped, and there may be a great many of them.
func (a *Action) appendLine(dst []byte) []byte {
	plain := a.Sum == "" && a.Was == "" && !a.Gone && utf8.ValidString(a.Path)
	for i := 0; plain && i < len(a.Path); i++ {
		plain = a.Path[i] >= ' ' && a.Path[i] != '"' && a.Path[i] != '\\'
	}
	if plain {
		dst = append(dst, `{"op":"`...)
		dst = append(dst, a.Op...)
		dst = append(dst, `","path":"`...)
		dst = append(dst, a.Path...)
		return append(dst, "\"}\n"...)
	}
	// A struct of texts can always be written.
	line, _ := json.Marshal(a)
	return append(append(dst, line...), '\n')
}

// parseRecord reads the text of a record, or returns nil where it has no head.
func parseRecord(data []byte) *Record {
	r := &Record{torn: !bytes.HasSuffix(data, []byte("\n"))}
	first := true
	for line := range bytes.Lines(data) {
		if first {
			if json.Unmarshal(line, &r.Head) != nil || r.Format != 1 {
				return nil
			}
			first = false
			continue
		}
		var row struct {
			Action
			End string `json:"end"`
		}
		if json.Unmarshal(line, &row) != nil {
			continue // cut off here
		}
		if row.End != "" {
			r.End = row.End
		} else if row.Op != "" {
			r.Actions = append(r.Actions, row.Action)
		}
	}
	if first {
		return nil
	}
	return r
}
