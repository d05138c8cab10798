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
	if a.Sum == "" && a.Was == "" && !a.Gone && plain(a.Path) {
		dst = append(dst, `{"op":"`...)
		dst = append(dst, a.Op...)
		dst = append(dst, `","path":"`...)
		dst = append(dst, a.Path...)
		return append(dst, "\"}\n"...)
	}
	return append(append(dst, a.marshal()...), '\n')
}

// marshal writes the action whatever it holds. It is a function of its own so
// that an action without anything to escape need not lie on the heap.
func (a Action) marshal() []byte {
	line, _ := json.Marshal(a) // a struct of texts can always be written
	return line
}

// plain reports whether a text can stand in JSON as it is.
func plain(s string) bool {
	ascii := true
	for i := range len(s) {
		if escaped[s[i]] {
			return false
		}
		ascii = ascii && s[i] < utf8.RuneSelf
	}
	return ascii || utf8.ValidString(s)
}

// escaped are the bytes that are not written as they are.
var escaped = [256]bool{'"': true, '\\': true}

func init() {
	for c := range ' ' {
		escaped[c] = true
	}
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
