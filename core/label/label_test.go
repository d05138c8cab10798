package label

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/template"
	"vestibula/core/value"
)

func TestLabelsOfBothFormsAreRead(t *testing.T) {
	tpl := &template.Template{Name: "c.folders", Text: "A <&>"}
	l := &Label{ID: "4kq2", Given: map[string]string{"a.md": "5e"}, Accepted: []Accepted{{Path: "Drafts", Why: "so"}}}
	l.Build = *NewBuild(tpl, template.Values{"client": value.Of("Åsgerd"), "stages": {Kind: value.List, Items: []value.Value{value.Of("a")}}, "kind": value.OfOpen("kind")},
		time.Date(2027, 3, 9, 10, 30, 0, 5, time.UTC), "0.1")
	data, err := l.Encode()
	require.NoError(t, err)
	assert.JSONEq(t, `{"vestibula":2,"id":"4kq2","template":"c.folders","text":"A <&>","values":{"client":"Åsgerd","stages":["a"],"kind":"?"},"built":"2027-03-09T10:30:00Z","version":"0.1","given":{"a.md":"5e"},"accepted":[{"path":"Drafts","why":"so"}]}`, string(data))
	back, err := Parse(data)
	require.NoError(t, err)
	assert.True(t, back.Same(&l.Build))
	assert.Equal(t, l.Given, back.Given)
	assert.Equal(t, template.Raw{Text: "?"}, back.Raw()["kind"])

	first, err := Parse([]byte(`{"vestibula":1,"id":"x","builds":[{"template":"c.folders","text":"B","values":{"a":"1"}},{"template":"c.folders","text":"A","values":{"a":"2"}}]}`))
	require.NoError(t, err)
	assert.Equal(t, "A", first.Text, "the last build")
	require.Len(t, first.Others, 1)
	assert.False(t, first.SameValues(first.Others[0]))
	for _, bad := range []string{"", "{", "[]", "{}", `{"vestibula":99}`, `{"vestibula":1,"builds":[null]}`, `{"vestibula":1,"builds":[]}`, `{"vestibula":2,"id":"x"}`} {
		_, err := Parse([]byte(bad))
		assert.Error(t, err, bad)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(`{"vestibula":1,"id":"4kq2","builds":[{"values":{"a":1}}]}`))
	f.Add([]byte(`{"vestibula":2,"template":"a","text":"b","given":{"a":"b"},"accepted":[{}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		if l, err := Parse(data); err == nil {
			_, err = l.Encode()
			require.NoError(t, err)
		}
	})
}

// What was given and accepted is known by its paths, and these follow what moves.
func TestWhatALabelNamesFollowsMoves(t *testing.T) {
	for _, x := range []struct {
		what  string
		moves map[string]string // "" for out of the project
		given string
		other string
		moved bool
	}{
		{"nothing", map[string]string{}, "a.md=1 b/c.md=2 b/d.md=3", "b", false},
		{"a file", map[string]string{"a.md": "x/a.md"}, "b/c.md=2 b/d.md=3 x/a.md=1", "b", true},
		{"a folder", map[string]string{"b": "z"}, "a.md=1 z/c.md=2 z/d.md=3", "z", true},
		{"out", map[string]string{"b/c.md": ""}, "a.md=1 b/d.md=3", "b", true},
		{"onto one that is there", map[string]string{"b/c.md": "b/d.md"}, "a.md=1 b/d.md=3", "b", true},
		{"all of it out", map[string]string{"a.md": "", "b": ""}, "", "", true},
	} {
		l := &Label{Given: map[string]string{"a.md": "1", "b/c.md": "2", "b/d.md": "3"}, Accepted: []Accepted{{Path: "b", Why: "so"}}}
		moved := l.Follow(func(at string) (string, bool) {
			for from, to := range x.moves {
				if at == from || strings.HasPrefix(at, from+"/") {
					return to + at[len(from):], to != ""
				}
			}
			return at, true
		})
		assert.Equal(t, x.moved, moved, x.what)
		var given, accepted []string
		for at, sum := range l.Given {
			given = append(given, at+"="+sum)
		}
		for _, a := range l.Accepted {
			accepted = append(accepted, a.Path)
		}
		slices.Sort(given)
		assert.Equal(t, x.given, strings.Join(given, " "), x.what)
		assert.Equal(t, x.other, strings.Join(accepted, " "), x.what)
	}
}
