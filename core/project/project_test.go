package project

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/label"
	"vestibula/core/template"
	"vestibula/core/value"
)

var now = time.Date(2027, 3, 9, 0, 0, 0, 0, time.UTC)

const text = "---\nfields: { year: { type: year }, client: Who?, spot: { default: \"\" } }\n---\n<year>\n    <client>\n        Notes\n        Plan.md | fill: starters/plan.md\n"

// put writes a label into a folder, and returns that.
func put(t *testing.T, dir string, change func(l *label.Label)) string {
	l := &label.Label{ID: "abc", Build: label.Build{Template: "t.folders", Text: text, Values: map[string]any{"year": "2027", "client": "Oriel Pask"}, Built: now, Version: "0"}}
	if change != nil {
		change(l)
	}
	require.NoError(t, os.MkdirAll(dir, 0o777))
	data, err := l.Encode()
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, label.FileName), data, 0o666))
	return dir
}

// open opens a project with what a shelf has.
func open(own address.Address, l *label.Label, shelf Shelf, now time.Time) (*Project, error) {
	return (&Store{Shelf: func(address.Address) Shelf { return shelf }, Now: now}).Open(own, l)
}

var none = Shelf{Starters: func(*label.Build) fs.FS { return nil }}

func TestAProjectIsFoundFromAnyFolderInIt(t *testing.T) {
	top, err := filepath.EvalSymlinks(t.TempDir())
	require.NoError(t, err)
	outer := put(t, filepath.Join(top, "2027", "Oriel Pask"), nil)
	inner := put(t, filepath.Join(outer, "Notes", "Inner"), func(l *label.Label) { l.ID = "def" })
	require.NoError(t, os.MkdirAll(filepath.Join(inner, "deep", "er"), 0o777))
	require.NoError(t, os.Symlink(filepath.Join(outer, "Notes"), filepath.Join(top, "a link")))
	for dir, want := range map[string]string{outer: outer, filepath.Join(outer, "Notes"): outer, inner: inner, filepath.Join(inner, "deep", "er"): inner, filepath.Join(top, "a link"): outer, top: "", filepath.Join(top, "2027"): ""} {
		own, l, err := Find(dir)
		require.NoError(t, err, dir)
		assert.EqualValues(t, want, own, dir)
		assert.Equal(t, want != "", l != nil, dir)
	}
	require.NoError(t, os.WriteFile(filepath.Join(inner, label.FileName), []byte("{"), 0o666))
	own, _, err := Find(filepath.Join(inner, "deep"))
	assert.EqualValues(t, inner, own)
	assert.ErrorContains(t, err, "is damaged")
}

func TestAProjectKnowsItsNamesWhateverTheyAreByNow(t *testing.T) {
	dir := put(t, filepath.Join(t.TempDir(), "Work of 2027", "Oriel"), nil)
	_, l, err := Find(dir)
	require.NoError(t, err)
	p, err := open(address.Address(dir), l, none, now)
	require.NoError(t, err)
	assert.Equal(t, map[int]string{7: "starters/plan.md"}, p.Missing, "starters that are not at hand")
	assert.Empty(t, p.Open())
	x, err := p.Template.Tree(p.Values, 100)
	require.NoError(t, err)
	wanted, real := p.Names(x.Root)
	assert.Equal(t, []string{"2027", "Oriel Pask"}, wanted)
	assert.Equal(t, []string{"Work of 2027", "Oriel"}, real)
	assert.EqualValues(t, filepath.Dir(filepath.Dir(dir)), p.Base(x.Root))
	// With its starters at hand, nothing is missing.
	p, err = open(address.Address(dir), l, Shelf{Starters: func(b *label.Build) fs.FS {
		assert.Equal(t, "t.folders", b.Template)
		return fstest.MapFS{"starters/plan.md": {Data: []byte("Plan for <client>")}}
	}}, now)
	require.NoError(t, err)
	assert.Empty(t, p.Missing)
}

func TestWhatALabelCannotSayIsAnError(t *testing.T) {
	for what, tt := range map[string]struct {
		change func(l *label.Label)
		want   string
	}{
		"a template that cannot be read": {func(l *label.Label) { l.Text = "<client" }, "the template in its label cannot be read"},
		"a value that cannot be":         {func(l *label.Label) { l.Values["year"] = "soon" }, "year"},
		"a field that is not there":      {func(l *label.Label) { l.Values["clint"] = "x" }, "did you mean \"client\"?"},
	} {
		dir := put(t, t.TempDir(), tt.change)
		_, l, err := Find(dir)
		require.NoError(t, err, what)
		_, err = open(address.Address(dir), l, none, now)
		assert.ErrorContains(t, err, tt.want, what)
		var bad *TemplateError
		var values *ValuesError
		assert.True(t, errors.As(err, &bad) || errors.As(err, &values), what)
	}
	// What is not known yet is listed.
	dir := put(t, t.TempDir(), func(l *label.Label) { l.Values["client"] = "?" })
	_, l, err := Find(dir)
	require.NoError(t, err)
	p, err := open(address.Address(dir), l, none, now)
	require.NoError(t, err)
	assert.Equal(t, []string{"client"}, p.Open())
	assert.Equal(t, value.Pending, p.Values["client"].Kind)
}

// A label of the first form, in which several builds stood, is read as the last of them.
func TestLabelsOfTheFirstFormAreRead(t *testing.T) {
	builds := []*label.Build{{Template: "a.folders", Text: "A\n", Values: map[string]any{}}, {Template: "t.folders", Text: text, Values: map[string]any{"year": "2027", "client": "Jun Teague"}}}
	data, err := json.Marshal(map[string]any{"vestibula": 1, "id": "x", "builds": builds})
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, label.FileName), data, 0o666))
	_, l, err := Find(dir)
	require.NoError(t, err)
	p, err := open(address.Address(dir), l, none, now)
	require.NoError(t, err)
	assert.Equal(t, template.Values{"year": {Kind: value.Year, Year: 2027}, "client": value.Of("Jun Teague")}, p.Values)
	assert.Len(t, l.Others, 1)
}
