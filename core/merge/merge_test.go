package merge

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/change"
	"vestibula/core/tree"
)

// A disk is what lies at which path: what a file holds, or nothing for a folder.
type disk map[string]string

// tree returns what lies in a folder.
func (d disk) tree(at string) *tree.Node {
	n := &tree.Node{Name: path.Base(at)}
	for _, p := range slices.Sorted(maps.Keys(d)) {
		if holds := d[p]; path.Dir(p) == at {
			if holds == "" {
				n.Children = append(n.Children, d.tree(p))
				continue
			}
			n.Children = append(n.Children, &tree.Node{Name: path.Base(p), Kind: tree.File})
		}
	}
	return n
}

// apply does what changes say: paths that lead somewhere are those of afterwards.
func (d disk) apply(t require.TestingT, list []change.Change) disk {
	after := disk{}
	gone := map[string]bool{}
	for _, c := range list {
		if c.Op == change.Move {
			for p, holds := range d {
				if p == c.From || strings.HasPrefix(p, c.From+"/") {
					to := c.Path + p[len(c.From):]
					_, twice := after[to]
					require.False(t, twice, "%s is made twice", to)
					after[to], gone[p] = holds, true
				}
			}
			continue
		}
		require.False(t, gone[c.Path], "%s is taken away twice", c.Path)
		gone[c.Path] = true
	}
	for p, holds := range d {
		if !gone[p] {
			_, twice := after[p]
			require.False(t, twice, "%s takes the place of something", p)
			after[p] = holds
		}
	}
	return after
}

// Whatever two folders hold: what the one holds is in the other, which keeps all that it
// had; nothing is lost, and no two names are one to any system.
func TestFoldersArePutTogetherAndNothingIsLost(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := disk{"In": "", "Out": "", "Third": ""}
		taken := map[string]bool{} // by names as some systems see them
		var fill func(at string, deep int)
		fill = func(at string, deep int) {
			for range rapid.IntRange(0, 4).Draw(t, "entries") {
				name := rapid.SampledFrom([]string{"a.txt", "A.txt", "b", "b.tar.gz", "c d.md", "a (from Out).txt", ".h"}).Draw(t, "name")
				p := path.Join(at, name)
				if key := at + "/" + tree.Folded(name); taken[key] {
					continue
				} else {
					taken[key] = true
				}
				if deep < 2 && rapid.Bool().Draw(t, "folder") {
					d[p] = ""
					fill(p, deep+1)
				} else {
					d[p] = rapid.SampledFrom([]string{"one", "two", "three"}).Draw(t, "holds")
				}
			}
		}
		fill("In", 0)
		fill("Out", 0)
		fill("Third", 0)
		m := &Merger{Own: func(string) bool { return false }, Sum: func(p string) (string, error) {
			holds, there := d[p]
			require.True(t, there && holds != "", "%s is no file", p)
			return holds, nil
		}}
		in := d.tree("In")
		var list []change.Change
		for _, from := range []string{"Out", "Third"} {
			more, err := m.Put(d.tree(from), from, in, "In", "In")
			require.NoError(t, err)
			list = append(list, more...)
		}
		after := d.apply(t, list)
		for p, holds := range d {
			if strings.HasPrefix(p, "In") {
				assert.Equal(t, holds, after[p], "%s stays as it is", p)
			}
		}
		held := slices.Collect(maps.Values(after))
		for _, holds := range d {
			assert.Contains(t, held, holds)
		}
		names := map[string]bool{}
		for p := range after {
			require.True(t, strings.HasPrefix(p, "In"), "%s is left", p)
			key := path.Dir(p) + "/" + tree.Folded(path.Base(p))
			assert.False(t, names[key], "two things are called %s", p)
			names[key] = true
			parent := path.Dir(p)
			holds, there := after[parent]
			assert.True(t, parent == "." || there && holds == "", "%s has no folder", p)
		}
		for _, c := range list {
			if c.Op == change.Remove && c.Was.Kind == tree.File {
				assert.Equal(t, d[c.Path], after[c.Instead], "%s is there as %s", c.Path, c.Instead)
			}
		}
	})
}

func TestProjectsAndWhatIsKeptStay(t *testing.T) {
	d := disk{"In": "", "Out": "", "Out/.own": "x", "Kept": "", "Kept/.vestibula-abc": "", "Kept/a": "1", "Deep": "", "Deep/b": "", "Deep/b/.own": "y"}
	m := &Merger{Own: func(p string) bool { return path.Base(p) == ".own" }, Goes: func(p string) bool { return p == "Kept/gone" }}
	_, err := m.Put(d.tree("Out"), "Out", d.tree("In"), "In", "In")
	assert.EqualError(t, err, "“Out” is a project of its own, and stays one")
	list, err := m.Put(d.tree("Kept"), "Kept", d.tree("In"), "In", "Now")
	require.NoError(t, err)
	require.Len(t, list, 1, "the folder stays with what is kept in it")
	assert.Equal(t, "Kept/a>Now/a", list[0].From+">"+list[0].Path)
	list, err = m.Put(d.tree("Deep"), "Deep", d.tree("In"), "In", "In")
	require.NoError(t, err)
	assert.Len(t, list, 2, "a project in it goes along as a whole")
	long := strings.Repeat("ö", 200)
	name := BesideName(&tree.Node{Name: strings.Repeat("ä", 120) + ".txt", Kind: tree.File}, shortened(long, maxName/3), func(n string) bool {
		return strings.HasSuffix(n, fmt.Sprintf("(from %s).txt", shortened(long, maxName/3)))
	})
	assert.LessOrEqual(t, len(name), maxName)
	assert.True(t, strings.HasSuffix(name, ", 2).txt"), name)
}
