package cli

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"path/filepath"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/table"
	"vestibula/core/tree"
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

// write writes what was found into a new file, in the form that its ending says.
func (r *readRun) write() error {
	rows := r.rows()
	var data []byte
	var err error
	switch strings.ToLower(filepath.Ext(r.outFile)) {
	case ".json":
		var text bytes.Buffer
		enc := json.NewEncoder(&text)
		enc.SetEscapeHTML(false)
		enc.SetIndent("", "  ")
		err = enc.Encode(r.result())
		data = text.Bytes()
	case ".md":
		data = []byte(markdown(rows))
	case ".txt":
		data = []byte(aligned(rows))
	case ".csv", ".xlsx":
		for _, row := range rows[1:] {
			row[0] = "./" + strings.TrimPrefix(row[0], "./") // no cell is a formula
			if filepath.IsAbs(strings.TrimPrefix(row[0], "./")) {
				row[0] = strings.TrimPrefix(row[0], "./")
			}
			for i := 1; i < len(row); i++ {
				row[i] = harmless(row[i])
			}
		}
		data, err = table.Write(r.outFile, rows)
	default:
		return unclear("end it in .csv, .xlsx, .json, .md or .txt", "%s: its ending does not say what to write", r.outFile)
	}
	if err != nil {
		return refused("", "Nothing was written: %v", err)
	}
	if err := r.makeFiles("read", filepath.Base(r.outFile), []newFile{{r.outFile, tree.Bytes(data)}}, false); err != nil {
		return err
	}
	r.screen.Text(term.Good.Render("Written") + term.Sprintf(": %s, %s.", r.outFile, term.Count(len(rows)-1, "row")))
	return nil
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
