package packed

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/tree"
)

// paths lists a tree: folders with a slash, links with an arrow.
func paths(n *tree.Node) (all []string) {
	for p, c := range n.All() {
		switch {
		case c.Kind == tree.Folder:
			p += "/"
		case c.Marks&tree.Link != 0:
			p += " →"
		}
		all = append(all, p)
	}
	return all
}

func zipped(t testing.TB, names ...string) []byte {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, n := range names {
		_, err := z.CreateHeader(&zip.FileHeader{Name: n})
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return out.Bytes()
}

func tarred(t testing.TB, headers ...tar.Header) []byte {
	var out bytes.Buffer
	g := gzip.NewWriter(&out)
	w := tar.NewWriter(g)
	for _, h := range headers {
		require.NoError(t, w.WriteHeader(&h))
		if h.Size > 0 {
			_, err := w.Write(make([]byte, h.Size))
			require.NoError(t, err)
		}
	}
	require.NoError(t, w.Close())
	require.NoError(t, g.Close())
	return out.Bytes()
}

func TestArchivesOfOthersAreListed(t *testing.T) {
	for _, tt := range []struct {
		what    string
		data    []byte
		format  Format
		want    []string
		outside int
	}{
		{"folders that no entry names", zipped(t, "A/b/c.txt", "A/d.txt"), Zip, []string{"A/", "A/b/", "A/b/c.txt", "A/d.txt"}, 0},
		{"folders by themselves, and backslashes", zipped(t, "A/", `A\x\y.txt`), Zip, []string{"A/", "A/x/", "A/x/y.txt"}, 0},
		{"names that lead out", zipped(t, "../a.txt", "/etc/b", "A/../../c", "A//d", "A/./e", "ok.txt"), Zip, []string{"ok.txt"}, 5},
		{"tar with a link", tarred(t, tar.Header{Name: "./A/", Typeflag: tar.TypeDir}, tar.Header{Name: "./A/b.txt", Typeflag: tar.TypeReg, Size: 5}, tar.Header{Name: "A/l", Typeflag: tar.TypeSymlink, Linkname: "/etc"}), TarGzip, []string{"A/", "A/b.txt", "A/l →"}, 0},
		{"tar that leads out", tarred(t, tar.Header{Name: "../x", Typeflag: tar.TypeReg}, tar.Header{Name: "y", Typeflag: tar.TypeReg}), TarGzip, []string{"y"}, 1},
	} {
		l, err := list(bytes.NewReader(tt.data), int64(len(tt.data)), tt.format, false)
		require.NoError(t, err, tt.what)
		assert.Equal(t, tt.want, paths(l.Root), tt.what)
		assert.Len(t, l.Outside, tt.outside, tt.what)
	}
}

func TestArchivesThatCannotBeListed(t *testing.T) {
	for what, tt := range map[string]struct {
		data   []byte
		format Format
		want   string
	}{
		"no zip":        {[]byte("PK\x03\x04"), Zip, "damaged, or no ZIP"},
		"no gzip":       {[]byte("hello"), TarGzip, "damaged, or no tar archive"},
		"cut off":       {tarred(t, tar.Header{Name: "a", Typeflag: tar.TypeReg, Size: 3000})[:60], TarGzip, "it is damaged"},
		"another thing": {[]byte("x"), None, "no archive that can be read"},
	} {
		_, err := list(bytes.NewReader(tt.data), int64(len(tt.data)), tt.format, false)
		assert.ErrorContains(t, err, tt.want, what)
	}
	_, err := List(t.TempDir())
	assert.ErrorContains(t, err, "it is a folder")
	// A bomb: 700 MB of zeros in 700 KB.
	bomb := filepath.Join(t.TempDir(), "bomb.tar.gz")
	var packed bytes.Buffer
	g := gzip.NewWriter(&packed)
	w := tar.NewWriter(g)
	require.NoError(t, w.WriteHeader(&tar.Header{Name: "zeros", Typeflag: tar.TypeReg, Size: 700 << 20}))
	zeros := make([]byte, 1<<20)
	for range 700 {
		_, err := w.Write(zeros)
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	require.NoError(t, g.Close())
	require.NoError(t, os.WriteFile(bomb, packed.Bytes(), 0o666))
	_, err = List(bomb)
	assert.ErrorContains(t, err, "holds more than")
}

func TestAPasswordIsSeen(t *testing.T) {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	_, err := z.CreateRaw(&zip.FileHeader{Name: "a.txt", Flags: 1})
	require.NoError(t, err)
	require.NoError(t, z.Close())
	l, err := list(bytes.NewReader(out.Bytes()), int64(out.Len()), Zip, false)
	require.NoError(t, err)
	assert.True(t, l.Locked)
	assert.Equal(t, []string{"a.txt"}, paths(l.Root))
}

// What this program packs, it lists.
func TestWhatIsPackedIsListed(t *testing.T) {
	root := &tree.Node{Children: []*tree.Node{{Name: "Åsgerd", Children: []*tree.Node{{Name: "01 Notes"}, {Name: "read me.md", Kind: tree.File, Content: tree.Bytes("x")}}}, {Name: "b.txt", Kind: tree.File}}}
	for _, name := range []string{"a.zip", "a.tar.gz"} {
		a := &Archive{Root: root, Format: FormatOf(name), Time: time.Unix(1e9, 0)}
		r, err := a.Open()
		require.NoError(t, err)
		var data bytes.Buffer
		_, err = data.ReadFrom(r)
		require.NoError(t, err)
		file := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(file, data.Bytes(), 0o666))
		l, err := List(file)
		require.NoError(t, err)
		want := paths(root)
		slices.Sort(want)
		got := paths(l.Root)
		slices.Sort(got)
		assert.Equal(t, want, got, name)
	}
}

func FuzzListsNeverPanic(f *testing.F) {
	f.Add(zipped(f, "A/b.txt", "../x"), true)
	f.Add(tarred(f, tar.Header{Name: "A/b", Typeflag: tar.TypeReg, Size: 4}), false)
	f.Add([]byte("PK\x05\x06"+strings.Repeat("\x00", 18)), true)
	f.Fuzz(func(t *testing.T, data []byte, isZip bool) {
		format := TarGzip
		if isZip {
			format = Zip
		}
		l, err := list(bytes.NewReader(data), int64(len(data)), format, false)
		if err != nil {
			return
		}
		for _, n := range l.Root.All() {
			if n.Name == "" || n.Name == "." || n.Name == ".." || strings.Contains(n.Name, "/") {
				t.Fatalf("%q is no name", n.Name)
			}
		}
	})
}
