// Generate writes what is made from the code and the examples: the JSON Schema of
// the header, a page for each rule, the manual, and the example of a table as a
// workbook. Run it in the root of the project:
//
//	go generate .
package main

import (
	"encoding/csv"
	"encoding/json"
	"log"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/cpuguy83/go-md2man/v2/md2man"
	"github.com/xuri/excelize/v2"

	"vestibula/cli"
	"vestibula/core/rules"
)

// released is the date that the manual shows: that of the version, so that the
// pages change with their text only.
const released = "November 2026"

func main() {
	dir := "docs"
	if len(os.Args) > 1 {
		dir = os.Args[1]
	}
	schema, err := json.MarshalIndent(rules.Schema(), "", "  ")
	check(err)
	check(os.MkdirAll(filepath.Join(dir, "rules"), 0o777))
	check(os.WriteFile(filepath.Join(dir, "header.schema.json"), append(schema, '\n'), 0o666))
	for _, name := range rules.Names() {
		page, _ := rules.Explain(name)
		check(os.WriteFile(filepath.Join(dir, "rules", name+".md"), []byte(page.Markdown()), 0o666))
	}
	if dir == "docs" {
		check(writeWorkbook("examples/commissions.csv", "examples/commissions.xlsx"))
	}
	man := filepath.Join(dir, "man")
	check(os.MkdirAll(man, 0o777))
	root := cli.Command()
	for _, c := range append(root.Commands(), root) {
		name := strings.ReplaceAll(c.CommandPath(), " ", "-")
		check(os.WriteFile(filepath.Join(man, name+".1"), page(cli.Manual(c)), 0o666))
	}
	language, err := os.ReadFile("docs/language.md")
	check(err)
	_, body, _ := strings.Cut(string(language), "\n")
	check(os.WriteFile(filepath.Join(man, "vestibula-language.7"), page("% \"VESTIBULA-LANGUAGE\" \"7\"\n\n# NAME\n\nvestibula-language - how templates are written\n"+listed(strings.ReplaceAll(body, "\n## ", "\n# "))), 0o666))
}

// listed turns tables into lists: man would draw tables wider than any window.
func listed(markdown string) string {
	var b strings.Builder
	lines := strings.Split(markdown, "\n")
	for i, line := range lines {
		inside := strings.HasPrefix(line, "|")
		switch ruler := func(s string) bool { return strings.HasPrefix(s, "|---") }; {
		case inside && (ruler(line) || i+1 < len(lines) && ruler(lines[i+1])):
		case inside:
			cells := strings.Split(strings.ReplaceAll(strings.Trim(line, "| "), `\|`, "\x00"), " | ")
			for k, c := range cells {
				cells[k] = strings.TrimSpace(strings.ReplaceAll(c, "\x00", "|"))
			}
			b.WriteString(cells[0] + "\n: " + strings.Join(cells[1:], "; ") + "\n\n")
		default:
			b.WriteString(line + "\n")
		}
	}
	return b.String()
}

// page is a page for man.
func page(markdown string) []byte {
	head, rest, _ := strings.Cut(markdown, "\n")
	return md2man.Render([]byte(head + " \"" + released + "\" \"Vestibula " + cli.Version + "\"\n" + rest))
}

// writeWorkbook writes a table as a person keeps it in a spreadsheet: dates and
// answers as such, headings in bold, a second sheet, a sum.
func writeWorkbook(from, to string) error {
	f, err := os.Open(from)
	if err != nil {
		return err
	}
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	if err != nil {
		return err
	}
	const sheet = "Commissions"
	book := excelize.NewFile()
	check(book.SetSheetName("Sheet1", sheet))
	bold, err := book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	check(err)
	format := "d mmm yyyy"
	day, err := book.NewStyle(&excelize.Style{CustomNumFmt: &format, Alignment: &excelize.Alignment{Horizontal: "left"}})
	check(err)
	for r, cells := range rows {
		for c, text := range cells {
			at, _ := excelize.CoordinatesToCellName(c+1, r+1)
			switch received, err := time.Parse(time.DateOnly, text); {
			case r == 0:
				check(book.SetCellValue(sheet, at, text))
				check(book.SetCellStyle(sheet, at, at, bold))
			case err == nil:
				check(book.SetCellValue(sheet, at, received))
				check(book.SetCellStyle(sheet, at, at, day))
			case text == "yes" || text == "no":
				check(book.SetCellBool(sheet, at, text == "yes"))
			case text != "":
				check(book.SetCellStr(sheet, at, text))
			}
		}
	}
	for column, width := range map[string]float64{"A": 20, "B": 14, "E": 34, "F": 30} {
		check(book.SetColWidth(sheet, column, column, width))
	}
	_, err = book.NewSheet("Prices")
	check(err)
	check(book.SetSheetRow("Prices", "A1", &[]any{"Kind", "From"}))
	check(book.SetSheetRow("Prices", "A2", &[]any{"BK", 180}))
	check(book.SetSheetRow("Prices", "A3", &[]any{"BX", 95}))
	check(book.SetCellFormula("Prices", "B4", "SUM(B2:B3)"))
	return book.SaveAs(to)
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}
