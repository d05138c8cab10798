// Package page writes self-contained HTML pages: no network, no script, readable on
// light and dark screens and on paper. All texts are untrusted and are escaped.
package page

import (
	"bytes"
	_ "embed"
	"html/template"
)

//go:embed page.css
var style string

//go:embed page.html
var frame string

// A Table has one row for each thing.
type Table struct {
	Title    string
	Headings []string
	Rows     [][]string
}

// broken is how long a cell is, in bytes, before it may be broken: no date ever is.
const broken = 16

var whole = template.Must(template.New("page").Funcs(template.FuncMap{"short": func(cell string) bool { return len(cell) <= broken }}).Parse(frame))

// Tables is a page of tables. The error is one of the program itself.
func Tables(title, about string, tables []Table) ([]byte, error) {
	var out bytes.Buffer
	err := whole.Execute(&out, map[string]any{"Title": title, "About": about, "Tables": tables, "Style": template.CSS(style)})
	return out.Bytes(), err
}
