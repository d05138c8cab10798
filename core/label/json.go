package label

import (
	"bytes"
	"encoding/json"
	"maps"
	"reflect"
	"slices"
	"strings"

	"vestibula/core/address"
)

// Paths stand in the file as a [address.Text] is written, since names of a disk need not be
// text; and what a newer version has put beside the keys known here is written again.

// more are keys of an object in JSON that this version does not know, with their values.
type more map[string]json.RawMessage

// plain types are written and read without the methods of the others.
type (
	plainLabel    Label
	plainAccepted Accepted
	plainHanded   Handed
)

// labelJSON is a label in its file: paths that need not be text stand in the place of those
// of the label.
type labelJSON struct {
	*plainLabel
	Given  map[string]string       `json:"given,omitempty"`
	Done   map[string]string       `json:"done,omitempty"`
	Closed map[string]address.Text `json:"closed,omitempty"`
}

// MarshalJSON writes a label.
func (l *Label) MarshalJSON() ([]byte, error) {
	out := labelJSON{plainLabel: (*plainLabel)(l), Given: keyed(l.Given), Done: keyed(l.Done)}
	if l.Closed != nil {
		out.Closed = map[string]address.Text{}
		for at, to := range l.Closed {
			out.Closed[address.Text(at).Key()] = address.Text(to)
		}
	}
	return l.more.beside(out)
}

// UnmarshalJSON reads a label. There may be a great many, and most hold nothing unknown.
func (l *Label) UnmarshalJSON(data []byte) error {
	in := labelJSON{plainLabel: (*plainLabel)(l)}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	unknown := dec.Decode(&in) != nil || len(bytes.TrimSpace(data[dec.InputOffset():])) > 0
	if unknown {
		in = labelJSON{plainLabel: (*plainLabel)(l)}
		if err := json.Unmarshal(data, &in); err != nil {
			return err
		}
	}
	l.Given, l.Done = unkeyed(in.Given), unkeyed(in.Done)
	if in.Closed != nil {
		l.Closed = map[string]string{}
		for at, to := range in.Closed {
			l.Closed[string(address.OfKey(at))] = string(to)
		}
	}
	if !unknown {
		return nil
	}
	return l.more.read(data, reflect.TypeFor[plainLabel]())
}

func keyed(m map[string]string) (out map[string]string) {
	for at, v := range m {
		if out == nil {
			out = make(map[string]string, len(m))
		}
		out[address.Text(at).Key()] = v
	}
	return out
}

func unkeyed(m map[string]string) (out map[string]string) {
	for at, v := range m {
		if out == nil {
			out = make(map[string]string, len(m))
		}
		out[string(address.OfKey(at))] = v
	}
	return out
}

type acceptedJSON struct {
	*plainAccepted
	Path address.Text `json:"path"`
}

// MarshalJSON writes what is accepted.
func (a Accepted) MarshalJSON() ([]byte, error) {
	return a.more.beside(acceptedJSON{(*plainAccepted)(&a), address.Text(a.Path)})
}

// UnmarshalJSON reads what is accepted.
func (a *Accepted) UnmarshalJSON(data []byte) error {
	in := acceptedJSON{plainAccepted: (*plainAccepted)(a)}
	if err := json.Unmarshal(data, &in); err != nil {
		return err
	}
	a.Path = string(in.Path)
	return a.more.read(data, reflect.TypeFor[plainAccepted]())
}

type handedJSON struct {
	*plainHanded
	Parts []address.Text `json:"parts"`
	To    address.Text   `json:"to"`
}

// MarshalJSON writes what was handed over.
func (h Handed) MarshalJSON() ([]byte, error) {
	return h.more.beside(handedJSON{(*plainHanded)(&h), address.Texts(h.Parts), address.Text(h.To)})
}

// UnmarshalJSON reads what was handed over.
func (h *Handed) UnmarshalJSON(data []byte) error {
	in := handedJSON{plainHanded: (*plainHanded)(h)}
	if err := json.Unmarshal(data, &in); err != nil {
		return err
	}
	h.Parts, h.To = address.Strings(in.Parts), string(in.To)
	return h.more.read(data, reflect.TypeFor[plainHanded]())
}

// read keeps the keys of an object that a type has no fields for.
func (m *more) read(data []byte, of reflect.Type) error {
	var all map[string]json.RawMessage
	if err := json.Unmarshal(data, &all); err != nil {
		return err
	}
	maps.DeleteFunc(all, func(key string, _ json.RawMessage) bool { return known(of, key) })
	if *m = nil; len(all) > 0 {
		*m = all
	}
	return nil
}

// known reports whether a type has a field that JSON fills from a key.
func known(of reflect.Type, key string) bool {
	for field := range of.Fields() {
		name, _, _ := strings.Cut(field.Tag.Get("json"), ",")
		if field.Anonymous && known(field.Type, key) || name != "" && strings.EqualFold(name, key) {
			return true
		}
	}
	return false
}

// beside writes a value, with these keys behind its own.
func (m more) beside(v any) ([]byte, error) {
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false)
	if err := enc.Encode(v); err != nil {
		return nil, err
	}
	if len(m) == 0 {
		return out.Bytes(), nil
	}
	out.Truncate(out.Len() - len("}\n"))
	for _, key := range slices.Sorted(maps.Keys(m)) {
		name, err := json.Marshal(key)
		if err != nil {
			return nil, err
		}
		out.WriteByte(',')
		out.Write(name)
		out.WriteByte(':')
		out.Write(m[key])
	}
	out.WriteByte('}')
	return out.Bytes(), nil
}

// Rebuilt returns the label of a project that was built once more: as the new one, with all
// that has happened to the project since it was built first.
func (l *Label) Rebuilt(next *Label) *Label {
	out := *l
	out.ID, out.Build = next.ID, next.Build
	out.Build.Built = l.Built
	out.Given = maps.Clone(next.Given)
	for at, sum := range l.Given {
		if out.Given == nil {
			out.Given = map[string]string{}
		}
		out.Given[at] = sum // what it was given at first
	}
	return &out
}
