package compare

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"vestibula/core/tree"
	"vestibula/core/treetest"
)

func TestWhatDiffers(t *testing.T) {
	a := treetest.Of("01 Letters/In/", "02 Plans/a.md", "02 Plans/b.md", "Photos/x.jpg", "Photos/y.jpg", "Old/deep/z.txt", "read me.md", "Settled/", "Sketchs/", "Place/moves.txt", "Place/stays.txt")
	b := treetest.Of("01 Letters/In/", "02 New/", "03 Plans/a.md", "03 Plans/b.md", "Pictures/x.jpg", "Pictures/y.jpg", "Read_Me.md", "Settled/", "Sketches/", "Place/stays.txt", "Else/moves.txt")
	list := Differences(a, b, Contents{Same: func(x, _ string) bool { return x != "Place/stays.txt" && x != "Place/moves.txt" }}, nil)
	assert.Equal(t, []Difference{
		{What: New, Path: "02 New", Folder: true},
		{What: Renamed, Path: "02 Plans", Other: "03 Plans", Folder: true, Why: "another number or mark in front"},
		{What: New, Path: "Else", Folder: true},
		{What: Gone, Path: "Old", Folder: true, Within: 2},
		{What: Renamed, Path: "Photos", Other: "Pictures", Folder: true, Why: "it holds the same"},
		{What: Moved, Path: "Place/moves.txt", Other: "Else/moves.txt", Why: "it holds something else"},
		{What: Altered, Path: "Place/stays.txt", Other: "Place/stays.txt"},
		{What: Renamed, Path: "Sketchs", Other: "Sketches", Folder: true, Why: "a slip of the pen"},
		{What: Renamed, Path: "read me.md", Other: "Read_Me.md", Why: "spelled differently"},
	}, list)
	assert.Equal(t, [New + 1]int{4, 1, 1, 1, 2}, Count(list))
	list = Differences(treetest.Of("A/x.md", "B/"), treetest.Of("A/", "B/x.md"), Contents{}, nil)
	assert.Equal(t, []Difference{{What: Moved, Path: "A/x.md", Other: "B/x.md"}}, list)
	list = Differences(treetest.Of("A/", "B/"), treetest.Of("A/own.txt", "B/own/x"), Contents{}, func(n *tree.Node) bool { return n.Name == "A" })
	assert.Equal(t, []Difference{{What: New, Path: "B/own", Folder: true, Within: 1}}, list, "what is its owner's is not compared")
}

// Of several that could be one, nobody says which is it, on whichever side they lie.
func TestWhatCouldBeSeveralIsNone(t *testing.T) {
	one, two := treetest.Of("16 Elm Road/"), treetest.Of("12 Elm Road/", "14 Elm Road/")
	assert.Equal(t, [New + 1]int{Gone: 2, New: 1}, Count(Differences(two, one, Contents{}, nil)))
	assert.Equal(t, [New + 1]int{Gone: 1, New: 2}, Count(Differences(one, two, Contents{}, nil)))
	one, two = treetest.Of("Sketches.md"), treetest.Of("Sketchs.md", "Sketche.md")
	assert.Equal(t, [New + 1]int{Gone: 2, New: 1}, Count(Differences(two, one, Contents{}, nil)))
}

// What files hold tells where they lie by now, before names do.
func TestWhatFilesHoldTellsWhereTheyLie(t *testing.T) {
	a, b := treetest.Of("Letters/b.txt", "Letters/d.txt", "Plans/", "one.txt", "two.txt"), treetest.Of("Letters/c.txt", "Plans/bb.txt", "Letters/e.txt", "premier.txt", "deux.txt")
	sums := [2]map[string]string{{"Letters/b.txt": "B", "Letters/d.txt": "D", "one.txt": "1", "two.txt": "1"}, {"Letters/c.txt": "C", "Plans/bb.txt": "B", "Letters/e.txt": "D", "premier.txt": "1", "deux.txt": "1"}}
	list := Differences(a, b, Contents{Sum: func(side int, at string) string { return sums[side][at] }}, nil)
	assert.Equal(t, []Difference{
		{What: Moved, Path: "Letters/b.txt", Other: "Plans/bb.txt"},
		{What: New, Path: "Letters/c.txt"},
		{What: Renamed, Path: "Letters/d.txt", Other: "Letters/e.txt"},
		{What: New, Path: "deux.txt"},
		{What: Gone, Path: "one.txt"},
		{What: New, Path: "premier.txt"},
		{What: Gone, Path: "two.txt"},
	}, list, "of two that hold the same, nobody can say which is which")
}

// A tree does not differ from itself; and all that is on one side is on the other, where the
// differences say, or is said to be on one side only.
func TestDifferencesAreAllThatDiffers(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		draw := func(label string) (paths []string) {
			for range rapid.IntRange(1, 8).Draw(t, label) {
				parts := rapid.SliceOfN(rapid.SampledFrom([]string{"01 a", "02 a", "b", "B", "c.md", "d", "dd"}), 1, 3).Draw(t, "path")
				paths = append(paths, strings.Join(parts, "/")+"/")
			}
			return paths
		}
		a, b := treetest.Of(draw("first")...), treetest.Of(draw("second")...)
		assert.Empty(t, Differences(a, a.Copy(), Contents{}, nil))
		at := map[string]string{} // where a path of the first side is on the second
		lone := [2][]string{}
		for _, d := range Differences(a, b, Contents{}, nil) {
			switch d.What {
			case Renamed, Moved:
				_, twice := at[d.Path]
				assert.False(t, twice)
				at[d.Path] = d.Other
			case Gone:
				lone[0] = append(lone[0], d.Path)
			case New:
				lone[1] = append(lone[1], d.Path)
			}
		}
		within := func(list []string, p string) bool {
			return slices.ContainsFunc(list, func(d string) bool { return p == d || strings.HasPrefix(p, d+"/") })
		}
		there, reached := map[string]bool{}, map[string]bool{}
		for p := range b.All() {
			there[strings.Clone(p)] = true
		}
		for p := range a.All() {
			from, to := "", ""
			for q, other := range at {
				if (p == q || strings.HasPrefix(p, q+"/")) && len(q) > len(from) {
					from, to = q, other
				}
			}
			now := strings.TrimPrefix(to+p[len(from):], "/")
			if reached[now] = there[now]; !there[now] {
				assert.True(t, within(lone[0], p), "%s is nowhere", p)
			}
		}
		for p := range there {
			assert.True(t, reached[p] || within(lone[1], p), "%s comes from nowhere", p)
		}
	})
}
