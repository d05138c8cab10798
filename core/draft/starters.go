package draft

import (
	"bytes"
	"cmp"
	"io/fs"
	"path"
	"strconv"
	"strings"
	"time"

	"vestibula/core/tree"
)

// A Starter is a file that a template starts from.
type Starter struct {
	Path string // from the template's own folder
	Data []byte
}

// Contents reads what a file of a sample holds, by its number and the path of the file. It
// returns false where that cannot be read, or is too much.
type Contents func(sample int, path string) ([]byte, bool)

// contents reads what files held before their names were brought to one way of writing.
func (d *drift) contents(read Contents) Contents {
	return func(sample int, path string) ([]byte, bool) {
		return read(d.number[d.samples[sample].Root], d.lay(sample, path))
	}
}

// lay is where something in a sample lay before the folders on the way were given the names that most have.
func (d *drift) lay(sample int, at string) string {
	names := strings.Split(at, "/")
	for i, n := 0, d.samples[sample].Root; i < len(names) && n != nil; i++ {
		if n = n.Child(names[i]); n != nil {
			names[i] = cmp.Or(d.was[n], names[i])
		}
	}
	return strings.Join(names, "/")
}

// starters makes starters of files that hold the same in all samples, and texts to be
// filled of those that differ in known values alone.
func (l *learner) starters(folder string, root *line, read Contents) (list []Starter) {
	taken := map[string]string{} // by their paths, what they hold
	var walk func(ln *line)
	walk = func(ln *line) {
		for _, k := range ln.kids {
			if k.folder || k.many {
				walk(k)
				continue
			}
			var texts []string
			for _, in := range k.from {
				data, ok := read(in.sample, l.pathOf(in))
				if !ok || len(data) == 0 || len(in.env) > 0 {
					texts = nil
					break
				}
				texts = append(texts, string(data))
			}
			if len(texts) == 0 {
				continue
			}
			clause, text := "copy", texts[0]
			if !same(texts) {
				filled, ok := l.filled(k.from, texts)
				if !ok {
					continue
				}
				clause, text = "fill", filled
			}
			stem, _ := tree.Split(k.name)
			name := cmp.Or(slugged(strings.Join(plainWords(stem), " ")), "file")
			at := path.Join(folder, name+path.Ext(k.name))
			for n := 2; taken[at] != "" && taken[at] != text; n++ {
				at = path.Join(folder, name+"-"+strconv.Itoa(n)+path.Ext(k.name))
			}
			k.clauses = append(k.clauses, clause+": "+at)
			if taken[at] == "" {
				list = append(list, Starter{at, []byte(text)})
			}
			taken[at] = text
		}
	}
	walk(root)
	return list
}

func same(list []string) bool {
	for _, s := range list {
		if s != list[0] {
			return false
		}
	}
	return true
}

// plainWords are the words of a name without its slots.
func plainWords(name string) (list []string) {
	for _, t := range tokens(name) {
		if t.kind != mixed && t.kind != sign {
			list = append(list, t.text)
		}
	}
	return list
}

// filled is a text with slots that gives that of each instance.
func (l *learner) filled(from []*instance, texts []string) (string, bool) {
	if strings.ContainsAny(texts[0], "<>\x00") {
		return "", false
	}
	of := make([]map[string]string, len(from)) // what slots give, in each sample
	for i, in := range from {
		of[i] = map[string]string{}
		for _, f := range l.spellings[in.sample] {
			of[i][f.slot] = f.text
		}
	}
	for _, reading := range readings(l.within(nil, l.spellings[from[0].sample], texts[0]), texts[0]) {
		fits := reading != texts[0]
		for i := range texts {
			out := reading
			for slot, text := range of[i] {
				out = strings.ReplaceAll(out, slot, text)
			}
			fits = fits && out == texts[i]
		}
		if fits {
			return reading, true
		}
	}
	return "", false
}

// pathOf is where the thing of an instance lies in its sample.
func (l *learner) pathOf(in *instance) string {
	if l.paths == nil {
		l.paths = make([]map[*tree.Node]string, len(l.samples))
	}
	if l.paths[in.sample] == nil {
		l.paths[in.sample] = map[*tree.Node]string{}
		for at, n := range l.samples[in.sample].Root.All() {
			l.paths[in.sample][n] = strings.Clone(at)
		}
	}
	return l.paths[in.sample][in.node]
}

// A shelf has the starters of a template, as a folder would.
type shelf []Starter

// Open opens one of them.
func (s shelf) Open(name string) (fs.File, error) {
	for _, one := range s {
		if one.Path == name {
			return &starterFile{bytes.NewReader(one.Data), one}, nil
		}
	}
	return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
}

type starterFile struct {
	*bytes.Reader
	of Starter
}

func (f *starterFile) Close() error               { return nil }
func (f *starterFile) Stat() (fs.FileInfo, error) { return f, nil }
func (f *starterFile) Name() string               { return path.Base(f.of.Path) }
func (f *starterFile) Size() int64                { return int64(len(f.of.Data)) }
func (f *starterFile) Mode() fs.FileMode          { return 0o644 }
func (f *starterFile) ModTime() time.Time         { return time.Time{} }
func (f *starterFile) IsDir() bool                { return false }
func (f *starterFile) Sys() any                   { return nil }
