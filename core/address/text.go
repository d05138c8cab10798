// Package address holds what names and paths of a disk are written as, so that none is lost.
package address

import (
	"encoding/json"
	"net/url"
	"strings"
	"unicode/utf8"
)

// A Text is a name or a path of a disk, which need not be text: systems take any bytes. It
// can be written and read back whatever it holds; an address on a drive is written as a URL with its
// letters as they are. In JSON it is a text where it is UTF-8,
// and else a list that holds its bytes. As a key of JSON, and in the cell of a table, what
// is no UTF-8 is written with percent signs behind "file:", as URLs write it (RFC 8089).
type Text string

// bytesLead begins a text that is written with percent signs.
const bytesLead = "file:"

// MarshalJSON writes a text, or its bytes.
func (t Text) MarshalJSON() ([]byte, error) {
	if utf8.ValidString(string(t)) {
		return json.Marshal(Drives(nil).Show(Address(t)))
	}
	return json.Marshal([][]byte{[]byte(t)})
}

// UnmarshalJSON reads what [Text.MarshalJSON] writes.
func (t *Text) UnmarshalJSON(data []byte) error {
	var raw [][]byte
	if json.Unmarshal(data, &raw) == nil && len(raw) == 1 {
		*t = Text(raw[0])
		return nil
	}
	var text string
	err := json.Unmarshal(data, &text)
	*t = OfText(text)
	return err
}

// OfText is what was written as a text: on a drive, as a URL.
func OfText(text string) Text {
	for _, scheme := range schemes {
		rest, is := strings.CutPrefix(text, scheme+"://")
		host, path, _ := strings.Cut(rest, "/")
		if !is || strings.ContainsAny(host, "@?#%") {
			continue
		}
		if top, err := OfURL(scheme + "://" + host); err == nil {
			if path == "" {
				return Text(top)
			}
			return Text(top.Join(path))
		}
	}
	return Text(text)
}

// Key is the text as it stands in a key or a cell, with percent signs where it has to be.
func (t Text) Key() string {
	if utf8.ValidString(string(t)) && !strings.HasPrefix(string(t), bytesLead) {
		return Drives(nil).Show(Address(t))
	}
	return bytesLead + (&url.URL{Path: string(t)}).EscapedPath()
}

// OfKey is the text that a key or a cell says. What was not written by [Text.Key] stands for
// itself.
func OfKey(key string) Text {
	if escaped, is := strings.CutPrefix(key, bytesLead); is {
		if plain, err := url.PathUnescape(escaped); err == nil {
			return Text(plain)
		}
	}
	return OfText(key)
}

// Texts are paths as they are written.
func Texts(paths []string) (list []Text) {
	for _, p := range paths {
		list = append(list, Text(p))
	}
	return list
}

// Strings are paths as they were read.
func Strings(list []Text) (paths []string) {
	for _, t := range list {
		paths = append(paths, string(t))
	}
	return paths
}
