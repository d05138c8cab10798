package change

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/address"
	"vestibula/core/digest"
	"vestibula/core/tree"
)

// set makes a set from lines such as "move a b/c", "make d/", "make e.txt" and
// "remove f/".
func set(lines ...string) *Set {
	s := &Set{Places: []address.Address{"/place"}}
	for _, l := range lines {
		words := strings.Fields(l)
		c := Change{Op: Op(slices.Index(opWords[:], words[0]))}
		last := words[len(words)-1]
		kind := tree.File
		if p, ok := strings.CutSuffix(last, "/"); ok {
			last, kind = p, tree.Folder
		}
		c.Path, c.Was.Kind = last, kind
		switch c.Op {
		case Move, Copy:
			c.From = words[1]
		case Make:
			c.Node = &tree.Node{Name: path.Base(last), Kind: kind}
		}
		s.Changes = append(s.Changes, c)
	}
	return s
}

// written is the list as lines like those of set.
func written(list []Change) (lines []string) {
	for _, c := range list {
		lines = append(lines, strings.Join(strings.Fields(fmt.Sprintf("%s %s %s", c.Op, c.From, c.Path)), " "))
	}
	return lines
}

func TestChangesArePutIntoAnOrderThatWorks(t *testing.T) {
	tests := map[string]struct{ set, want []string }{
		"as they stand, where nothing moves": {
			[]string{"make a/", "make a/b.txt", "replace c"}, []string{"make a", "make a/b.txt", "replace c"}},
		"folders before what lies in them": {
			[]string{"make a/b/", "make a/"}, []string{"make a", "make a/b"}},
		"a row of names, the last first": {
			[]string{"move 01 02", "move 02 03", "move 03 04"}, []string{"move 03 04", "move 02 03", "move 01 02"}},
		"two names that change places": {
			[]string{"move a b", "move b a"}, []string{"move a w/0", "move b a", "move w/0 b"}},
		"a name that some systems take for the same": {
			[]string{"move a A"}, []string{"move a w/0", "move w/0 A"}},
		"a folder into a new one that takes its name": {
			[]string{"move a a/b", "make a/"}, []string{"move a w/0", "make a", "move w/0 a/b"}},
		"a folder that changes places with what lies in it": {
			[]string{"move a/b a", "move a a/b"}, []string{"move a w/0", "move w/0/b a", "move w/0 a/b"}},
		"what lies in a folder goes before it is removed": {
			[]string{"remove a/", "move a/x b", "remove a/c/"}, []string{"move a/x b", "remove a/c", "remove a"}},
		"what is removed is out of the way": {
			[]string{"move b a", "remove a"}, []string{"remove a", "move b a"}},
		"new contents come last, in new places": {
			[]string{"replace n/x", "move a n"}, []string{"move a n", "replace n/x"}},
		"inside of what is renamed": {
			[]string{"move a b", "move a/1 b/2"}, []string{"move a b", "move b/1 b/2"}},
		"a copy before its source goes": {
			[]string{"move a b", "copy a c"}, []string{"copy a c", "move a b"}},
	}
	for name, tt := range tests {
		t.Run(name, func(t *testing.T) {
			list, bad := set(tt.set...).Order("w")
			require.Empty(t, bad)
			assert.Equal(t, tt.want, written(list))
		})
	}
	for why, lines := range map[string][]string{
		"two of these changes would make this, from “a”": {"move a c", "move b c"},
		"another change takes this away as well":         {"move a b", "move a c"},
		"another change writes this as well":             {"replace a", "replace a"},
		"leads out of its place":                         {"move a ../b"},
	} {
		_, bad := set(lines...).Order("w")
		require.NotEmpty(t, bad, lines)
		assert.Contains(t, bad[0].Why, why)
	}
}

// What is known at a glance to work in any order is what the order finds as well.
func TestNamesAloneNeedNoOrder(t *testing.T) {
	glances := 0
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.SampledFrom([]string{"a", "A", "b", "c", "d/a", "d"})
		var lines []string
		for range rapid.IntRange(1, 5).Draw(t, "moves") {
			lines = append(lines, "move "+name.Draw(t, "from")+" "+name.Draw(t, "to"))
		}
		s := set(lines...)
		if !s.namesOnly() {
			return
		}
		glances++
		list, bad := s.inOrder("w")
		require.Empty(t, bad, lines)
		require.Equal(t, lines, written(list))
		for _, c := range list {
			require.True(t, c.Loose, lines)
		}
	})
	assert.Positive(t, glances)
	assert.True(t, set("move x/a x/b", "move x/c x/d", "move y y2").namesOnly())
	for _, lines := range [][]string{{"move x/a x/b", "move x z"}, {"move b c", "move a b"}, {"move a b", "move b c"}, {"move a A"}, {"move é x", "move y e\u0301"}, {"move a c", "move b C"}} {
		assert.False(t, set(lines...).namesOnly(), lines)
	}
}

