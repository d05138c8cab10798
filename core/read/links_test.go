package read

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/change"
)

// A folder of links follows what is wanted; what somebody has made or changed in it is theirs.
func TestLinksFollowWhatIsWanted(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "All")
	link := func(name, to string) { require.NoError(t, os.Symlink(to, filepath.Join(dir, name))) }
	plan := func(want map[string]string) (p *LinkPlan, lines []string) {
		f, err := OpenLinks(dir)
		require.NoError(t, err)
		p, err = f.Plan(want)
		require.NoError(t, err)
		for _, c := range p.Changes {
			lines = append(lines, c.Op.String()+" "+c.Path)
		}
		return p, lines
	}
	p, lines := plan(map[string]string{"a": "../a", "b": "../b"})
	assert.Equal(t, []string{"make All", "make All/a", "make All/b", "make All/" + LinksFile}, lines)
	assert.Equal(t, [3]int{2, 0, 2}, [3]int{p.Made, p.Gone, p.Kept})

	require.NoError(t, os.Mkdir(dir, 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(dir, LinksFile), []byte(`{"gone":"../gone","kept":"../kept","theirs":"../was"}`), 0o666))
	link("gone", "../gone")
	link("kept", "../kept")
	link("theirs", "../changed")
	link("own", "../own")
	p, lines = plan(map[string]string{"kept": "../kept", "theirs": "../was", "own": "../x", "new": "../new"})
	assert.Equal(t, []string{"remove All/gone", "make All/new", "replace All/" + LinksFile}, lines)
	assert.Equal(t, []string{"own", "theirs"}, p.Taken)
	assert.Equal(t, [3]int{1, 1, 2}, [3]int{p.Made, p.Gone, p.Kept})
	assert.Equal(t, []address.Address{address.Address(filepath.Dir(dir))}, p.Places)
	assert.Equal(t, change.Remove, p.Changes[0].Op)

	require.NoError(t, os.WriteFile(filepath.Join(dir, LinksFile), []byte("{"), 0o666))
	_, err := OpenLinks(dir)
	assert.Error(t, err)
	require.NoError(t, os.Remove(filepath.Join(dir, LinksFile)))
	_, err = OpenLinks(dir)
	assert.ErrorIs(t, err, ErrOthers, "it holds other things")
}
