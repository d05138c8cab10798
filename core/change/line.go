package change

import (
	"bufio"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"vestibula/core/address"
	"vestibula/core/tree"
)

// A line is a change as a record holds it, in JSON. Contents are not in it, but
// their checksums are.
//
//	{"op":"make","path":"Oriel Pask/","holds":["Agreement/",["Stages/","01 Survey/"],["notes.md","…"]]}
//	{"op":"replace","path":"clients.csv","in":1,"sum":"…","was":{"sum":"…"},"old":"…"}
//	{"op":"move","path":"03 Tides/","from":"02 Tides","was":{"dev":2049,"ino":77}}
//	{"op":"copy","path":"a.jpg","from":"DCIM/1.jpg","fromIn":1,"was":{…}}
//	{"op":"remove","path":"Drafts/","was":{"mode":493,"time":…}}
//
// A path that ends in a slash is that of a folder. What a made folder holds is
// named in it: an empty folder by its name, one with something in it by a list
// that begins with its name, a file by its name and its checksum.
type line struct {
	Op     string       `json:"op"`
	In     int          `json:"in,omitempty"`
	Path   address.Text `json:"path"`
	FromIn int          `json:"fromIn,omitempty"`
	From   address.Text `json:"from,omitempty"`
	Link   bool         `json:"link,omitempty"` // it is a symbolic link
	Loose  bool         `json:"loose,omitempty"`
	Whole  bool         `json:"whole,omitempty"` // it bears another name until the run has ended
	Sum    string       `json:"sum,omitempty"`
	Holds  []any        `json:"holds,omitempty"`
	Via    address.Text `json:"via,omitempty"`
	Was    *was         `json:"was,omitempty"`
	As     *was         `json:"as,omitempty"`
	Old    *[]byte      `json:"old,omitempty"`
	Shared bool         `json:"shared,omitempty"` // of a copy: it may share what it holds
	Equal  address.Text `json:"equal,omitempty"`  // of a removal: where the same is to lie
}

type was struct {
	Mode fs.FileMode `json:"mode,omitempty"`
	Size int64       `json:"size,omitempty"`
	Time int64       `json:"time,omitempty"`
	Dev  uint64      `json:"dev,omitempty"`
	Ino  uint64      `json:"ino,omitempty"`
	Sum  string      `json:"sum,omitempty"`
	Tag  string      `json:"tag,omitempty"`
}

// WriteLine writes the line of a change, with its line break. Sums returns the
// checksum of a file that is made, where the change does not say it. Singles is how
// many changes the line comes back as: of a Make, one for each thing that it makes.
func (c *Change) WriteLine(w *bufio.Writer, sums func(n *tree.Node) (string, error)) (singles int, err error) {
	one := *c
	if c.Op == Make {
		if one.Sum, err = wholeSum(c.Node, c.Sum, sums); err != nil {
			return 0, err
		}
	}
	line := one.append(w.AvailableBuffer())
	if c.Op != Make || len(c.Node.Children) == 0 {
		_, err = w.Write(line)
		return 1, err
	}
	line = append(line[:len(line)-len("}\n")], `,"holds":[`...)
	if _, err = w.Write(line); err == nil {
		singles, err = writeHolds(w, c.Node, sums)
	}
	if err == nil {
		_, err = w.WriteString("]}\n")
	}
	return 1 + singles, err
}

func wholeSum(n *tree.Node, sum string, sums func(n *tree.Node) (string, error)) (string, error) {
	if sum = sumOf(n, sum); n.Kind != tree.Folder && sum == "" {
		return sums(n)
	}
	return sum, nil
}

