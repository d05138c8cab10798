package address

import (
	"path"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// What is joined to an address is found again from it, and lies within it, and nothing beside it does.
func TestAddressesAreJoinedAndFound(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.SampledFrom([]string{"a", "b", "Oriel Pask", "ö", "a.b"})
		top := Address(filepath.Join(string(filepath.Separator), name.Draw(t, "top")))
		below := path.Join(rapid.SliceOfN(name, 1, 3).Draw(t, "below")...)
		at := top.Join(below)
		got, is := at.From(top)
		assert.True(t, is)
		assert.Equal(t, below, got)
		assert.True(t, at.Within(top))
		assert.False(t, top.Within(at))
		assert.False(t, Address(string(at)+"x").Within(at), "a longer name lies beside it")
		assert.Equal(t, at, at.Parent().Join(at.Name()))
		got, is = at.From(at)
		assert.True(t, is)
		assert.Equal(t, ".", got)
		assert.True(t, at.Within(Address(filepath.Separator)))
	})
	assert.Equal(t, "/a, /b", List([]Address{"/a", "/b"}))
}
