package label

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/template"
	"vestibula/core/value"
)

func TestBuildsMeetInOneLabel(t *testing.T) {
	build := func(text, client string) *Build {
		tpl := &template.Template{Name: "c.folders", Text: text}
		return NewBuild(tpl, template.Values{"client": value.Of(client), "stages": {Kind: value.List, Items: []value.Value{value.Of("a")}}},
			time.Date(2027, 3, 9, 10, 30, 0, 5, time.UTC), "0.1")
	}
	first, err := Add(nil, "4kq2", build("A <&>", "Åsgerd"))
	require.NoError(t, err)
	assert.JSONEq(t, `{"vestibula":1,"id":"4kq2","builds":[{"template":"c.folders","text":"A <&>","values":{"client":"Åsgerd","stages":["a"]},"built":"2027-03-09T10:30:00Z","version":"0.1"}]}`, string(first))
	again, err := Add(first, "other", build("A <&>", "Åsgerd"))
	require.NoError(t, err)
	assert.Nil(t, again, "the same build stands there already")
	second, err := Add(first, "other", build("A <&>", "Jun"))
	require.NoError(t, err)
	l, err := Parse(second)
	require.NoError(t, err)
	assert.Len(t, l.Builds, 2)
	third, err := Add(second, "", build("B", "Jun"))
	require.NoError(t, err)
	l, err = Parse(third)
	require.NoError(t, err)
	require.Len(t, l.Builds, 2)
	assert.Equal(t, "4kq2", l.ID, "a project stays the same")
	assert.Equal(t, "B", l.Builds[1].Text)
	for _, bad := range []string{"", "{", "[]", "{}", `{"vestibula":99}`, `{"vestibula":1,"builds":[null]}`} {
		_, err := Add([]byte(bad), "", build("A", "x"))
		assert.Error(t, err, bad)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(`{"vestibula":1,"id":"4kq2","builds":[{"values":{"a":1}}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		if l, err := Parse(data); err == nil {
			_, err = json.Marshal(l)
			require.NoError(t, err)
		}
	})
}