// A memory is a place in memory: paths and what they hold; "/" of folders.
type memory map[string]string

func (m memory) List(at string) (list []tree.Entry, err error) {
	if e, err := m.Look(at); err == nil && e.Kind == tree.File {
		return nil, errors.New("not a folder")
	}
	for p := range m {
		if path.Dir(p) == at {
			e, _ := m.Look(p)
			list = append(list, e)
		}
	}
	return list, nil
}

func (m memory) Look(at string) (tree.Entry, error) {
	text, ok := m[at]
	if !ok {
		return tree.Entry{}, fs.ErrNotExist
	}
	e := tree.Entry{Name: path.Base(at), Kind: tree.File, Size: int64(len(text)), Time: 1, Ino: 1}
	if text == "/" {
		e.Kind = tree.Folder
	}
	return e, nil
}

func (m memory) Open(at string) (io.ReadCloser, error) {
	return io.NopCloser(strings.NewReader(m[at])), nil
}
func (memory) Writable(at string) error {
	if at == "sealed" {
		return fs.ErrPermission
	}
	return nil
}
func (memory) MaxPath() int               { return 40 }
func (memory) Far() bool                  { return false }
func (memory) PathLength(path string) int { return len(path) }

// An otherDisk is a place in memory that lies on another disk.
type otherDisk struct{ memory }

func (o otherDisk) Look(at string) (tree.Entry, error) {
	e, err := o.memory.Look(at)
	e.Dev = 7
	return e, err
}

// Files go to another disk, several at a time; the power goes while two of them are
// on both.
func TestSeveralMovesMayBeHalfDone(t *testing.T) {
	var list []Change
	for _, name := range []string{"both", "done", "late", "twin"} {
		list = append(list, Change{Op: Move, From: name, In: 1, Path: name, Loose: true, Was: State{Entry: tree.Entry{Kind: tree.File, Size: 1, Time: 1, Ino: 1}}})
	}
	p := Look(list, []tree.Place{memory{".": "/", "both": "b", "late": "l", "twin": "t"}, otherDisk{memory{".": "/", "both": "b", "done": "d", "twin": "t"}}})
	assert.Equal(t, []string{"done", "both", "twin"}, paths(p.Done))
	assert.Equal(t, 2, p.Half)
	assert.Equal(t, []string{"late"}, paths(p.Rest))
}

func paths(list []Change) (all []string) {
	for _, c := range list {
		all = append(all, c.Path)
	}
	return all
}

func TestAllThatIsInTheWayIsFoundAtOnce(t *testing.T) {
	place := memory{"a": "/", "a/x": "1", "b": "/", "c": "c", "sealed": "/", "é": "1", "deep": "/", "deep/" + strings.Repeat("n", 30): "1", "far": "/", "far/in": "/", "far/in/" + strings.Repeat("n", 30): "1"}
	for why, lines := range map[string]string{
		"something of that name is there already":                    "move c b",
		"it is not there":                                            "move none d",
		"“c” is there, spelled with other capitals":                  "make C",
		"“é” is there, spelled with other capitals or accents":       "make e\u0301",
		"it cannot be moved into itself":                             "move a a/b",
		"the folder that it is to lie in is not there":               "move c d/e",
		"a file lies where its folder must be":                       "make c/d",
		"it holds “x”":                                               "remove a/",
		"it is no longer a folder":                                   "remove c/",
		"you may not make anything in that folder":                   "make sealed/x",
		"its path would have 45 characters, and this system takes 4": "make " + strings.Repeat("m", 45),
		"a path in it would be too long for this system":             "move deep deepest-of-all",
		"it is a folder":                                             "copy a d",
		"a path in it would be too long for this":                    "move far furthest-of-all",
	} {
		list, bad := set(lines).Order("w")
		require.Empty(t, bad)
		_, bad, err := (&Check{Places: []tree.Place{place}, Work: "w"}).Run(list)
		require.NoError(t, err)
		if assert.Len(t, bad, 1, lines) {
			assert.Contains(t, bad[0].Why, why)
		}
	}
	_, bad := set("move a z", "make z/y", "move z/x z/w", "remove b/").Order("w")
	assert.Equal(t, []Obstacle{{Index: 2, Why: "it is not there"}}, bad, "old paths mean the disk as it is")
}

