package packed

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"errors"
	"io"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/tree"
)

var day = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)

// pack returns the bytes of an archive.
func pack(t require.TestingT, root *tree.Node, f Format) []byte {
	r, err := (&Archive{Root: root, Format: f, Time: day}).Open()
	require.NoError(t, err)
	data, err := io.ReadAll(r)
	require.NoError(t, err)
	require.NoError(t, r.Close())
	return data
}

// unpack returns what an archive holds, as another program reads it.
func unpack(t require.TestingT, data []byte, f Format) (names []string, texts map[string]string) {
	texts = map[string]string{}
	add := func(name string, r io.Reader, at time.Time) {
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		assert.True(t, at.Equal(day), "%s: %s", name, at)
		names, texts[name] = append(names, name), string(text)
	}
	if f == Zip {
		z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err)
		for _, e := range z.File {
			r, err := e.Open()
			require.NoError(t, err)
			assert.Equal(t, e.Name[len(e.Name)-1] == '/', e.Mode().IsDir())
			assert.False(t, e.NonUTF8)
			if plain := []byte(e.Name); bytes.ContainsFunc(plain, func(r rune) bool { return r > 126 }) {
				assert.NotZero(t, e.Flags&0x800, "the name is said to be in UTF-8")
			}
			add(e.Name, r, e.Modified)
		}
		return names, texts
	}
	g, err := gzip.NewReader(bytes.NewReader(data))
	require.NoError(t, err)
	r := tar.NewReader(g)
	for {
		h, err := r.Next()
		if err == io.EOF {
			return names, texts
		}
		require.NoError(t, err)
		assert.Equal(t, h.Name[len(h.Name)-1] == '/', h.Typeflag == tar.TypeDir)
		add(h.Name, r, h.ModTime)
	}
}

// Whatever a tree holds, an archive of it holds the same, in its order, and is
// the same byte for byte the next time.
func TestArchivesHoldTheWholeTree(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var want []string
		texts := map[string]string{}
		var grow func(n *tree.Node, path string, depth int)
		grow = func(n *tree.Node, path string, depth int) {
			for i := range rapid.IntRange(0, 3).Draw(t, "children") {
				c := &tree.Node{Name: rapid.StringMatching(`[A-Za-zÅé日 _-]{1,80}`).Draw(t, "name") + string(rune('0'+i))}
				n.Children = append(n.Children, c)
				switch at := path + c.Name; {
				case depth < 4 && rapid.Bool().Draw(t, "folder"):
					want, texts[at+"/"] = append(want, at+"/"), ""
					grow(c, at+"/", depth+1)
				default:
					c.Kind = tree.File
					if rapid.Bool().Draw(t, "filled") {
						c.Content = tree.Bytes(rapid.SliceOf(rapid.Byte()).Draw(t, "text"))
						texts[at] = string(c.Content.(tree.Bytes))
					} else {
						texts[at] = ""
					}
					want = append(want, at)
				}
			}
		}
		root := &tree.Node{}
		grow(root, "", 0)
		for _, f := range []Format{Zip, TarGzip} {
			data := pack(t, root, f)
			names, got := unpack(t, data, f)
			assert.Equal(t, want, names)
			assert.Equal(t, texts, got)
			assert.True(t, bytes.Equal(data, pack(t, root, f)), "byte for byte")
		}
	})
}

type broken struct{ tree.Bytes }

func (broken) Open() (io.ReadCloser, error) { return nil, errors.New("the medium is gone") }

func TestAContentThatCannotBeReadFailsTheArchive(t *testing.T) {
	root := &tree.Node{Children: []*tree.Node{{Name: "a.txt", Kind: tree.File, Content: broken{}}}}
	for _, f := range []Format{Zip, TarGzip} {
		r, err := (&Archive{Root: root, Format: f, Time: day}).Open()
		require.NoError(t, err)
		_, err = io.ReadAll(r)
		assert.ErrorContains(t, err, "the medium is gone")
	}
	r, err := (&Archive{Root: root, Format: Zip}).Open()
	require.NoError(t, err)
	assert.NoError(t, r.Close(), "nobody has to read to the end")
}

func TestFormatsAreToldByTheEnding(t *testing.T) {
	for name, want := range map[string]Format{"a.zip": Zip, "A.ZIP": Zip, "b.tar.gz": TarGzip, "b.TGZ": TarGzip, "zip": None, "a.gz": None, "Course": None} {
		assert.Equal(t, want, FormatOf(name), name)
	}
}
