package reference

import (
	"fmt"
	"html"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/text"
	web "golang.org/x/net/html"
	"pgregory.net/rapid"
)

// shelf makes files in a new folder: a path, and what it holds; a path that ends in a
// slash is a folder, and one with → is a link.
func shelf(t require.TestingT, files ...string) (dir string, remove func()) {
	dir, err := os.MkdirTemp("", "vestibula-reference-")
	require.NoError(t, err)
	dir, err = filepath.EvalSymlinks(dir)
	require.NoError(t, err)
	for i := 0; i < len(files); i += 2 {
		at := filepath.Join(dir, files[i])
		if strings.HasSuffix(files[i], "/") {
			require.NoError(t, os.MkdirAll(at, 0o777))
			continue
		}
		require.NoError(t, os.MkdirAll(filepath.Dir(at), 0o777))
		if to, link := strings.CutPrefix(files[i+1], "→ "); link {
			require.NoError(t, os.Symlink(strings.ReplaceAll(to, "DIR", dir), at))
			continue
		}
		require.NoError(t, os.WriteFile(at, []byte(files[i+1]), 0o666))
	}
	return filepath.ToSlash(dir), func() { os.RemoveAll(dir) }
}

// What stands in texts, and how it stands there when Tides has become Water/Tide
// tables, log.txt in it list 1.txt, and Gone has gone.
func TestPathsInTextsFollow(t *testing.T) {
	for _, x := range []struct{ file, says, becomes string }{
		{"a.md", "[a](Tides/log.txt#top \"t\")", "[a](Water/Tide%20tables/list%201.txt#top \"t\")"},
		{"a.md", "![a](<Tides/b (c).png>)", "![a](<Water/Tide tables/b %28c%29.png>)"},
		{"a.md", "![a](Tides/b%20\\(c\\).png)", "![a](Water/Tide%20tables/b%20%28c%29.png)"},
		{"a.md", "![a](Tides/b%20(c).png)", "![a](Water/Tide%20tables/b%20%28c%29.png)"},
		{"a.md", "[a]: ./Tides/\n<img src='Tides/log.txt'>", "[a]: ./Water/Tide%20tables/\n<img src='Water/Tide%20tables/list%201.txt'>"},
		{"a.md", "[a](Tides/%C3%A4.txt) [b](Tides/ä.txt)", "[a](Water/Tide%20tables/%C3%A4.txt) [b](Water/Tide%20tables/ä.txt)"},
		{"a.md", "see `Tides/log.txt`, Tides/log.txt. And Tides/, (Tides)", "see `Water/Tide tables/list 1.txt`, Water/Tide tables/list 1.txt. And Water/Tide tables/, (Tides)"},
		{"a.md", "[a](https://x.example/Tides/log.txt) //Tides/log.txt mailto:Tides/log.txt", "[a](https://x.example/Tides/log.txt) //Tides/log.txt mailto:Tides/log.txt"},
		{"a.md", "Tides/none.txt Tides/log.txt.bak xTides/log.txt Tides/logs Tides-old/log.txt", "Tides/none.txt Tides/log.txt.bak xTides/log.txt Tides/logs Tides-old/log.txt"},
		{"a.txt", "..\\a\\Tides\\log.txt \"Tides\\b (c).png\"", "..\\a\\Tides\\log.txt \"Water\\Tide tables\\b (c).png\""},
		{"Tides/in.txt", "log.txt ../a.md ../Buoys/x.txt b (c).png", "list 1.txt ../../a.md ../../Buoys/x.txt b (c).png"},
		{"Buoys/x.txt", "../Tides/log.txt a.md ../a.md", "../Water/Tide tables/list 1.txt a.md ../a.md"},
		{"a.html", "<a href='Tides/a&amp;b.html?x=1&amp;y#z'>Tides/log.txt</a><!-- <a href='Tides/log.txt'> --><p data = Tides/log.txt>", "<a href='Water/Tide%20tables/a&amp;b.html?x=1&amp;y#z'>Tides/log.txt</a><!-- <a href='Tides/log.txt'> --><p data = Water/Tide%20tables/list%201.txt>"},
		{"a.html", "<img srcset=\"Tides/log.txt 1x,Tides/b%20(c).png 2x\"><a href=\"/Tides/\">", "<img srcset=\"Water/Tide%20tables/list%201.txt 1x,Water/Tide%20tables/b%20%28c%29.png 2x\"><a href=\"/Water/Tide%20tables\">"},
		{"a.html", "<base href='/x/'><a href='Tides/log.txt'><script>'<a href=\"Tides/log.txt\">'</script>", "<base href='/x/'><a href='Tides/log.txt'><script>'<a href=\"Tides/log.txt\">'</script>"},
		{"a.css", "url(Tides/log.txt)", "url(Water/Tide tables/list 1.txt)"},
		{"a.doc", "Tides/log.txt", "Tides/log.txt"},
	} {
		files := []string{"Tides/log.txt", "", "Tides/b (c).png", "", "Tides/a&b.html", "", "Tides/ä.txt", "", "Buoys/x.txt", "", "a.md", "", x.file, x.says}
		dir, remove := shelf(t, files...)
		m := &Moves{}
		m.Add(dir+"/Tides", dir+"/Water/Tide tables")
		m.Add(dir+"/Tides/log.txt", dir+"/Water/Tide tables/list 1.txt")
		found, err := (&Search{Moves: m, Roots: []string{dir}}).Find()
		require.NoError(t, err)
		if _, becomes, changed := found.Fixed(dir + "/" + x.file); changed {
			assert.Equal(t, x.becomes, becomes, "in %s", x.file)
		} else {
			assert.Equal(t, x.becomes, x.says, "in %s", x.file)
		}
		remove()
	}
}

