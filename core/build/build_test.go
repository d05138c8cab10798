package build

import (
	"errors"
	"io"
	"path"
	"slices"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/tree"
)

// A memory is a place in memory: paths and what is there.
type memory struct {
	tree.Place
	items  map[string]tree.Kind
	texts  map[string]string
	sealed map[string]bool // folders in which nothing can be made
	broken map[string]bool // folders that cannot be read
	listed []string
}

func (m *memory) List(at string) ([]tree.Entry, error) {
	m.listed = append(m.listed, at)
	if m.broken[at] {
		return nil, errors.New("the medium is gone")
	}
	var list []tree.Entry
	for p, kind := range m.items {
		if path.Dir(p) == at {
			list = append(list, tree.Entry{Name: path.Base(p), Kind: kind})
		}
	}
	return list, nil
}

func (m *memory) Open(at string) (io.ReadCloser, error) {
	return io.NopCloser(strings.NewReader(m.texts[at])), nil
}

func (m *memory) Writable(at string) error {
	if m.sealed[at] {
		return errors.New("denied")
	}
	return nil
}

type text string

func (c text) Source() string               { return "test" }
func (c text) Open() (io.ReadCloser, error) { return io.NopCloser(strings.NewReader(string(c))), nil }

// wanted makes a tree from paths; those that end in .md are files that hold
// their own name.
func wanted(paths ...string) *tree.Node {
	root := &tree.Node{}
	for _, p := range paths {
		n := root
		for name := range strings.SplitSeq(p, "/") {
			c := n.Child(name)
			if c == nil {
				c = &tree.Node{Name: name}
				if strings.HasSuffix(name, ".md") {
					c.Kind, c.Content = tree.File, text(name)
				}
				n.Children = append(n.Children, c)
			}
			n = c
		}
	}
	return root
}

// states writes a plan as "path state" lines.
func states(p *Plan) []string {
	var lines []string
	for i, s := range p.Steps {
		lines = append(lines, p.Path(i)+" "+s.State.String())
	}
	return lines
}

func TestAPlanSaysForEachNameWhatWillBeDone(t *testing.T) {
	want := wanted("P/A/a.md", "P/A/b.md", "P/B/C", "P/c.md")
	tests := map[string]struct {
		there  *memory
		states []string
		why    string
	}{
		"nothing is there": {
			&memory{},
			[]string{"P new", "P/A new", "P/A/a.md new", "P/A/b.md new", "P/B new", "P/B/C new", "P/c.md new"}, "",
		},
		"some of it is there": {
			&memory{
				items: map[string]tree.Kind{"P": tree.Folder, "P/A": tree.Folder, "P/A/a.md": tree.File, "P/A/b.md": tree.File, "P/other": tree.File},
				texts: map[string]string{"P/A/a.md": "a.md", "P/A/b.md": "edited"},
			},
			[]string{"P there", "P/A there", "P/A/a.md there", "P/A/b.md kept", "P/B new", "P/B/C new", "P/c.md new"}, "",
		},
		"a file where a folder must be": {
			&memory{items: map[string]tree.Kind{"P": tree.Folder, "P/A": tree.File}},
			[]string{"P there", "P/A blocked", "P/A/a.md new", "P/A/b.md new", "P/B new", "P/B/C new", "P/c.md new"}, "a file of that name is there, where a folder must be",
		},
		"a folder where a file must be": {
			&memory{items: map[string]tree.Kind{"P": tree.Folder, "P/c.md": tree.Folder}},
			[]string{"P there", "P/A new", "P/A/a.md new", "P/A/b.md new", "P/B new", "P/B/C new", "P/c.md blocked"}, "a folder of that name is there, where a file must be",
		},
		"a link": {
			&memory{items: map[string]tree.Kind{"P": tree.Symlink}},
			[]string{"P blocked", "P/A new", "P/A/a.md new", "P/A/b.md new", "P/B new", "P/B/C new", "P/c.md new"}, "a link to somewhere else of that name is there",
		},
		"a device": {
			&memory{items: map[string]tree.Kind{"P": tree.Folder, "P/c.md": tree.Other}},
			[]string{"P there", "P/A new", "P/A/a.md new", "P/A/b.md new", "P/B new", "P/B/C new", "P/c.md blocked"}, "no ordinary file of that name is there",
		},
		"another case": {
			&memory{items: map[string]tree.Kind{"p": tree.Folder}},
			[]string{"P blocked", "P/A new", "P/A/a.md new", "P/A/b.md new", "P/B new", "P/B/C new", "P/c.md new"}, "“p” is there, spelled with other capitals or accents",
		},
		"no right to write, where something is new": {
			&memory{items: map[string]tree.Kind{"P": tree.Folder, "P/A": tree.Folder, "P/B": tree.Folder, "P/B/C": tree.Folder}, sealed: map[string]bool{"P": true, "P/B": true}},
			[]string{"P there", "P/A there", "P/A/a.md new", "P/A/b.md new", "P/B there", "P/B/C there", "P/c.md blocked"}, "you may not make anything in “P”",
		},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			p, err := Compare(want, tt.there)
			require.NoError(t, err)
			assert.Equal(t, tt.states, states(p))
			for _, s := range p.Steps {
				if s.State == Blocked {
					assert.Contains(t, s.Why, tt.why)
				} else {
					assert.Empty(t, s.Why)
				}
			}
		})
	}
}

