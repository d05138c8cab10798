// Package label holds the small hidden file that a build leaves in the root of
// a project: which template it was built from, in its full text, and with which
// values. With it a project can be extended, audited and rebuilt later, even
// where the template is long gone.
//
// The file is JSON:
//
//	{
//	  "vestibula": 1,
//	  "id": "4kq2v7yxw3bn",
//	  "builds": [
//	    {
//	      "template": "commission.folders",
//	      "text": "…",
//	      "values": { "client": "Oriel Pask", "stages": ["survey", "repair"] },
//	      "built": "2027-03-09T10:30:00Z",
//	      "version": "0.1.0"
//	    }
//	  ]
//	}
//
// Each build that met in the root has one entry: builds of the same template
// with the same values share it.
package label

import (
	"bytes"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"vestibula/core/outline"
	"vestibula/core/template"
	"vestibula/core/value"
)

// FileName is the name of the file in a project's root.
const FileName = ".vestibula.json"

// Format is the number of the format, in case it has to change.
const Format = 1

// MaxBytes is the most that a label may hold: what is larger was not written by
// this program.
const MaxBytes = 32 << 20

// A Label is what the file holds.
type Label struct {
	Format int      `json:"vestibula"`
	ID     string   `json:"id,omitempty"` // what the project is known by, wherever it lies
	Builds []*Build `json:"builds"`
}

// A Build is one build that met in the root.
type Build struct {
	Template string         `json:"template"` // the name of its file
	Text     string         `json:"text"`
	Values   map[string]any `json:"values"` // texts, and lists of texts
	Built    time.Time      `json:"built"`
	Version  string         `json:"version"` // of the program
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

// Parse reads a label.
func Parse(data []byte) (*Label, error) {
	var l Label
	if err := json.Unmarshal(data, &l); err != nil {
		return nil, errors.New(FileName + " is damaged: it was changed or cut off")
	}
	switch {
	case l.Format > Format:
		return nil, fmt.Errorf("%s was written by a newer version of this program", FileName)
	case l.Format < 1:
		return nil, errors.New(FileName + " is not a label of this program")
	case slices.Contains(l.Builds, nil):
		return nil, errors.New(FileName + " is damaged: it was changed or cut off")
	}
	return &l, nil
}

// NewID returns an identity that no other label has.
func NewID() string { return strings.ToLower(rand.Text()[:12]) }

// Add puts builds into the label that data holds; no data means none yet, and then
// the label is known by id. It returns the new label, or nil where all of them
// stand there already.
func Add(data []byte, id string, builds ...*Build) ([]byte, error) {
	l := &Label{Format: Format, ID: id}
	if data != nil {
		var err error
		if l, err = Parse(data); err != nil {
			return nil, err
		}
	}
	at := map[string]int{}
	for i, b := range l.Builds {
		at[b.identity()] = i
	}
	changed := false
	for _, b := range builds {
		i, again := at[b.identity()]
		switch {
		case !again:
			at[b.identity()] = len(l.Builds)
			l.Builds = append(l.Builds, b)
		case l.Builds[i].Text == b.Text:
			continue
		default:
			l.Builds[i] = b
		}
		changed = true
	}
	if !changed {
		return nil, nil
	}
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	err := enc.Encode(l)
	return out.Bytes(), err
}

// identity is equal for builds of one template with the same values.
func (b *Build) identity() string {
	values, _ := json.Marshal(b.Values) // texts can always be written
	return b.Template + "\x00" + string(values)
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
