package packed

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func zipOf(files map[string]string) []byte {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for name, text := range files {
		w, _ := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: time.Unix(1_800_000_000, 0)})
		fmt.Fprint(w, text)
	}
	_ = z.Close()
	return out.Bytes()
}

func tarOf(files map[string]string) []byte {
	var out bytes.Buffer
	g := gzip.NewWriter(&out)
	w := tar.NewWriter(g)
	for name, text := range files {
		_ = w.WriteHeader(&tar.Header{Name: name, Size: int64(len(text)), Mode: 0o644, ModTime: time.Unix(1_800_000_000, 0)})
		fmt.Fprint(w, text)
	}
	_ = w.Close()
	_ = g.Close()
	return out.Bytes()
}

func opened(t testing.TB, name string, data []byte) (*Contents, error) {
	file := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(file, data, 0o666))
	return Open(file)
}

func textOf(t require.TestingT, p Packed) string {
	r, err := p.Content.Open()
	require.NoError(t, err)
	data, err := io.ReadAll(r)
	require.NoError(t, err)
	require.NoError(t, r.Close())
	return string(data)
}

// What was packed by the standard library comes out again, in whatever order it is asked
// for, and more than once.
func TestFilesComeOutAsTheyWentIn(t *testing.T) {
	for ending, pack := range map[string]func(map[string]string) []byte{"a.zip": zipOf, "a.tar.gz": tarOf} {
		rapid.Check(t, func(rt *rapid.T) {
			files := rapid.MapOfN(rapid.StringMatching(`[a-c]{1,2}(/[a-c]{1,2}){0,2}\.txt`), rapid.StringN(0, 50, -1), 1, 8).Draw(rt, "files")
			c, err := opened(t, ending, pack(files))
			require.NoError(rt, err)
			defer c.Close()
			require.Len(rt, c.Files, len(files))
			for range 6 {
				p := rapid.SampledFrom(c.Files).Draw(rt, "file")
				require.Equal(rt, files[p.Path], textOf(rt, p))
				require.Equal(rt, int64(len(files[p.Path])), p.Size)
				require.True(rt, strings.HasSuffix(p.Content.Source(), ending+", "+p.Path))
				require.Equal(rt, int64(1_800_000_000_000_000_000), p.Time)
			}
		})
	}
}

func TestArchivesThatAreHostile(t *testing.T) {
	c, err := opened(t, "a.zip", zipOf(map[string]string{"../out.txt": "x", "/abs.txt": "x", "in/a.txt": "fine"}))
	require.NoError(t, err)
	require.Len(t, c.Files, 1)
	assert.Equal(t, "in/a.txt", c.Files[0].Path)
	assert.Len(t, c.Outside, 2)
	c.Close()

	_, err = opened(t, "bomb.zip", zipOf(map[string]string{"a": strings.Repeat("\x00", 90<<20)}))
	assert.ErrorContains(t, err, "it would become more than 100 times as large as it is")
	_, err = opened(t, "bomb.tar.gz", tarOf(map[string]string{"a": strings.Repeat("\x00", 90<<20)}))
	assert.ErrorContains(t, err, "damaged, or holds more than")
	_, err = opened(t, "a.zip", []byte("PK nothing"))
	assert.ErrorContains(t, err, "damaged")
	_, err = opened(t, "a.tar.gz", []byte("nothing"))
	assert.ErrorContains(t, err, "damaged")
	_, err = opened(t, "a.txt", nil)
	assert.ErrorContains(t, err, "no archive that can be read")
	_, err = Open(t.TempDir())
	assert.ErrorContains(t, err, "it is a folder")

	// An entry that says less than it holds.
	data := zipOf(map[string]string{"a.txt": strings.Repeat("long ", 50)})
	at := bytes.LastIndex(data, []byte("PK\x01\x02"))
	data[at+24] = 3 // the size in the directory
	if c, err := opened(t, "lies.zip", data); err == nil {
		r, err := c.Files[0].Content.Open()
		require.NoError(t, err)
		_, err = io.ReadAll(r)
		assert.Error(t, err)
		c.Close()
	}

	// Locked: the flag alone is enough to refuse.
	data = zipOf(map[string]string{"a.txt": "x"})
	at = bytes.LastIndex(data, []byte("PK\x01\x02"))
	data[at+8] |= 1
	_, err = opened(t, "locked.zip", data)
	assert.ErrorContains(t, err, "it needs a password")
}

func FuzzOpen(f *testing.F) {
	f.Add("a.zip", zipOf(map[string]string{"a/b.txt": "one", "../c": "two"}))
	f.Add("a.tar.gz", tarOf(map[string]string{"a/b.txt": "one", "../c": "two"}))
	dir := f.TempDir()
	f.Fuzz(func(t *testing.T, name string, data []byte) {
		file := filepath.Join(dir, fmt.Sprintf("x%d", os.Getpid())+map[bool]string{true: ".zip", false: ".tar.gz"}[strings.HasSuffix(name, "zip")])
		require.NoError(t, os.WriteFile(file, data, 0o666))
		c, err := Open(file)
		if err != nil {
			return
		}
		defer c.Close()
		for _, p := range c.Files {
			require.True(t, filepath.IsLocal(filepath.FromSlash(p.Path)), p.Path)
			r, err := p.Content.Open()
			if err != nil {
				continue
			}
			n, _ := io.Copy(io.Discard, r)
			_ = r.Close()
			require.LessOrEqual(t, n, p.Size)
		}
	})
}