func TestLinksFollowAndWhatGoesIsTold(t *testing.T) {
	dir, remove := shelf(t, "Tides/log.txt", "", "Buoys/rel", "→ ../Tides/log.txt", "Buoys/abs", "→ DIR/Tides", "Tides/up", "→ ../Buoys", "Tides/in", "→ log.txt", "dead", "→ nowhere",
		"gone.md", "", "a.md", "x\n[x](gone.md)", "latin.txt", "\xe4", ".hidden/a.md", "[x](../gone.md)")
	defer remove()
	m := &Moves{}
	m.Add(dir+"/Tides", dir+"/Deep/Tides")
	m.Remove(dir + "/gone.md")
	found, err := (&Search{Moves: m, Roots: []string{dir}}).Find()
	require.NoError(t, err)
	var told []string
	for _, b := range found.Broken {
		told = append(told, strings.ReplaceAll(fmt.Sprintf("%s:%d %s > %s", b.File, b.Line, b.Says, b.Becomes), dir, "D"))
	}
	assert.Equal(t, []string{"D/Buoys/abs:0 D/Tides > D/Deep/Tides", "D/Buoys/rel:0 ../Tides/log.txt > ../Deep/Tides/log.txt", "D/Tides/up:0 ../Buoys > ../../Buoys", "D/a.md:2 gone.md > "}, told)
	assert.Equal(t, 5, found.Links)
	assert.Equal(t, []Passed{{dir + "/latin.txt", "it is written in another encoding than UTF-8"}}, found.Passed)
	_, _, changed := found.Fixed(dir + "/a.md")
	assert.False(t, changed)
	found, err = (&Search{Moves: m, Tops: []string{dir}}).Find()
	require.NoError(t, err)
	assert.Equal(t, 3, found.Texts+found.Links+len(found.Broken)-1, "only the files of the folder itself: %v", found)
}

// leads are where the links of a text lead, as other programs read it.
func leads(t require.TestingT, file, source string) (list []string) {
	add := func(address string) {
		u, err := url.Parse(address)
		require.NoError(t, err, "%q", address)
		list = append(list, path.Join(path.Dir(file), u.Path))
	}
	if strings.HasSuffix(file, ".md") {
		doc := goldmark.DefaultParser().Parse(text.NewReader([]byte(source)))
		require.NoError(t, ast.Walk(doc, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
			if l, is := n.(*ast.Link); is && entering {
				add(string(l.Destination))
			}
			return ast.WalkContinue, nil
		}))
		return list
	}
	doc, err := web.Parse(strings.NewReader(source))
	require.NoError(t, err)
	for n := range doc.Descendants() {
		for _, a := range n.Attr {
			if a.Key == "href" {
				add(a.Val)
			}
		}
	}
	return list
}

