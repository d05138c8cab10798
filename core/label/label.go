// Package label holds the small hidden file that a build leaves in a project's own
// folder: which template it was built from, in its full text, with which values, and
// what the files that it was given hold. With it a project can be extended, checked
// and brought up to date later, on any machine, even where the template is long gone.
//
// The file is JSON:
//
//	{
//	  "vestibula": 2,
//	  "id": "4kq2v7yxw3bn",
//	  "template": "commission.folders",
//	  "text": "…",
//	  "values": { "client": "Oriel Pask", "stages": ["survey", "repair"] },
//	  "built": "2027-03-09T10:30:00Z",
//	  "version": "0.1.0",
//	  "given": { "First evening.md": "…" },
//	  "accepted": [ { "path": "Drafts", "why": "she likes it so" } ],
//	  "done": { "Essay": "2027-04-02" },
//	  "closed": { "03 Work/01 Survey": "90 Settled/01 Survey" },
//	  "shelved": "2027 Oriel Pask"
//	}
//
// One label is one build, and one project. Labels of the first form, which held
// several builds, are read; the next change writes the second form.
package label

import (
	"bytes"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/outline"
	"vestibula/core/template"
	"vestibula/core/value"
)

// FileName is the name of the file in a project's root.
const FileName = ".vestibula.json"

// Format is the number of the format, in case it has to change.
const Format = 2

// MaxBytes is the most that a label may hold: what is larger was not written by
// this program.
const MaxBytes = 32 << 20

// A Label is what the file holds.
type Label struct {
	Format int    `json:"vestibula"`
	ID     string `json:"id,omitempty"` // what the project is known by, wherever it lies
	Build
	// Given are the files and links that the project was given, by their paths in it,
	// with the checksums of what they held, or of where they led.
	Given    map[string]string `json:"given,omitempty"`
	Accepted []Accepted        `json:"accepted,omitempty"`
	// Done are the days on which what has to be delivered was ticked, by the paths at which
	// the template has it.
	Done map[string]string `json:"done,omitempty"`
	// Closed are things that the template asks for and that were moved on, by the paths at
	// which the template has them: where each is now, for a person.
	Closed map[string]string `json:"closed,omitempty"`
	// Refused are readings that somebody said no to: what lies at a path is not what the template
	// has at another one.
	Refused []Refused `json:"refused,omitempty"`
	// Were are the former values of fields, the oldest first: names may say them for years.
	Were map[string][]string `json:"were,omitempty"`
	// Handed are copies of parts that were handed over, the oldest first.
	Handed []Handed `json:"handed,omitempty"`
	// Shelved is the name that the project's own folder was given when it was archived.
	Shelved address.Text `json:"shelved,omitempty"`
	// Others are the builds of a label of the first form that held several: Build is
	// the last of them.
	Others []*Build `json:"-"`

	more more // keys that this version does not know
}

// A Build says what was built.
type Build struct {
	Template string         `json:"template"`      // the name of its file
	Lay      string         `json:"lay,omitempty"` // where that lay, from the project's own folder, with slashes; empty where it is found on the way up
	Text     string         `json:"text"`
	Values   map[string]any `json:"values"` // texts, and lists of texts
	Built    time.Time      `json:"built"`
	Version  string         `json:"version"` // of the program
}

// Accepted is a finding that is meant so.
type Accepted struct {
	Path string `json:"path"`
	Rule string `json:"rule,omitempty"` // empty for whatever is found there
	Why  string `json:"why"`

	more more
}

// A Refused reading holds for that thing and that line, as long as nothing surer is known.
type Refused struct {
	Path address.Text `json:"path"`
	Not  address.Text `json:"not"`
}

// Refuse keeps that somebody said no to a reading.
func (l *Label) Refuse(path, not string) {
	if !l.Refuses(path, not) {
		l.Refused = append(slices.Clip(l.Refused), Refused{address.Text(path), address.Text(not)})
	}
}

// Refuses reports whether somebody said no to a reading.
func (l *Label) Refuses(path, not string) bool {
	return slices.Contains(l.Refused, Refused{address.Text(path), address.Text(not)})
}

// Handed is what was handed over once.
type Handed struct {
	Parts []string `json:"parts"` // paths in the project; "." is all of it
	To    string   `json:"to"`    // where the copy was put
	For   string   `json:"for,omitempty"`
	Day   string   `json:"day"`

	more more
}

// NewBuild describes a build.
func NewBuild(t *template.Template, values template.Values, at time.Time, version string) *Build {
	b := &Build{Template: t.Name, Text: t.Text, Values: map[string]any{}, Built: at.UTC().Truncate(time.Second), Version: version}
	for name, v := range values {
		if v.Kind != value.List {
			b.Values[name] = v.String()
			continue
		}
		items := make([]any, len(v.Items))
		for i, it := range v.Items {
			items[i] = it.String()
		}
		b.Values[name] = items
	}
	return b
}

