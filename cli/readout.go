package cli

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/page"
	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/table"
)

// csv prints one table with the fields of all conventions.
func (r *readRun) csv() error {
	var data bytes.Buffer
	w := csv.NewWriter(&data)
	for _, row := range r.rows() {
		for i := range row {
			row[i] = harmless(row[i])
		}
		_ = w.Write(row)
	}
	w.Flush()
	out := data.Bytes()
	if r.screen.Terminal {
		out = []byte(term.Lines(data.String()))
	}
	if _, err := r.out.Write(out); err != nil {
		return unwritten(err)
	}
	return nil
}

// harmless keeps a spreadsheet from taking a cell for a formula: it begins with
// an apostrophe then, which spreadsheets do not show (OWASP, "CSV Injection").
func harmless(cell string) string {
	if cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
		return "'" + cell
	}
	return cell
}

// write writes what was found into a new file.
func (r *readRun) write() error {
	rows := r.rows()
	if ending := strings.ToLower(filepath.Ext(r.outFile)); ending == ".csv" || ending == ".xlsx" {
		for _, row := range rows[1:] {
			if !filepath.IsAbs(row[0]) {
				row[0] = "./" + strings.TrimPrefix(row[0], "./") // no cell is a formula
			}
		}
	}
	about := string(term.Count(len(rows)-1, "row"))
	if len(r.where) > 0 {
		about += ": " + strings.Join(r.where, ", ")
	}
	return r.writeRows("read", r.outFile, outRows{title: "What the names say", about: about, rows: rows, json: r.result()})
}

// outEndings are those of files that rows can be written into.
const outEndings = ".csv, .xlsx, .json, .md, .txt or .html"

// outRows are rows that are written into a file, the headings first.
type outRows struct {
	title, about string
	rows         [][]string
	json         any
	before       []page.Table // that a page has above the rows
	heading      string       // of the rows, where others stand above them
}

// data is what a file of that name is to hold.
func (o *outRows) data(file string) ([]byte, error) {
	ending := strings.ToLower(filepath.Ext(file))
	switch ending {
	case ".json":
		var text bytes.Buffer
		enc := json.NewEncoder(&text)
		enc.SetEscapeHTML(false)
		enc.SetIndent("", "  ")
		err := enc.Encode(o.json)
		return []byte(address.Drives(nil).ShowIn(text.String())), err
	case ".md":
		return []byte(term.Called(markdown(filled(o.rows)))), nil
	case ".txt":
		return []byte(term.Called(aligned(filled(o.rows)))), nil
	case ".html":
		rows := filled(o.rows)
		tables := []page.Table{}
		for _, t := range o.before {
			tables = append(tables, page.Table{Title: t.Title, Headings: seen(t.Headings), Rows: seenAll(t.Rows)})
		}
		return page.Tables(string(term.Visible(o.title)), string(term.Visible(o.about)), append(tables, page.Table{Title: o.heading, Headings: seen(rows[0]), Rows: seenAll(rows[1:])}))
	case ".csv", ".xlsx":
		for _, row := range o.rows[1:] {
			for i := range row {
				row[i] = harmless(term.Called(row[i]))
			}
		}
		return table.Write(file, o.rows)
	}
	return nil, unclear("end it in "+outEndings, "%s: its ending does not say what to write", file)
}

// filled are rows without the columns that are empty: for people. Programs get all.
func filled(rows [][]string) (out [][]string) {
	if len(rows) < 2 {
		return rows
	}
	for range rows {
		out = append(out, nil)
	}
	for i := range rows[0] {
		if !slices.ContainsFunc(rows[1:], func(row []string) bool { return row[i] != "" }) {
			continue
		}
		for k := range rows {
			out[k] = append(out[k], rows[k][i])
		}
	}
	return out
}

// seen are texts with their control and unseen characters made visible.
func seen(texts []string) (out []string) {
	for _, t := range texts {
		out = append(out, string(term.Visible(t)))
	}
	return out
}

func seenAll(rows [][]string) (out [][]string) {
	for _, row := range rows {
		out = append(out, seen(row))
	}
	return out
}

// writeRows writes rows into a new file, in the form that its ending says.
func (a *app) writeRows(command, file string, rows outRows) error {
	data, err := rows.data(file)
	var s *stop
	if errors.As(err, &s) {
		return err
	}
	if err != nil {
		return refused("", "Nothing was written: %v", err)
	}
	return a.writeFile(command, file, data, term.Count(len(rows.rows)-1, "row"))
}

// markdown is a table of cells in Markdown, of which nothing in a cell can break out.
func markdown(rows [][]string) string {
	var b strings.Builder
	escape := strings.NewReplacer(`\`, `\\`, "|", `\|`, "<", "&lt;", "&", "&amp;", "\n", " ", "\r", " ", "`", "\\`", "*", `\*`, "_", `\_`, "[", `\[`)
	for i, row := range rows {
		for _, cell := range row {
			b.WriteString("| " + escape.Replace(cell) + " ")
		}
		b.WriteString("|\n")
		if i == 0 {
			b.WriteString(strings.Repeat("| --- ", len(row)) + "|\n")
		}
	}
	return b.String()
}

// aligned is a table in plain text.
func aligned(rows [][]string) string {
	widths := make([]int, len(rows[0]))
	for _, row := range rows {
		for i, cell := range row {
			widths[i] = max(widths[i], term.Columns(term.Visible(cell)))
		}
	}
	var b strings.Builder
	for _, row := range rows {
		line := ""
		for i, cell := range row {
			shown := string(term.Visible(cell))
			line += shown + strings.Repeat(" ", widths[i]-term.Columns(term.Visible(cell))+2)
		}
		b.WriteString(strings.TrimRight(line, " ") + "\n")
	}
	return b.String()
}