// Whatever moves, each link of a text leads to the same file as before, in the eyes of
// programs that know nothing of this one.
func TestWhateverMovesLinksLeadToTheSameFiles(t *testing.T) {
	names := []string{"a", "b b", "c&d", "ä", "e(f", "g%20h", "i#j", "k'l", "m_n", "100%", "x;y", "o[p]"}
	rapid.Check(t, func(t *rapid.T) {
		name := func(what string) string { return rapid.SampledFrom(names).Draw(t, what) }
		files := map[string]bool{}
		for i := range rapid.IntRange(2, 6).Draw(t, "files") {
			files[path.Join(name("dir"), name("dir"), fmt.Sprintf("%s %d.bin", name("file"), i))] = true
		}
		kind := rapid.SampledFrom([]string{".md", ".html"}).Draw(t, "kind")
		page := path.Join(name("page"), "page"+kind)
		var source strings.Builder
		var args, want []string
		for f := range files {
			args = append(args, f, f)
		}
		for i := 0; i < len(args); i += 2 {
			f := args[i]
			to, err := filepath.Rel(path.Dir(page), f)
			require.NoError(t, err)
			parts := strings.Split(to, "/")
			for i := range parts {
				parts[i] = url.PathEscape(parts[i])
			}
			to = strings.Join(parts, "/")
			switch {
			case kind == ".html":
				fmt.Fprintf(&source, "<p class=x><a href=\"%s#x\">%s</a>\n", html.EscapeString(to), html.EscapeString(f))
			case rapid.Bool().Draw(t, "angled"):
				fmt.Fprintf(&source, "* [x](<%s>) y\n", to)
			default:
				fmt.Fprintf(&source, "[x]( %s \"t\") z\n\n", strings.NewReplacer("(", "%28", ")", "%29").Replace(to))
			}
			want = append(want, f)
		}
		dir, remove := shelf(t, append(args, page, source.String())...)
		defer remove()
		for i := range want {
			want[i] = path.Join(dir, want[i])
		}
		require.Equal(t, want, leads(t, path.Join(dir, page), source.String()), "before")
		m := &Moves{}
		for range rapid.IntRange(1, 3).Draw(t, "moves") {
			from := rapid.SampledFrom(append(args, page)).Draw(t, "what")
			if rapid.Bool().Draw(t, "its folder") {
				from = path.Dir(from)
			}
			m.Add(path.Join(dir, from), path.Join(dir, name("to"), name("to")+fmt.Sprint(len(m.to))))
		}
		found, err := (&Search{Moves: m, Roots: []string{dir}}).Find()
		require.NoError(t, err)
		for i := range want {
			want[i], _ = m.After(want[i])
		}
		after, _ := m.After(path.Join(dir, page))
		if !strings.HasSuffix(after, kind) {
			after += kind // it got another name, for this test alone
		}
		fixed := source.String()
		if _, becomes, changed := found.Fixed(path.Join(dir, page)); changed {
			fixed = becomes
		}
		assert.Equal(t, want, leads(t, after, fixed), "%s\n%s", source.String(), fixed)
	})
}

func FuzzTexts(f *testing.F) {
	dir, remove := shelf(f, "a/b c.txt", "", "a/d.md", "", "e.html", "")
	f.Cleanup(remove)
	for _, seed := range []string{"[x](a/b%20c.txt) <img src='e.html'>", "[x](<a/b c.txt>)", "[x]: a/d.md", "a/b c.txt a\\d.md ./e.html", "<a href=a/d.md?x&amp;y#z srcset='a/d.md 1x, e.html'>", "](](<"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		m := &Moves{}
		m.Add(dir+"/a", dir+"/x y/z")
		for _, read := range []reader{markdown, page, plain} {
			f := &finder{Search: &Search{Moves: m, Roots: []string{dir}}, folders: map[string]*folder{}}
			end := 0
			for _, one := range read(f, text, dir) {
				if one.start < end || one.end <= one.start || one.end > len(text) {
					t.Fatalf("%q: %d to %d after %d", text, one.start, one.end, end)
				}
				if end = one.end; !strings.HasPrefix(one.target, "/") {
					t.Fatalf("%q leads to %q", text, one.target)
				}
			}
		}
	})
}