// Laid notes where the file of the template lay, for a project in a folder.
func (b *Build) Laid(t *template.Template, own address.Address) {
	from := address.Address(t.Folder)
	if t.Folder == "" || from.Server() != own.Server() || own.Within(from) || from.Name() == "templates" && own.Within(from.Parent()) {
		return // it is found on the way up, or lies nowhere
	}
	if rel, err := filepath.Rel(string(own), t.Folder); err == nil {
		b.Lay = filepath.ToSlash(rel)
	}
}

// Raw returns the values as they were written.
func (b *Build) Raw() map[string]template.Raw {
	raw := map[string]template.Raw{}
	for name, v := range b.Values {
		switch v := v.(type) {
		case string:
			raw[name] = template.Raw{Text: v}
		case []any:
			r := template.Raw{List: true}
			for _, it := range v {
				r.Items = append(r.Items, fmt.Sprint(it))
			}
			raw[name] = r
		}
	}
	return raw
}

// Parse reads a label of either form.
func Parse(data []byte) (*Label, error) {
	damaged := errors.New(FileName + " is damaged: it was changed or cut off")
	l := &Label{}
	if l.UnmarshalJSON(data) != nil {
		return nil, damaged
	}
	var old []*Build
	if l.Format == 1 {
		if json.Unmarshal(l.more["builds"], &old) != nil {
			return nil, damaged
		}
		delete(l.more, "builds")
	}
	switch {
	case l.Format > Format:
		return nil, fmt.Errorf("%s was written by a newer version of this program", FileName)
	case l.Format < 1:
		return nil, errors.New(FileName + " is not a label of this program")
	case l.Format == 1 && (len(old) == 0 || slices.Contains(old, nil)):
		return nil, damaged
	case l.Format == 1:
		last := len(old) - 1
		l.Build, l.Others = *old[last], old[:last]
	}
	if l.Text == "" || l.Template == "" {
		return nil, damaged
	}
	return l, nil
}

// NewID returns an identity that no other label has.
func NewID() string { return strings.ToLower(rand.Text()[:12]) }

// Encode returns the label as it stands in its file.
func (l *Label) Encode() ([]byte, error) {
	l.Format = Format
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	err := enc.Encode(l)
	return out.Bytes(), err
}

// Follow brings what was given and accepted to the paths that it has after moves, and
// forgets what leaves the project. After returns where something comes to lie, and
// whether that is in the project. It reports whether anything is otherwise now.
func (l *Label) Follow(after func(at string) (to string, inside bool)) (changed bool) {
	given := make(map[string]string, len(l.Given))
	for at, sum := range l.Given {
		to, inside := after(at)
		if changed = changed || to != at || !inside; !inside {
			continue
		}
		if _, there := l.Given[to]; to == at || !there {
			given[to] = sum
		}
	}
	accepted := make([]Accepted, 0, len(l.Accepted))
	for _, a := range l.Accepted {
		to, inside := after(a.Path)
		changed = changed || to != a.Path || !inside
		if a.Path = to; inside {
			accepted = append(accepted, a)
		}
	}
	if changed {
		l.Given, l.Accepted = given, accepted
	}
	return changed
}

// Same reports whether two builds are of one text with the same values.
func (b *Build) Same(other *Build) bool {
	return b.Template == other.Template && b.Text == other.Text && b.SameValues(other)
}

// SameValues reports whether two builds have the same values.
func (b *Build) SameValues(other *Build) bool {
	first, _ := json.Marshal(b.Values) // texts can always be written
	second, _ := json.Marshal(other.Values)
	return bytes.Equal(first, second)
}

// WithoutStarters returns the text of a template as it can be read where the
// files that it starts from are not at hand: `copy` and `fill` are left out. It
// returns their paths as well, by the numbers of the lines.
func WithoutStarters(text string) (plain string, starters map[int]string) {
	f, err := outline.Parse(text)
	if err != nil {
		return text, nil
	}
	starters = map[int]string{}
	for _, l := range f.Lines {
		for i := range l.Clauses {
			switch c := &l.Clauses[i]; c.Word {
			case "copy":
				starters[l.Number] = c.Text
			case "fill":
				starters[l.Number] = c.Text
				c.Word, c.Colon, c.Text = "blank", "", "" // it is still a file
			}
		}
		l.Clauses = slices.DeleteFunc(l.Clauses, func(c outline.Clause) bool { return c.Word == "copy" })
	}
	return f.String(), starters
}

// Own reports whether a path is that of a label: a file of the program's own.
func Own(at string) bool { return path.Base(at) == FileName }
