package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"io"
	"io/fs"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestArchivesHoldWhatSomebodyNeedsToBegin(t *testing.T) {
	require.NoError(t, os.Chdir(".."))
	shared := sharedFiles()
	var names []string
	for _, f := range shared {
		names = append(names, f.name)
	}
	for _, want := range []string{"README.md", "LICENSE", "language.md", "cookbook.md", "man/vestibula.1", "man/vestibula-build.1", "man/vestibula-language.7", "completion/vestibula.bash", "completion/_vestibula", "completion/vestibula.fish", "completion/vestibula.ps1"} {
		assert.Contains(t, names, want)
	}
	assert.IsIncreasing(t, names, "the same source gives the same bytes")
	files := append([]file{{"vestibula", []byte("\x7fELF made up"), 0o755}}, shared...)

	type entry struct {
		data []byte
		mode fs.FileMode
	}
	inTar := map[string]entry{}
	z, err := gzip.NewReader(bytes.NewReader(tarred("top", files)))
	require.NoError(t, err)
	for r := tar.NewReader(z); ; {
		h, err := r.Next()
		if err == io.EOF {
			break
		}
		require.NoError(t, err)
		data, err := io.ReadAll(r)
		require.NoError(t, err)
		inTar[h.Name] = entry{data, fs.FileMode(h.Mode)}
		assert.True(t, h.ModTime.Equal(made))
	}
	inZip := map[string]entry{}
	packed := zipped("top", files)
	r, err := zip.NewReader(bytes.NewReader(packed), int64(len(packed)))
	require.NoError(t, err)
	for _, f := range r.File {
		in, err := f.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(in)
		require.NoError(t, err)
		inZip[f.Name] = entry{data, f.Mode().Perm()}
	}
	assert.Equal(t, inTar, inZip, "both hold the same")
	assert.Len(t, inTar, len(files))
	for _, f := range files {
		assert.Equal(t, entry{f.data, f.mode}, inTar["top/"+f.name])
	}
	assert.Equal(t, packed, zipped("top", files))
	assert.True(t, strings.HasPrefix(string(inTar["top/README.md"].data), "# Vestibula"))
}
