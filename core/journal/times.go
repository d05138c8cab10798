package journal

import (
	"bufio"
	"bytes"
	"encoding/json"
	"math"

	"vestibula/core/folder"
)

// A Clock notes in a record what the times of folders were before the run changes something in
// them, each right before that. It may be nil, and notes nothing then.
type Clock struct{ file folder.File }

// Clock opens a record for that.
func (j *Journal) Clock(number int) *Clock {
	f, err := j.root.Append(openName(number))
	if err != nil {
		return nil // times come back where they can
	}
	return &Clock{f}
}

// Note notes the time of a folder. That it cannot be noted does no harm.
func (c *Clock) Note(id Identity, was int64) {
	if c == nil {
		return
	}
	if line, err := json.Marshal(timesLine{[][3]uint64{{id[0], id[1], uint64(was)}}}); err == nil {
		_, _ = c.file.Write(append(line, '\n'))
	}
}

// Close ends the noting.
func (c *Clock) Close() {
	if c != nil {
		_ = c.file.Close()
	}
}

// Times returns what a record notes of the times of folders; nil where that is nothing. Of a run that
// was cut short nobody knows when: its folders get their times back, whatever they are now.
func (j *Journal) Times(r *Record) *Times {
	f, _, err := j.open(r.Number)
	if err != nil {
		return nil
	}
	defer f.Close()
	self, err := f.Look()
	if err != nil {
		return nil
	}
	t := &Times{Folders: map[Identity]int64{}, Noted: self.Time}
	if r.End == CutShort {
		t.Noted = math.MaxInt64
	}
	s := bufio.NewScanner(f)
	s.Buffer(nil, 1<<30)
	for s.Scan() {
		var line timesLine
		if !bytes.HasPrefix(s.Bytes(), []byte(`{"times":`)) || json.Unmarshal(s.Bytes(), &line) != nil {
			continue
		}
		for _, l := range line.Times {
			if id := (Identity{l[0], l[1]}); t.Folders[id] == 0 { // the first counts: it was before all
				t.Folders[id] = int64(l[2])
			}
		}
	}
	if len(t.Folders) == 0 {
		return nil
	}
	return t
}
