package change

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"vestibula/core/tree"
)

// A line is a change as a record holds it, in JSON. Contents are not in it, but
// their checksums are.
//
//	{"op":"make","path":"Oriel Pask/"}
//	{"op":"make","path":"Oriel Pask/notes.md","sum":"…"}
//	{"op":"replace","path":"clients.csv","in":1,"sum":"…","was":{"sum":"…"},"old":"…"}
//	{"op":"move","path":"03 Tides/","from":"02 Tides","was":{"dev":2049,"ino":77}}
//	{"op":"copy","path":"a.jpg","from":"DCIM/1.jpg","fromIn":1,"was":{…}}
//	{"op":"remove","path":"Drafts/","was":{"mode":493,"time":…}}
//
// A path that ends in a slash is that of a folder.
type line struct {
	Op     string  `json:"op"`
	In     int     `json:"in,omitempty"`
	Path   Text    `json:"path"`
	FromIn int     `json:"fromIn,omitempty"`
	From   Text    `json:"from,omitempty"`
	Link   bool    `json:"link,omitempty"` // it is a symbolic link
	Loose  bool    `json:"loose,omitempty"`
	Sum    string  `json:"sum,omitempty"`
	Via    Text    `json:"via,omitempty"`
	Was    *was    `json:"was,omitempty"`
	As     *was    `json:"as,omitempty"`
	Old    *[]byte `json:"old,omitempty"`
}

type was struct {
	Mode fs.FileMode `json:"mode,omitempty"`
	Size int64       `json:"size,omitempty"`
	Time int64       `json:"time,omitempty"`
	Dev  uint64      `json:"dev,omitempty"`
	Ino  uint64      `json:"ino,omitempty"`
	Sum  string      `json:"sum,omitempty"`
}

// A Text is written as JSON text where it is UTF-8, and else as the bytes that it
// is: names on a disk need not be text.
type Text string

func (t Text) MarshalJSON() ([]byte, error) {
	if utf8.ValidString(string(t)) {
		return json.Marshal(string(t))
	}
	return json.Marshal([][]byte{[]byte(t)})
}

func (t *Text) UnmarshalJSON(data []byte) error {
	var raw [][]byte
	if json.Unmarshal(data, &raw) == nil && len(raw) == 1 {
		*t = Text(raw[0])
		return nil
	}
	return json.Unmarshal(data, (*string)(t))
}

// AppendLines appends the lines of a change, each with its line break: of a Make,
// one for each thing that it makes. Sums returns the checksum of a file that is
// made, where the change does not say it.
func (c *Change) AppendLines(dst []byte, sums func(n *tree.Node) (string, error)) ([]byte, error) {
	var err error
	if c.Op != Make {
		return c.append(dst), nil
	}
	c.Each(func(at string, n *tree.Node) bool {
		one := Change{Op: Make, In: c.In, Path: at, Node: n}
		if n == c.Node {
			one.Sum, one.As = c.Sum, c.As
		}
		if one.Sum = sumOf(n, one.Sum); n.Kind == tree.File && one.Sum == "" {
			if one.Sum, err = sums(n); err != nil {
				return false
			}
		}
		dst = one.append(dst)
		return true
	})
	return dst, err
}

func (c *Change) append(dst []byte) []byte {
	// Most lines make a folder or move a file, and there may be a great many.
	mark := ""
	if c.Kind() == tree.Folder {
		mark = "/"
	}
	if plain(c.Path) && c.In == 0 && c.Sum == "" && c.As.Mode == 0 && c.Op == Make {
		dst = append(dst, `{"op":"make","path":"`...)
		dst = append(dst, c.Path...)
		dst = append(dst, mark...)
		return append(dst, "\"}\n"...)
	}
	if c.Op == Move && plain(c.Path) && plain(c.From) && c.In == 0 && c.FromIn == 0 && c.Via == "" && c.Was.Sum == "" && c.Was.Kind != tree.Symlink {
		dst = append(append(append(dst, `{"op":"move","path":"`...), c.Path...), mark...)
		dst = append(append(append(dst, `","from":"`...), c.From...), `","was":{"size":`...)
		dst = append(strconv.AppendInt(dst, c.Was.Size, 10), `,"time":`...)
		dst = append(strconv.AppendInt(dst, c.Was.Time, 10), `,"dev":`...)
		dst = append(strconv.AppendUint(dst, c.Was.Dev, 10), `,"ino":`...)
		if dst = append(strconv.AppendUint(dst, c.Was.Ino, 10), '}'); c.Loose {
			dst = append(dst, `,"loose":true`...)
		}
		return append(dst, "}\n"...)
	}
	l := line{Op: c.Op.String(), In: c.In, Path: Text(c.Path + mark), FromIn: c.FromIn, From: Text(c.From), Link: c.Kind() == tree.Symlink, Loose: c.Loose, Sum: c.Sum, Via: Text(c.Via)}
	if w := (was{c.Was.Mode, c.Was.Size, c.Was.Time, c.Was.Dev, c.Was.Ino, c.Was.Sum}); w != (was{}) {
		l.Was = &w
	}
	if c.As.Mode != 0 || c.As.Time != 0 {
		l.As = &was{Mode: c.As.Mode, Time: c.As.Time}
	}
	if c.HasOld {
		l.Old = &c.Old
		if c.Old == nil {
			l.Old = &[]byte{}
		}
	}
	data, _ := json.Marshal(l) // texts and numbers can always be written
	return append(append(dst, data...), '\n')
}

// ParseLine reads a line back. What it makes has no content.
func ParseLine(data []byte) (Change, error) {
	var l line
	if err := json.Unmarshal(data, &l); err != nil {
		return Change{}, err
	}
	op := slices.Index(opWords[:], l.Op)
	if op < 0 || l.Path == "" || l.In < 0 || l.FromIn < 0 {
		return Change{}, errors.New("not a change")
	}
	c := Change{Op: Op(op), In: l.In, FromIn: l.FromIn, From: string(l.From), Sum: l.Sum, Via: string(l.Via), Loose: l.Loose}
	kind := tree.File
	c.Path = string(l.Path)
	if p, ok := strings.CutSuffix(c.Path, "/"); ok {
		c.Path, kind = p, tree.Folder
	} else if l.Link {
		kind = tree.Symlink
	}
	if w := l.Was; w != nil {
		c.Was = State{tree.Entry{Mode: w.Mode, Size: w.Size, Time: w.Time, Dev: w.Dev, Ino: w.Ino}, w.Sum}
	}
	c.Was.Kind = kind
	if l.As != nil {
		c.As = tree.Entry{Mode: l.As.Mode, Time: l.As.Time}
	}
	if c.Op == Make {
		c.Node = &tree.Node{Kind: kind}
	}
	if l.Old != nil {
		c.Old, c.HasOld = *l.Old, true
	}
	if !Local(c.Path) || c.From != "" && !Local(c.From) {
		return Change{}, fmt.Errorf("%q leads out of its place", c.Path)
	}
	return c, nil
}

// Local reports whether a path stays in its place: no empty name, no dots, no
// slash in front.
func Local(p string) bool {
	if p == "" || strings.ContainsRune(p, 0) {
		return false
	}
	for name := range strings.SplitSeq(p, "/") {
		if name == "" || name == "." || name == ".." {
			return false
		}
	}
	return true
}

// plain reports whether a text can stand in JSON as it is.
func plain(s string) bool {
	ascii := true
	for i := range len(s) {
		if b := s[i]; b == '"' || b == '\\' || b < ' ' {
			return false
		}
		ascii = ascii && s[i] < utf8.RuneSelf
	}
	return ascii || utf8.ValidString(s)
}
