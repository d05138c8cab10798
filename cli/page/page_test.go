package page

import (
	"bytes"
	"math"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"
	"pgregory.net/rapid"
)

// counted are the elements of a page by their names, and its texts. The parser is that of
// the Go project, which reads pages as browsers do (WHATWG HTML).
func counted(t require.TestingT, page []byte) (elements map[string]int, texts []string, attributes []html.Attribute) {
	doc, err := html.Parse(bytes.NewReader(page))
	require.NoError(t, err)
	elements = map[string]int{}
	for n := range doc.Descendants() {
		switch n.Type {
		case html.ElementNode:
			elements[n.Data]++
			attributes = append(attributes, n.Attr...)
		case html.TextNode:
			texts = append(texts, n.Data)
		}
	}
	return elements, texts, attributes
}

var hostile = []string{"<script>alert(1)</script>", "</td></table><h1>", `"><img src=x onerror=alert(1)>`, "' onclick='x", "<!-- ", "&lt;b&gt;", "{{.}}", "javascript:alert(1)", "</style><svg onload=x>", "Oriel Pask", ""}

// Whatever stands in it, a page has just the elements that it is made of, and each text
// comes out as it went in.
func TestNothingOfATextBecomesAPartOfThePage(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.SampledFrom(hostile)
		plain, err := Tables("x", "x", []Table{{Title: "x", Headings: []string{"a", "b"}, Rows: [][]string{{"c", "d"}}}})
		require.NoError(t, err)
		want, _, _ := counted(t, plain)
		in := []string{text.Draw(t, "title") + "x", text.Draw(t, "about") + "x", text.Draw(t, "table") + "x", text.Draw(t, "heading") + "x", text.Draw(t, "cell")}
		page, err := Tables(in[0], in[1], []Table{{Title: in[2], Headings: []string{in[3], "b"}, Rows: [][]string{{in[4], "d"}}}})
		require.NoError(t, err)
		have, texts, attributes := counted(t, page)
		require.Equal(t, want, have)
		for _, text := range in {
			if text != "" {
				require.Contains(t, texts, text)
			}
		}
		for _, a := range attributes {
			require.False(t, strings.HasPrefix(a.Key, "on"), a)
			require.NotContains(t, []string{"src", "href"}, a.Key, "no network")
		}
	})
}

func TestAPageOfProjects(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.SampledFrom(hostile)
		n, parts := rapid.IntRange(0, 5).Draw(t, "projects"), rapid.IntRange(0, 3).Draw(t, "parts")
		g := Group{Template: text.Draw(t, "template"), Due: rapid.Bool().Draw(t, "due")}
		for range parts {
			g.Parts = append(g.Parts, text.Draw(t, "part"))
		}
		for range n {
			row := Row{Name: text.Draw(t, "name"), State: text.Draw(t, "state"), Care: rapid.SampledFrom([]string{"well", "wrong", "late"}).Draw(t, "care"), Delivered: 1, Due: 3, Percent: 33, Next: "2027-03-09"}
			for range parts {
				row.Cells = append(row.Cells, Cell{Sign: "!", Class: "wrong", Says: text.Draw(t, "says")})
			}
			g.Rows = append(g.Rows, row)
		}
		p := &Projects{Title: text.Draw(t, "title"), Summary: text.Draw(t, "summary"), Weeks: []Week{{Name: "late", Count: 2, Items: text.Draw(t, "items"), Late: true}}, Groups: []Group{g}}
		page, err := p.Bytes()
		require.NoError(t, err)
		elements, texts, attributes := counted(t, page)
		columns := 3 + parts // the project, its state, when it was touched
		if g.Due {
			columns += 2
		}
		require.Equal(t, 1, elements["h1"])
		require.Equal(t, 1, elements["script"], "its own")
		require.Zero(t, elements["img"]+elements["svg"]+elements["a"]+elements["link"])
		require.Equal(t, columns+n, elements["th"], "a heading for each column and each row")
		require.Equal(t, n*(columns-1), elements["td"])
		require.Equal(t, 1+n, elements["tr"])
		for _, row := range g.Rows {
			if row.State != "" {
				require.Contains(t, texts, row.State)
			}
		}
		scopes := 0
		for _, a := range attributes {
			require.False(t, strings.HasPrefix(a.Key, "on"), a)
			if a.Key == "scope" {
				scopes++
			}
		}
		require.Equal(t, elements["th"], scopes)
	})
}

// Texts are readable on light and dark: 4.5 to 1 and more, by the formula of WCAG 2.1.
func TestColoursHaveContrast(t *testing.T) {
	schemes := strings.SplitN(style, "@media (prefers-color-scheme: dark)", 2)
	require.Len(t, schemes, 2)
	for i, css := range schemes {
		colour := func(name string) float64 {
			_, rest, found := strings.Cut(css, "--"+name+": #")
			require.True(t, found, "%s in scheme %d", name, i)
			return luminance(t, rest[:6])
		}
		for _, pair := range [][2]string{{"ink", "paper"}, {"soft", "paper"}, {"accent", "paper"}, {"ink", "band"}, {"soft", "band"}, {"well", "wellbg"}, {"wrong", "wrongbg"}, {"late", "latebg"}, {"open", "openbg"}, {"ink", "wrongbg"}, {"ink", "latebg"}, {"well", "paper"}, {"late", "wrongbg"}} {
			a, b := colour(pair[0]), colour(pair[1])
			assert.GreaterOrEqual(t, (max(a, b)+0.05)/(min(a, b)+0.05), 4.5, "%s on %s in scheme %d", pair[0], pair[1], i)
		}
	}
}

// luminance is that of a colour such as 7a3b12 (WCAG 2.1, relative luminance).
func luminance(t *testing.T, hex string) float64 {
	var sum float64
	for i, weight := range []float64{0.2126, 0.7152, 0.0722} {
		n, err := strconv.ParseUint(hex[2*i:2*i+2], 16, 8)
		require.NoError(t, err)
		c := float64(n) / 255
		if c <= 0.04045 {
			c /= 12.92
		} else {
			c = math.Pow((c+0.055)/1.055, 2.4)
		}
		sum += weight * c
	}
	return sum
}
