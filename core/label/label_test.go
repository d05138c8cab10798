package label

import (
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