func TestNormalFormsAreOneName(t *testing.T) {
	p, err := Compare(wanted("caf\u00e9"), &memory{items: map[string]tree.Kind{"cafe\u0301": tree.Folder}})
	require.NoError(t, err)
	assert.Equal(t, Blocked, p.Steps[0].State)
}

func TestWhatIsNewAndLooksLikeItsNeighbourIsNoted(t *testing.T) {
	const oriel, part = "\u041eriel", "\u0420art" // Cyrillic letters come first
	there := &memory{items: map[string]tree.Kind{"Oriel": tree.Folder, "C": tree.Folder, "C/Oriel": tree.Folder, "C/" + part: tree.Folder, "Part I": tree.Folder}}
	p, err := Compare(wanted(oriel, "C/"+oriel+"/Part/"+part, "C/"+oriel+"/Part 1", "C/Part", "C/"+part, "Part 1", "caf\u00e9"), there)
	require.NoError(t, err)
	assert.ElementsMatch(t, []Alike{
		{oriel, "Oriel", 0x041e},
		{"C/" + oriel, "Oriel", 0x041e},
		{"C/Part", part, 0x0420}, // the character may be the neighbour's
	}, p.Alike)
	p, err = Compare(wanted("New/Part", "New/"+part), there)
	require.NoError(t, err)
	assert.Equal(t, []Alike{{"New/" + part, "Part", 0x0420}}, p.Alike, "both are new")
}

func TestAFolderThatCannotBeReadStopsThePlan(t *testing.T) {
	_, err := Compare(wanted("P/A"), &memory{items: map[string]tree.Kind{"P": tree.Folder}, broken: map[string]bool{"P": true}})
	assert.ErrorContains(t, err, "P cannot be read: the medium is gone")
}

// For any two sets of folders, the plan makes exactly what is missing, looks at
// no folder that cannot matter, and puts each folder before what lies in it.
func TestPlansMakeExactlyWhatIsMissing(t *testing.T) {
	paths := rapid.SliceOfN(rapid.StringMatching(`[abc](/[abc]){0,3}`), 1, 12)
	rapid.Check(t, func(t *rapid.T) {
		want := wanted(paths.Draw(t, "wanted")...)
		there := &memory{items: map[string]tree.Kind{}}
		for _, p := range paths.Draw(t, "there") {
			for ; p != "."; p = path.Dir(p) {
				there.items[p] = tree.Folder
			}
		}
		p, err := Compare(want, there)
		require.NoError(t, err)
		seen := map[string]bool{}
		i := 0
		for at := range want.All() {
			require.Equal(t, at, p.Path(i))
			state := New
			if _, ok := there.items[at]; ok {
				state = There
			}
			assert.Equal(t, state, p.Steps[i].State, at)
			if parent := path.Dir(at); parent != "." {
				assert.True(t, seen[parent], "%s comes before %s", parent, at)
				assert.Equal(t, parent, p.Path(int(p.Steps[i].Parent)))
			}
			seen[at] = true
			i++
		}
		assert.Len(t, p.Steps, i)
		folders, files := p.Made()
		assert.Equal(t, []int{p.Count[New], 0}, []int{folders, files})
		for _, at := range there.listed {
			assert.True(t, at == "." || seen[at], "%s was looked at for nothing", at)
		}
		assert.Len(t, slices.Compact(slices.Sorted(slices.Values(there.listed))), len(there.listed), "no folder is listed twice")
	})
}

func TestSameBytesIsEquality(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a := rapid.SliceOfN(rapid.Byte(), 0, 70_000).Draw(t, "a")
		b := a
		if rapid.Bool().Draw(t, "other") {
			b = append(append([]byte{}, a...), rapid.SliceOfN(rapid.Byte(), 0, 3).Draw(t, "more")...)
			if len(b) > 0 && rapid.Bool().Draw(t, "flipped") {
				b[rapid.IntRange(0, len(b)-1).Draw(t, "at")] ^= 1
			}
		}
		same, err := sameBytes(strings.NewReader(string(a)), strings.NewReader(string(b)))
		require.NoError(t, err)
		assert.Equal(t, string(a) == string(b), same)
	})
	_, err := sameBytes(iotest.ErrReader(errors.New("the medium is gone")), strings.NewReader(""))
	assert.Error(t, err)
}
