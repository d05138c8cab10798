package bundle

import (
	"bytes"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/tree"
	"vestibula/core/treetest"
)

// A box is a folder in memory.
type box struct{ fstest.MapFS }

func (b box) Open(name string) (io.ReadCloser, error) { return b.MapFS.Open(name) }

func (b box) small(name string) ([]byte, error) {
	if f := b.MapFS[name]; f != nil {
		return f.Data, nil
	}
	return nil, fs.ErrNotExist
}

func (b box) root() *tree.Node { return treetest.Of(slices.Collect(maps.Keys(b.MapFS))...) }

func (b box) put(name, text string) { b.MapFS[name] = &fstest.MapFile{Data: []byte(text)} }

func sum256(text string) string {
	s := sha256.Sum256([]byte(text))
	return hex.EncodeToString(s[:])
}

// bagged is a bag with those files in it.
func bagged(files map[string]string) box {
	b := box{fstest.MapFS{}}
	m := &Manifest{"sha256", map[string]string{}}
	size := int64(0)
	for name, text := range files {
		b.put("data/"+name, text)
		m.Sums["data/"+name] = sum256(text)
		size += int64(len(text))
	}
	for name, data := range Tags(size, len(files), nil, time.Now()) {
		b.put(name, string(data))
	}
	b.put(ManifestName("sha256", false), string(m.Bytes()))
	return b
}

func TestManifestsAreReadAsTheyAreWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		m := &Manifest{"sha256", map[string]string{}}
		for range rapid.IntRange(0, 6).Draw(t, "files") {
			parts := rapid.SliceOfN(rapid.SampledFrom([]string{"a", "b c", "100%", "%0A", "two\nlines", "Åsgerd", "*star", "x  y", "r\r"}), 1, 3).Draw(t, "path")
			m.Sums["data/"+strings.Join(parts, "/")] = sum256(fmt.Sprint(parts))
		}
		for _, end := range []string{"\n", "\r\n", "\r"} {
			again, err := ParseManifest("sha256", []byte(strings.ReplaceAll(string(m.Bytes()), "\n", end)))
			require.NoError(t, err)
			require.Equal(t, m.Sums, again.Sums)
		}
	})
	for text, want := range map[string]string{
		"abc *data/x\nDEF\t./data/y\n\n": "", "xyz data/x": "is no checksum", "abc": "is no checksum", "abc ../x": "leads out", "abc /etc/passwd": "leads out", "abc data/../../x": "leads out",
		"abc data/x\nabd data/x": "twice", "abc data/x\nABC data/x": "", "abc data//x": "leads out", strings.Repeat("a", 2<<20): "longer than any path",
	} {
		m, err := ParseManifest("md5", []byte(text))
		if want == "" {
			require.NoError(t, err, text)
			assert.Equal(t, "abc", m.Sums["data/x"])
			continue
		}
		assert.ErrorContains(t, err, want)
	}
}

// Whatever is done to a bag, just that is found.
func TestWhatIsDoneToABagIsFound(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		files := map[string]string{}
		for i := range rapid.IntRange(1, 6).Draw(t, "files") {
			files[fmt.Sprintf("d%d/f%d.txt", i%2, i)] = fmt.Sprint("text ", i)
		}
		b := bagged(files)
		want := map[string]Kind{}
		for name := range files {
			switch rapid.IntRange(0, 3).Draw(t, name) {
			case 0:
				delete(b.MapFS, "data/"+name)
				want["data/"+name] = Missing
			case 1:
				b.put("data/"+name, files[name]+"!")
				want["data/"+name] = Altered
			case 2:
				b.put("data/"+name+".new", "x")
				want["data/"+name+".new"] = Extra
			}
		}
		report, err := VerifyBag(b.root(), b.small, b, nil)
		require.NoError(t, err)
		have := map[string]Kind{}
		for _, p := range report.Problems {
			have[p.Path] = p.Kind
		}
		require.Equal(t, want, have)
		require.Equal(t, len(files), report.Files)
	})
}