// What was planned of a thing holds only while that is as it was; on another disk a file is
// known by its size and time.
func TestWhatHasChangedSinceItWasPlannedStays(t *testing.T) {
	place := memory{".": "/", "c": "text", "f": "/"}
	planned := State{Entry: tree.Entry{Kind: tree.File, Size: 4, Time: 1, Ino: 1}}
	with := func(change func(s *State)) State { s := planned; change(&s); return s }
	folder := State{Entry: tree.Entry{Kind: tree.Folder, Size: 9, Time: 9, Ino: 1}}
	for what, tt := range map[string]struct {
		from    string
		was     State
		lenient bool
		stays   bool
	}{
		"as it was":                    {"c", planned, false, false},
		"longer":                       {"c", with(func(s *State) { s.Size = 3 }), false, true},
		"later":                        {"c", with(func(s *State) { s.Time = 2 }), false, true},
		"another one":                  {"c", with(func(s *State) { s.Ino = 2 }), false, true},
		"longer, and it is moved back": {"c", with(func(s *State) { s.Size = 3 }), true, false},
		"the same contents":            {"c", with(func(s *State) { s.Sum = digest.Bytes([]byte("text")) }), false, false},
		"other contents":               {"c", with(func(s *State) { s.Sum = digest.Bytes([]byte("test")) }), false, true},
		"other contents, to move back": {"c", with(func(s *State) { s.Sum = digest.Bytes([]byte("test")) }), true, true},
		"nothing is known of it":       {"c", State{Entry: tree.Entry{Kind: tree.File}}, false, false},
		"a folder somebody wrote into": {"f", folder, false, false},
		"a folder, and it is another":  {"f", State{Entry: tree.Entry{Kind: tree.Folder, Time: 1, Ino: 2}}, false, true},
	} {
		list := []Change{{Op: Move, From: tt.from, Path: "d", Was: tt.was}}
		_, obstacles, err := (&Check{Places: []tree.Place{place}, Work: "w", Lenient: tt.lenient}).Run(list)
		require.NoError(t, err)
		if assert.Equal(t, tt.stays, len(obstacles) == 1, what) && tt.stays {
			assert.Equal(t, "it has been changed since", obstacles[0].Why, what)
		}
	}
	there := func(change func(e *tree.Entry)) tree.Entry {
		e := planned.Entry
		e.Dev, e.Ino = 7, 5
		change(&e)
		return e
	}
	assert.True(t, planned.moved(there(func(*tree.Entry) {})))
	assert.False(t, planned.moved(there(func(e *tree.Entry) { e.Size = 5 })))
	assert.False(t, planned.moved(there(func(e *tree.Entry) { e.Time = 2 })))
	assert.True(t, folder.moved(there(func(e *tree.Entry) { e.Kind = tree.Folder })))
	assert.False(t, planned.moved(there(func(e *tree.Entry) { e.Dev = 0 })), "another thing of this disk")
}

// After the power went, a file that is in both places with the same contents is one of the
// list's own; whatever else lies there is in the way.
func TestOnlyTheSameFileIsTwiceThereAfterACut(t *testing.T) {
	place := memory{".": "/", "a": "text", "same": "text", "other": "test", "f": "/", "g": "/", "dir": "/"}
	for what, tt := range map[string]struct {
		from, to string
		was      State
		op       string // what is done about it; "" where it is in the way
	}{
		"the same file":                 {"a", "same", State{Entry: tree.Entry{Kind: tree.File}}, "remove w/gone-1 a"},
		"a file with other contents":    {"a", "other", State{Entry: tree.Entry{Kind: tree.File}}, ""},
		"a folder under that name":      {"a", "dir", State{Entry: tree.Entry{Kind: tree.File}}, ""},
		"two folders":                   {"f", "g", State{Entry: tree.Entry{Kind: tree.Folder}}, ""},
		"a file of which more is known": {"a", "same", State{Entry: tree.Entry{Kind: tree.File}, Sum: digest.Bytes([]byte("text"))}, ""},
	} {
		list := []Change{{Op: Move, From: tt.from, Path: tt.to, Was: tt.was}}
		done, bad, err := (&Check{Places: []tree.Place{place}, Work: "w", CutShort: 1}).Run(list)
		require.NoError(t, err)
		if tt.op == "" {
			assert.Len(t, bad, 1, what)
			continue
		}
		require.Empty(t, bad, what)
		assert.Equal(t, []string{tt.op}, written(done), what)
	}
}

