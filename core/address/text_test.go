package address

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Whatever bytes a name holds, it comes back from JSON, from a key of JSON and from a cell.
func TestTextsComeBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		was := Text(rapid.OneOf(rapid.String(), rapid.Custom(func(t *rapid.T) string { return string(rapid.SliceOf(rapid.Byte()).Draw(t, "bytes")) }),
			rapid.SampledFrom([]string{"file:", "file:///%", "file:a%20b", "Regal-\xe4/x", "a%b", "file:\xff"})).Draw(t, "name"))
		all := map[string]Text{was.Key(): was}
		data, err := json.Marshal(all)
		require.NoError(t, err)
		var back map[string]Text
		require.NoError(t, json.Unmarshal(data, &back))
		assert.Equal(t, all, back)
		assert.Equal(t, was, OfKey(was.Key()))
		assert.Equal(t, []string{string(was)}, Strings(Texts([]string{string(was)})))
	})
}

// A text that is not written by this package stands for itself.
func TestOtherTextsAreThemselves(t *testing.T) {
	for _, text := range []string{"file:%zz", "file:%", "C:\\Clients", "/home/wren/100 %"} {
		assert.Equal(t, Text(text), OfKey(text))
	}
}