func writeHolds(w *bufio.Writer, n *tree.Node, sums func(n *tree.Node) (string, error)) (singles int, err error) {
	for i, c := range n.Children {
		dst := w.AvailableBuffer()
		if i > 0 {
			dst = append(dst, ',')
		}
		switch {
		case c.Kind != tree.Folder:
			sum, err := wholeSum(c, "", sums)
			if err != nil {
				return 0, err
			}
			dst = append(appendName(append(dst, '['), c.Name, ""), `,"`...)
			dst = append(append(dst, sum...), '"')
			if c.Kind == tree.Symlink {
				dst = append(dst, `,"link"`...)
			}
			dst = append(dst, ']')
		case len(c.Children) == 0 && utf8.ValidString(c.Name):
			dst = appendName(dst, c.Name, "/")
		default:
			dst = appendName(append(dst, '['), c.Name, "/")
			if len(c.Children) > 0 {
				dst = append(dst, ',')
			}
		}
		if _, err := w.Write(dst); err != nil {
			return 0, err
		}
		singles++
		if c.Kind == tree.Folder && (len(c.Children) > 0 || !utf8.ValidString(c.Name)) {
			below, err := writeHolds(w, c, sums)
			if err != nil {
				return 0, err
			}
			singles += below
			_ = w.WriteByte(']') // an error stays in the writer
		}
	}
	return singles, nil
}

func appendName(dst []byte, name, mark string) []byte {
	if plain(name) {
		return append(append(append(append(dst, '"'), name...), mark...), '"')
	}
	data, _ := address.Text(name + mark).MarshalJSON() // text or bytes can always be written
	return append(dst, data...)
}

