package draft

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/treetest"
)

// Folders are of a kind where they hold folders of the same names, however these are written; what lies in a folder
// of a kind belongs to that, and what is beside it and holds one of its names is of that kind too.
func TestFoldersAreOfAKindByWhatTheyHold(t *testing.T) {
	kinds, unlike := Kinds(treetest.Of(
		"Jobs/a/Letters/x", "Jobs/a/Bills/x", "Jobs/a/Plans/Drafts/x", "Jobs/a/Plans/Done/x", "Jobs/b/01 letters/x", "Jobs/b/2 BILLS/x", "Jobs/b/Plans/Drafts/y", "Jobs/b/Plans/Done/y",
		"Jobs/c/Letters/x", "Jobs/c/bills/x", "Jobs/c/Plans/x", "Jobs/d/Letters/x", "Other/Letters/x", "Courses/k/Week 1/x", "Courses/k/Sheets/x", "Courses/l/Week 01/x", "Courses/l/Sheets/x", "Misc/x/y/z",
	))
	require.Len(t, kinds, 2)
	assert.Equal(t, []string{"Jobs/a", "Jobs/b", "Jobs/c", "Jobs/d"}, kinds[0].Paths)
	assert.Equal(t, "Jobs", kinds[0].In())
	assert.Equal(t, []string{"Bills", "Letters", "Plans"}, kinds[0].Has)
	assert.True(t, kinds[0].Worth)
	assert.Equal(t, []string{"Courses/k", "Courses/l"}, kinds[1].Paths)
	assert.False(t, kinds[1].Worth, "two folders that share two names are no proof")
	assert.Equal(t, 3, unlike, "Other, Misc and Misc/x")
	kinds, unlike = Kinds(treetest.Of("a/b/c/d/e"))
	assert.Empty(t, kinds)
	assert.Equal(t, 3, unlike)
}

// What is written in several ways is learned as one; two that lie in one folder, or are numbered otherwise, are two.
func TestWhatDriftedIsLearnedAsOne(t *testing.T) {
	var samples []Sample
	for name, paths := range map[string][]string{
		"a": {"Letters/", "Sheet 1/", "Photos/", "01 In/", "02 Out/", "x/"}, "b": {"letters/", "Sheet 01/", "Photos/", "02 In/", "01 Out/", "x/", "X/"}, "c": {"Letters/", "Sheet 1/", "Phtoos/", "01 In/", "02 Out/", "x/"},
	} {
		samples = append(samples, sample(name, paths...))
	}
	r, err := Of("t", samples, nil, nil)
	require.NoError(t, err)
	assert.True(t, r.Drifted)
	for _, want := range []string{"taken as one:", "Letters (letters)", "Photos (Phtoos)", "Sheet 1 (Sheet 01)"} {
		assert.Contains(t, r.Text, want)
	}
	for _, s := range r.Samples {
		assert.NotNil(t, s.Root.Child("Letters"))
		assert.NotNil(t, s.Root.Child("Photos"))
		assert.NotNil(t, s.Root.Child("x"))
	}
	assert.NotContains(t, r.Text, "02 In (01 In)")

}