// Every line is read back as it was written, whatever the names are, and inverting
// twice changes nothing but what only a disk can tell.
func TestLinesAreReadBack(t *testing.T) {
	names := rapid.OneOf(rapid.StringMatching(`[a-zåé" \\]{1,6}`), rapid.SampledFrom([]string{"d\xff", "@", "x@", "a\nb", "–"}))
	rapid.Check(t, func(t *rapid.T) {
		p := rapid.Custom(func(t *rapid.T) string {
			return strings.Join(rapid.SliceOfN(names, 1, 3).Draw(t, "path"), "/")
		})
		c := Change{Op: Op(rapid.IntRange(0, 4).Draw(t, "op")), In: rapid.IntRange(0, 2).Draw(t, "in"), Path: p.Draw(t, "path")}
		kind := rapid.SampledFrom([]tree.Kind{tree.Folder, tree.File}).Draw(t, "kind")
		switch c.Op {
		case Make:
			c.Node = &tree.Node{Kind: kind}
			if kind == tree.File {
				c.Sum = digest.Bytes([]byte(c.Path))
			}
		case Move:
			c.From, c.FromIn = p.Draw(t, "from"), rapid.IntRange(0, 1).Draw(t, "fromIn")
			if rapid.Bool().Draw(t, "link") {
				kind = tree.Symlink
			}
			c.Was = State{Entry: tree.Entry{Size: 3, Time: 4, Dev: 5, Ino: 6}}
		case Remove:
			c.Old, c.HasOld = rapid.SliceOf(rapid.Byte()).Draw(t, "old"), kind == tree.File
			if rapid.IntRange(0, 3).Draw(t, "nothing") == 0 {
				c.Old = nil // it held nothing, and that is known
			}
			if !c.HasOld {
				c.Old = nil
			}
		default:
			kind = tree.File
			c.From, c.Sum, c.Was.Sum = p.Draw(t, "from"), "5e", "3a"
		}
		c.Was.Kind = kind
		written := c
		want := []Change{c}
		if c.Op == Make && kind == tree.Folder {
			written.Node = &tree.Node{Kind: tree.Folder, Children: drawTrees(t, names, 3)}
			for at, n := range written.Node.All() {
				one := Change{Op: Make, In: c.In, Path: c.Path + "/" + at, Node: &tree.Node{Kind: n.Kind}}
				if one.Was.Kind = n.Kind; n.Kind == tree.File {
					one.Sum = digest.Bytes([]byte(n.Name))
				}
				want = append(want, one)
			}
		}
		var out bytes.Buffer
		w := bufio.NewWriter(&out)
		singles, err := written.WriteLine(w, func(n *tree.Node) (string, error) { return digest.Bytes([]byte(n.Name)), nil })
		require.NoError(t, err)
		require.NoError(t, w.Flush())
		line := out.Bytes()
		back, err := ParseLine(line)
		require.NoError(t, err, "%s", line)
		if len(c.Old) == 0 {
			want[0].Old, back[0].Old = nil, nil
		}
		assert.Equal(t, want, back, "%s", line)
		assert.Len(t, back, singles)
	})
	for _, bad := range []string{"", "{", `{"op":"fly","path":"a"}`, `{"op":"make","path":"../a"}`, `{"op":"move","path":"a","from":"/etc"}`, `{"op":"make","path":"a","in":-1}`,
		`{"op":"make","path":"a/","holds":["b"]}`, `{"op":"make","path":"a/","holds":["b/c/"]}`, `{"op":"make","path":"a/","holds":[["../b","5e"]]}`,
		`{"op":"make","path":"a/","holds":[[]]}`, `{"op":"make","path":"a/","holds":[["b/","../"]]}`, `{"op":"make","path":"a","sum":"5e","holds":["b/"]}`} {
		_, err := ParseLine([]byte(bad))
		assert.Error(t, err, bad)
	}
}

// drawTrees draws what a folder holds.
func drawTrees(t *rapid.T, names *rapid.Generator[string], depth int) (list []*tree.Node) {
	for range rapid.IntRange(0, depth).Draw(t, "children") {
		n := &tree.Node{Name: names.Draw(t, "name"), Kind: rapid.SampledFrom([]tree.Kind{tree.Folder, tree.File}).Draw(t, "kind")}
		if n.Kind == tree.Folder {
			n.Children = drawTrees(t, names, depth-1)
		}
		list = append(list, n)
	}
	return list
}

func FuzzParseLine(f *testing.F) {
	f.Add([]byte(`{"op":"make","path":"a/","holds":["b/",["c/","d/",["e","5e"]],[["/w=="],"5e"]]}`))
	f.Add([]byte(`{"op":"move","path":"a/","from":"b","was":{"size":1},"old":"eA=="}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		list, _ := ParseLine(data)
		for _, c := range list {
			if !Local(c.Path) || c.From != "" && !Local(c.From) {
				t.Fatal("a path leads out")
			}
		}
	})
}

// Copies are made several at a time where nothing moves; they are not where what they are copies
// of goes.
func TestCopiesWaitForNothingThatStays(t *testing.T) {
	loose := func(lines ...string) (all []string) {
		list, bad := set(lines...).Order("w")
		require.Empty(t, bad)
		for _, c := range list {
			if c.Loose {
				all = append(all, c.Path)
			}
		}
		return all
	}
	assert.Equal(t, []string{"f/a", "f/b"}, loose("make f", "copy a f/a", "copy b f/b"))
	assert.NotContains(t, loose("make f", "copy a f/a", "move a z"), "f/a")
}