func (c *Change) append(dst []byte) []byte {
	// Most lines make a folder or move a file, and there may be a great many.
	mark := ""
	if c.Kind() == tree.Folder {
		mark = "/"
	}
	if plain(c.Path) && c.In == 0 && c.Sum == "" && c.As.Mode == 0 && !c.Whole && c.Op == Make {
		dst = append(dst, `{"op":"make","path":"`...)
		dst = append(dst, c.Path...)
		dst = append(dst, mark...)
		return append(dst, "\"}\n"...)
	}
	if c.Op == Move && plain(c.Path) && plain(c.From) && c.In == 0 && c.FromIn == 0 && c.Via == "" && c.Was.Sum == "" && c.Was.Tag == "" && c.Was.Kind != tree.Symlink {
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
	if c.Op == Copy && plain(c.Path) && plain(c.From) && plain(c.Sum) && c.From != "" && c.Was.Sum == "" && c.Was.Tag == "" && c.As == (Dress{}) {
		dst = append(append(append(dst, `{"op":"copy","path":"`...), c.Path...), `","in":`...)
		dst = append(strconv.AppendInt(dst, int64(c.In), 10), `,"fromIn":`...)
		dst = append(append(append(strconv.AppendInt(dst, int64(c.FromIn), 10), `,"from":"`...), c.From...), `","was":{"mode":`...)
		dst = append(strconv.AppendUint(dst, uint64(c.Was.Mode), 10), `,"size":`...)
		dst = append(strconv.AppendInt(dst, c.Was.Size, 10), `,"time":`...)
		dst = append(strconv.AppendInt(dst, c.Was.Time, 10), `,"dev":`...)
		dst = append(strconv.AppendUint(dst, c.Was.Dev, 10), `,"ino":`...)
		dst = append(append(append(strconv.AppendUint(dst, c.Was.Ino, 10), `},"sum":"`...), c.Sum...), '"')
		if c.Loose {
			dst = append(dst, `,"loose":true`...)
		}
		if c.Shared != "" {
			dst = append(dst, `,"shared":true`...)
		}
		return append(dst, "}\n"...)
	}
	l := line{Op: c.Op.String(), In: c.In, Path: address.Text(c.Path + mark), FromIn: c.FromIn, From: address.Text(c.From), Link: c.Kind() == tree.Symlink, Loose: c.Loose, Whole: c.Whole, Sum: c.Sum, Via: address.Text(c.Via), Shared: c.Shared != ""}
	if c.Equal {
		l.Equal = address.Text(c.Instead)
	}
	if w := (was{c.Was.Mode, c.Was.Size, c.Was.Time, c.Was.Dev, c.Was.Ino, c.Was.Sum, c.Was.Tag}); w != (was{}) {
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

// ParseLine reads a line back: of a Make, one change for each thing that it makes.
// What is made has no content.
func ParseLine(data []byte) ([]Change, error) {
	var l line
	if err := json.Unmarshal(data, &l); err != nil {
		return nil, err
	}
	c, err := l.change()
	if err != nil {
		return nil, err
	}
	list := []Change{c}
	if c.Op == Make && c.Node.Kind == tree.Folder {
		err = l.below(&list, c.Path+"/", l.Holds)
	} else if l.Holds != nil {
		err = errNoChange
	}
	if err != nil {
		return nil, err
	}
	return list, nil
}

var errNoChange = errors.New("not a change")

// below adds what a made folder holds.
func (l *line) below(list *[]Change, at string, holds []any) error {
	for _, one := range holds {
		item, many := one.([]any)
		if !many {
			item = []any{one}
		}
		if len(item) == 0 {
			return errNoChange
		}
		name, err := nameOf(item[0])
		name, folder := strings.CutSuffix(name, "/")
		if err != nil || strings.Contains(name, "/") || !Local(name) {
			return errNoChange
		}
		c := Change{Op: Make, In: l.In, Path: at + name, Node: &tree.Node{Kind: tree.Folder}}
		if c.Was.Kind = tree.Folder; !folder {
			kind := tree.File
			if len(item) == 3 && item[2] == "link" {
				kind, item = tree.Symlink, item[:2]
			}
			sum, text := item[len(item)-1].(string)
			if !text || len(item) != 2 {
				return errNoChange
			}
			c.Sum, c.Was.Kind, c.Node = sum, kind, &tree.Node{Kind: kind}
		}
		*list = append(*list, c)
		if folder {
			if err := l.below(list, c.Path+"/", item[1:]); err != nil {
				return err
			}
		}
	}
	return nil
}

// nameOf reads a name: a text, or a list of one text that holds its bytes.
func nameOf(item any) (string, error) {
	if list, ok := item.([]any); ok && len(list) == 1 {
		text, _ := list[0].(string)
		name, err := base64.StdEncoding.DecodeString(text)
		return string(name), err
	}
	name, ok := item.(string)
	if !ok {
		return "", errNoChange
	}
	return name, nil
}

func (l *line) change() (Change, error) {
	op := slices.Index(opWords[:], l.Op)
	if op < 0 || l.Path == "" || l.In < 0 || l.FromIn < 0 {
		return Change{}, errNoChange
	}
	c := Change{Op: Op(op), In: l.In, FromIn: l.FromIn, From: string(l.From), Sum: l.Sum, Via: string(l.Via), Loose: l.Loose, Whole: l.Whole}
	kind := tree.File
	c.Path = string(l.Path)
	if p, ok := strings.CutSuffix(c.Path, "/"); ok {
		c.Path, kind = p, tree.Folder
	} else if l.Link {
		kind = tree.Symlink
	}
	if w := l.Was; w != nil {
		c.Was = State{tree.Entry{Mode: w.Mode, Size: w.Size, Time: w.Time, Dev: w.Dev, Ino: w.Ino, Tag: w.Tag}, w.Sum}
	}
	c.Was.Kind = kind
	if l.As != nil {
		c.As = Dress{l.As.Mode, l.As.Time}
	}
	if c.Op == Make {
		c.Node = &tree.Node{Kind: kind}
	}
	if l.Shared {
		c.Shared = c.Sum
	}
	if l.Equal != "" && Local(string(l.Equal)) {
		c.Equal, c.Instead = true, string(l.Equal)
	}
	if l.Old != nil {
		c.Old, c.HasOld = *l.Old, true
	}
	if !Local(c.Path) || c.From != "" && !Local(c.From) {
		return Change{}, fmt.Errorf("\"%s\" leads out of its place", c.Path)
	}
	return c, nil
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
