package draft

import (
	"io/fs"
	"path"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAShelfIsAFolderOfStarters(t *testing.T) {
	f, err := shelf{{Path: "forms/a.md", Data: []byte("one")}}.Open("forms/a.md")
	require.NoError(t, err)
	info, err := f.Stat()
	require.NoError(t, err)
	assert.Equal(t, "a.md", info.Name())
	assert.EqualValues(t, 3, info.Size())
	assert.True(t, info.Mode().IsRegular() && !info.IsDir() && info.ModTime().IsZero() && info.Sys() == nil)
	_, err = shelf{}.Open("forms/a.md")
	assert.ErrorIs(t, err, fs.ErrNotExist)
}

func TestStartersAreWhatFilesShare(t *testing.T) {
	samples := []Sample{sample("Oriel Pask", "Terms.txt", "Letter.md", "Own.md"), sample("Jun Teague", "Terms.txt", "Letter.md", "Own.md")}
	texts := map[string][2]string{"Terms.txt": {"All rights.", "All rights."}, "Letter.md": {"Dear Oriel Pask, oriel-pask!", "Dear Jun Teague, jun-teague!"}, "Own.md": {"one", "two"}}
	r, err := Of("jobs", samples, nil, func(sample int, path string) ([]byte, bool) { return []byte(texts[path][sample]), true })
	require.NoError(t, err)
	assert.Contains(t, r.Text, "Terms.txt | copy: starters/jobs/terms.txt")
	assert.Contains(t, r.Text, "Letter.md | fill: starters/jobs/letter.md")
	assert.NotContains(t, r.Text, "Own.md |")
	require.Len(t, r.Starters, 2)
	for _, s := range r.Starters {
		assert.Contains(t, []string{"All rights.", "Dear <name>, <name:like-this>!"}, string(s.Data))
	}
	proofs, err := r.Prove("jobs", now)
	require.NoError(t, err)
	assert.True(t, proofs[0].Exact && proofs[1].Exact)
}

// Starters of one name have names of their own, and what is the same is one starter.
func TestStartersOfOneName(t *testing.T) {
	var paths []string
	for _, in := range strings.Fields("Art Bills Cards Drafts Emails Forms Guides Hints Ideas Jobs Keys Loans") {
		paths = append(paths, in+"/Notes.md", in+"/Terms.txt")
	}
	r, err := Of("jobs", []Sample{sample("Oriel Pask", paths...), sample("Jun Teague", paths...)}, nil, func(_ int, at string) ([]byte, bool) {
		return []byte(map[string]string{".md": at, ".txt": "All rights."}[path.Ext(at)]), true
	})
	require.NoError(t, err)
	require.Len(t, r.Starters, 13)
	assert.Equal(t, "starters/jobs/notes-12.md", r.Starters[12].Path)
	assert.Equal(t, 12, strings.Count(r.Text, "Terms.txt | copy: starters/jobs/terms.txt"))
}
