package outline

import (
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Whatever a text is, YAML reads it as that, and as a text.
func TestQuotedIsReadAsTheSameText(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.OneOf(rapid.String(), rapid.SampledFrom([]string{"yes", "null", "~", "n", "2027", "1e5", "a: b", "x # y", "- a", "a\tb", "\u202eevil", "Übung", ""})).Draw(t, "text")
		read := map[string]any{}
		require.NoError(t, yaml.Unmarshal([]byte("title: "+Quoted(text)+"\n"), &read), Quoted(text))
		require.Equal(t, text, read["title"], Quoted(text))
	})
	assert.Equal(t, "clients", Quoted("clients"))
}

func TestTheQuestionOfAField(t *testing.T) {
	for field, asks := range map[string]string{"client": "Client?", "first-day": "First day?", "übung": "Übung?", "žába": "Žába?"} {
		assert.Equal(t, asks, Question(field))
	}
	assert.Empty(t, Capitalised(""))
}
