package change

import (
	"testing"

	"vestibula/core/address"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWritingIsMakingReplacingAndRemoving(t *testing.T) {
	for _, c := range []struct {
		was, is []byte
		want    string
	}{
		{nil, []byte("b"), "make f"}, {[]byte("a"), []byte("b"), "replace f"}, {[]byte("a"), nil, "remove f"}, {[]byte("a"), []byte("a"), ""}, {nil, nil, ""}, {[]byte{}, []byte("b"), "replace f"},
	} {
		s := &Set{}
		s.Write(At{Path: "f"}, c.was, c.is, "")
		got := ""
		for _, line := range written(s.Changes) {
			got += line
		}
		assert.Equal(t, c.want, got, "%q to %q", c.was, c.is)
	}
}

func TestPathsAreFoundInTheInnermostPlace(t *testing.T) {
	s := &Set{Places: []address.Address{"/a", "/a/b", "/"}}
	for full, want := range map[string]At{"/a/x": {0, "x"}, "/a/b/x/y": {1, "x/y"}, "/ab/x": {2, "ab/x"}, "/a/bc": {0, "bc"}} {
		at, err := s.Find(address.Address(full))
		require.NoError(t, err)
		assert.Equal(t, want, at, full)
	}
	_, err := (&Set{Places: []address.Address{"/a"}}).Find("/b/x")
	assert.EqualError(t, err, "/b/x lies elsewhere")
	assert.Equal(t, 1, s.Place("/a/b"))
	assert.Equal(t, 3, s.Place("/c"))
}

func TestFoldersOnTheWayAreMadeOnce(t *testing.T) {
	s := &Set{Places: []address.Address{"/p", "/q"}}
	way := s.Way(func(at At) bool { return at.Path == "a" })
	way.Knows(At{Path: "k"})
	assert.Equal(t, 2, way.To(At{Path: "a/b/c"}, ""))
	assert.Equal(t, 1, way.To(At{Path: "a/b/d"}, ""))
	assert.Equal(t, 1, way.To(At{Path: "k/e"}, ""))
	assert.Equal(t, 0, way.To(At{Path: "a/b"}, "")+way.To(At{Path: "."}, ""))
	assert.Equal(t, 2, way.To(At{In: 1, Path: "k/b"}, ""), "another place is another place")
	assert.Equal(t, []string{"make a/b", "make a/b/c", "make a/b/d", "make k/e", "make k", "make k/b"}, written(s.Changes))
}

func TestSetsAreJoinedByTheirPlaces(t *testing.T) {
	s := &Set{Places: []address.Address{"/a", "/b"}}
	other := &Set{Places: []address.Address{"/c", "/b"}}
	other.Move(At{0, "x"}, At{1, "y"}, State{}, "")
	assert.Equal(t, []int{2, 1}, s.Join(other))
	assert.Equal(t, []address.Address{"/a", "/b", "/c"}, s.Places)
	assert.Equal(t, [2]int{2, 1}, [2]int{s.Changes[0].FromIn, s.Changes[0].In})
	assert.Equal(t, 0, other.Changes[0].FromIn, "the other one stays as it was")
}
