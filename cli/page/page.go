// Package page writes self-contained HTML pages: no network, no script, readable on
// light and dark screens and on paper. All texts are untrusted and are escaped.
package page

import (
	"bytes"
	_ "embed"
	"html/template"
	"regexp"
	"strings"
	"sync"

	"vestibula/core/guide"
)

//go:embed page.css
var style string

//go:embed page.html
var frame string

//go:embed projects.html
var matrix string

// A Table has one row for each thing.
type Table struct {
	Title    string
	Headings []string
	Rows     [][]string
}

// day is a day, a month or a name of a time, which no line breaks.
var day = regexp.MustCompile(`\d{4}-[\dQW]\d{0,2}(?:-\d{2})?`)

// dated is a text, escaped, in which no line breaks within a day.
func dated(text string) template.HTML {
	var b strings.Builder
	last := 0
	for _, at := range day.FindAllStringIndex(text, -1) {
		b.WriteString(template.HTMLEscapeString(text[last:at[0]]) + `<span class="day">` + template.HTMLEscapeString(text[at[0]:at[1]]) + "</span>")
		last = at[1]
	}
	return template.HTML(b.String() + template.HTMLEscapeString(text[last:]))
}

// broken is how long a cell is, in bytes, before it may be broken: no date ever is.
const broken = 16

var whole = sync.OnceValue(func() *template.Template {
	return template.Must(template.New("page").Funcs(template.FuncMap{
		"dated": dated,
		"short": func(cell string) bool { return len(cell) <= broken },
		"label": func(headings []string, i int) string {
			if i == 0 || i >= len(headings) {
				return "" // what a row is about needs no word in front
			}
			return headings[i]
		}}).Parse(frame))
})

// Tables is a page of tables. The error is one of the program itself.
func Tables(title, about string, tables []Table) ([]byte, error) {
	var out bytes.Buffer
	err := whole().Execute(&out, map[string]any{"Title": title, "About": about, "Tables": tables, "Style": template.CSS(style)})
	return out.Bytes(), err
}

// A Projects page shows how projects stand against the parts of their templates.
type Projects struct {
	Title, About string
	Summary      string
	Care         []Row // those that are not as they should be
	More         int   // how many more there are
	Weeks        []Week
	Groups       []Group
}

// A Week is one of the calendar strip, with what is due in it.
type Week struct {
	Name  string
	Count int
	Items string // what it is, for a tool tip
	Late  bool
}

// A Group is the projects of one template.
type Group struct {
	Template string
	Parts    []string
	Rows     []Row
	Due      bool // something has to be delivered
}

// A Row is one project.
type Row struct {
	ID          string // of the row, on the page
	Name, State string
	Care        string // "well", "late" (somebody is needed) or "wrong"
	Cells       []Cell // of the parts
	Delivered   int
	Due         int
	Percent     int
	Next        string
	Touched     string
}

// A Cell says how a part of a project stands.
type Cell struct {
	Sign  string // a letter or a sign: no meaning is told by colour alone
	Class string
	Says  string
}

var projects = sync.OnceValue(func() *template.Template {
	return template.Must(template.New("projects").Funcs(template.FuncMap{"dated": dated}).Parse(matrix))
})

// Bytes is the page. The error is one of the program itself.
func (p *Projects) Bytes() ([]byte, error) {
	var out bytes.Buffer
	err := projects().Execute(&out, map[string]any{"Page": p, "Style": template.CSS(style)})
	return out.Bytes(), err
}

//go:embed guide.html
var guideFrame string

//go:embed guide.css
var guideStyle string

// slotColours is how many colours tell the slots of a name apart.
const slotColours = 5

var guides = sync.OnceValue(func() *template.Template {
	return template.Must(template.New("guide").Funcs(template.FuncMap{
		"dated":     dated,
		"slotclass": func(i int) int { return (i / 2) % slotColours },
		"endings":   func(list []string) string { return "." + strings.Join(list, ", .") },
	}).Parse(guideFrame))
})

// Guide is the page of templates for those who join, of one or of all kinds of projects in a folder, which is
// its title then. The error is one of the program itself.
func Guide(title string, pages []*guide.Page) ([]byte, error) {
	var out bytes.Buffer
	head := &guide.Page{Language: pages[0].Language, Title: title}
	if len(pages) == 1 {
		head = pages[0]
	}
	err := guides().Execute(&out, map[string]any{"Head": head, "Pages": pages, "Several": len(pages) > 1, "Style": template.CSS(style + guideStyle)})
	return out.Bytes(), err
}
