// Package project finds and opens what builds have made: the folder with a label in
// it, the template that it was built from, its values, and the tree that these want.
package project

import (
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"time"

	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/change"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Project is what a build made: one label, one build.
type Project struct {
	Dir      address.Address // its own folder, without links
	Label    *label.Label
	Template *template.Template
	Values   template.Values
	// Missing are the starters that are not at hand, by the numbers of their lines.
	Missing map[int]string
}

// Find returns the label of the project that a folder is, or lies in, and the own
// folder of that project. It climbs no further than the folders of the person who
// asks: a label in a folder of somebody else says nothing about what lies in it. There
// may be none, and then the label is nil. The error is that of a label which cannot
// be read, or a [KeptError].
func Find[P ~string](dir P) (own address.Address, l *label.Label, err error) {
	if own, err = place.Real(dir); err != nil {
		return "", nil, err
	}
	if by := Kept(own); by != "" {
		return own, nil, &KeptError{by}
	}
	for {
		l, _, err := ReadLabel(own)
		if err == nil {
			return own, l, nil
		}
		if !errors.Is(err, fs.ErrNotExist) {
			return own, nil, fmt.Errorf("%s: %w", own, err)
		}
		up := own.Parent()
		if up == own || !place.Owned(string(up)) {
			return "", nil, nil
		}
		own = up
	}
}

// Kept returns the backup or the bag that a folder is, or lies in, by its path, or one that
// never became whole; empty where it lies in none. What is kept so is a copy, and no project, whatever its label says.
func Kept(dir address.Address) address.Address {
	for {
		has := func(name string) bool { // also where it is a link, or cannot be read
			_, err := place.Lstat(string(dir.Join(name)))
			return err == nil
		}
		if strings.HasSuffix(string(dir), change.Unfinished) || has(bundle.BackupName) || has(bundle.Declaration) && (has(bundle.BagName) || !has(label.FileName)) {
			return dir
		}
		up := dir.Parent()
		if up == dir {
			return ""
		}
		dir = up
	}
}

// A KeptError says that what looks as a project is kept in a backup or a bag, or is not whole.
type KeptError struct{ By address.Address } // the path of that

// Error says so.
func (e *KeptError) Error() string {
	if strings.HasSuffix(string(e.By), change.Unfinished) {
		return string(e.By) + " is left of a run that was cut short: it is not whole"
	}
	return string(e.By) + " is a backup, and no project"
}

// Inside returns the own folder of the project that a folder only leads to: the one
// with a label below it, if on the way each folder holds one folder and nothing else
// that is not hidden.
func Inside(dir address.Address) (own address.Address, found bool) {
	for range maxLeading {
		entries, err := place.ReadDir(dir)
		if err != nil {
			return "", false
		}
		next := ""
		for _, e := range entries {
			switch {
			case e.Name() == label.FileName:
				return dir, true
			case strings.HasPrefix(e.Name(), "."):
			case next != "" || !e.IsDir():
				return "", false
			default:
				next = e.Name()
			}
		}
		if next == "" {
			return "", false
		}
		dir = dir.Join(next)
	}
	return "", false
}

// maxLeading is how many folders may lead to a project.
const maxLeading = 16

// A TemplateError says that the template in a label can no longer be read.
type TemplateError struct {
	Name, Text string
	Err        error // an [vestibula/core/outline.Errors]
}

// Error names the template.
func (e *TemplateError) Error() string {
	return "the template in its label cannot be read: " + e.Err.Error()
}

// Unwrap returns what is wrong with it.
func (e *TemplateError) Unwrap() error { return e.Err }

// A ValuesError says that values in a label are not those of its template.
type ValuesError struct{ Errs []*template.ValueError }

// Error names the values.
func (e *ValuesError) Error() string {
	texts := make([]string, len(e.Errs))
	for i, v := range e.Errs {
		texts[i] = v.Error()
	}
	return strings.Join(texts, "; ")
}

// A Shelf is what templates need beside their texts.
type Shelf struct {
	// Starters returns the folder that the template of a label takes its starters
	// from, or nil where it is not at hand.
	Starters func(l *label.Build) fs.FS
	Guide    template.Guide
}

// Parse reads the template in a label. Where its starters are not at hand, missing are those
// that it would start from, by the numbers of their lines. The error is a [TemplateError].
func Parse(l *label.Label, shelf Shelf) (t *template.Template, missing map[int]string, err error) {
	if from := shelf.Starters(&l.Build); from != nil {
		if t, err = template.Parse(l.Template, l.Text, from); err == nil {
			t.Guide = shelf.Guide
			return t, nil, nil
		}
	}
	text, missing := label.WithoutStarters(l.Text)
	if t, err = template.Parse(l.Template, text, nil); err != nil {
		return nil, nil, &TemplateError{l.Template, text, err}
	}
	t.Guide = shelf.Guide
	return t, missing, nil
}

// With opens a project whose template has been read: see [Parse].
func With(own address.Address, l *label.Label, t *template.Template, missing map[int]string, now time.Time) (*Project, error) {
	p := &Project{Dir: own, Label: l, Template: t, Missing: missing}
	var errs []*template.ValueError
	if p.Values, errs = t.ParseValues(l.Raw(), now); len(errs) > 0 {
		return nil, &ValuesError{errs}
	}
	return p, nil
}

// Lacks returns the starter of something in a tree of the project's template that is
// not at hand, or "": what lies in a folder counts as well.
func (p *Project) Lacks(n *tree.Node) string {
	from := func(n *tree.Node) string {
		if l := p.Template.LineOf(n); l != nil {
			return p.Missing[l.Syntax.Number]
		}
		return ""
	}
	if missing := from(n); missing != "" {
		return missing
	}
	for _, c := range n.All() {
		if missing := from(c); missing != "" {
			return missing
		}
	}
	return ""
}

// Open are the fields whose values are not known yet, in the order of the header.
func (p *Project) Open() (fields []string) {
	for _, name := range p.Template.FieldNames() {
		if p.Values[name].Kind == value.Pending {
			fields = append(fields, name)
		}
	}
	return fields
}

// Names are the names that the folders on the way to the project's own folder have,
// and that folder itself, in the tree that its template makes; and those that they
// have on the disk, which may be others by now.
func (p *Project) Names(root *tree.Node) (wanted, real []string) {
	path, _ := p.Template.Own(root)
	if path == "." {
		return nil, nil
	}
	wanted = strings.Split(path, "/")
	at := p.Dir
	for range wanted {
		real = append(real, at.Name())
		at = at.Parent()
	}
	slices.Reverse(real)
	return wanted, real
}

// Base is the folder that the project was built into: the one that its template's
// tree begins in.
func (p *Project) Base(root *tree.Node) address.Address {
	wanted, _ := p.Names(root)
	at := p.Dir
	for range wanted {
		at = at.Parent()
	}
	return at
}