func TestBagsOfOthers(t *testing.T) {
	files := map[string]string{"a.txt": "one", "deep/b.txt": "two"}
	b := bagged(files)
	sums := sha512.Sum512([]byte("one"))
	b.put("manifest-sha512.txt", hex.EncodeToString(sums[:])+"  data/a.txt\r\n")
	b.put("manifest-blake9.txt", "00 data/a.txt\n")
	b.put("tagmanifest-sha256.txt", sum256(string(b.MapFS["bagit.txt"].Data))+" bagit.txt\n")
	report, err := VerifyBag(b.root(), b.small, b, nil)
	require.NoError(t, err)
	assert.Empty(t, report.Problems)
	assert.Equal(t, []string{"manifest-blake9.txt: no checksums of that kind are known here"}, report.Passed)
	assert.Equal(t, 2, report.Files, "one of them by two manifests")
	b.put("bagit.txt", "BagIt-Version: 0.97\n")
	report, err = VerifyBag(b.root(), b.small, b, nil)
	require.NoError(t, err)
	require.Len(t, report.Problems, 1)
	assert.Equal(t, Problem{Altered, "bagit.txt", "it holds something else"}, report.Problems[0])
	for name, text := range map[string]string{"bagit.txt": "hello", "manifest-sha256.txt": "abc ../../x\n"} {
		c := bagged(files)
		c.put(name, text)
		_, err := VerifyBag(c.root(), c.small, c, nil)
		assert.Error(t, err, name)
	}
	c := bagged(files)
	delete(c.MapFS, "manifest-sha256.txt")
	_, err = VerifyBag(c.root(), c.small, c, nil)
	assert.ErrorContains(t, err, "no manifest")
	_, err = VerifyBag(c.root(), func(string) ([]byte, error) { return nil, errors.New("shut") }, c, nil)
	assert.EqualError(t, err, "shut")
}

func TestBackupsAreReadAsTheyAreWritten(t *testing.T) {
	b := &Inventory{ID: "i", Project: "Ola", From: "/C/Ola", Made: time.Date(2027, 3, 9, 0, 0, 0, 0, time.UTC), Entries: []Entry{{Path: "Letters/", Time: 5}, {Path: "a.txt", Size: 3, Time: 7, Sum: sum256("one")}, {Path: "b\xe9t\xe9/", Mode: 0o700}, {Path: "b\xe9t\xe9/\n\"x\".txt", Size: 1, Sum: sum256("x")}, {Path: "link", To: "b\xe9"}}}
	data, err := b.Encode()
	require.NoError(t, err)
	again, err := ParseInventory(data)
	require.NoError(t, err)
	assert.Equal(t, b, again)
	m, size := again.Manifest("data")
	assert.Equal(t, map[string]string{"data/a.txt": sum256("one"), "data/b\xe9t\xe9/\n\"x\".txt": sum256("x")}, m.Sums)
	assert.EqualValues(t, 4, size)
	head, err := ParseHead(data[:bytes.Index(data, []byte("a.txt"))])
	require.NoError(t, err)
	assert.Equal(t, "Ola", head.Project, "its begin is enough for its head")
	in := box{fstest.MapFS{}}
	in.put("a.txt", "one")
	in.put("own.json", "x")
	m, _ = again.Manifest("")
	delete(m.Sums, "b\xe9t\xe9/\n\"x\".txt")
	assert.Empty(t, Verify(m, in.root(), func(p string) bool { return p == "own.json" }, in, nil).Problems)
	assert.Equal(t, []Problem{{Extra, "own.json", "it was not there when the backup was made"}}, Verify(m, in.root(), nil, in, nil).Problems)
	for text, want := range map[string]string{"": "damaged", "{}": "damaged", `{"vestibula-backup": 9}`: "newer version", `{"vestibula-backup": 1, "entries": [{"path": "../x"}]}`: "leads out", `{"vestibula-backup": 1, "entries": [{"path": "/"}]}`: "leads out",
		`{"vestibula-backup": 1, "entries": [{"path": "a"}, {"path": "a/"}]}`: "twice", `{"vestibula-backup": 1, "entries": [{"path": "a", "size": -1}]}`: "size"} {
		_, err := ParseInventory([]byte(text))
		assert.ErrorContains(t, err, want, text)
	}
}

func FuzzParseManifest(f *testing.F) {
	f.Add([]byte("abc  data/x\r\ndef *data/100%25\n"))
	f.Add([]byte("ab\tdata/my file \nac ** data/y\nad * z%0A./"))
	f.Fuzz(func(t *testing.T, data []byte) {
		m, err := ParseManifest("sha256", data)
		if err != nil {
			return
		}
		again, err := ParseManifest("sha256", m.Bytes())
		if err != nil {
			t.Fatalf("written, it cannot be read: %v", err)
		}
		for name, sum := range m.Sums {
			if again.Sums[name] != sum {
				t.Fatalf("%q has become another one", name)
			}
			if strings.HasPrefix(name, "/") || strings.Contains("/"+name+"/", "/../") {
				t.Fatalf("%q leads out", name)
			}
		}
	})
}

func FuzzParseBackup(f *testing.F) {
	f.Add([]byte(`{"vestibula-backup": 1, "entries": [{"path": "a/"}, {"path": "a/b", "sum": "00"}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		b, err := ParseInventory(data)
		if err != nil {
			return
		}
		m, _ := b.Manifest("data")
		for name := range m.Sums {
			if !strings.HasPrefix(name, "data/") {
				t.Fatalf("%q leads out", name)
			}
		}
		if out, err := b.Encode(); err != nil || !bytes.Contains(out, []byte("vestibula-backup")) {
			t.Fatal(err)
		}
	})
}
