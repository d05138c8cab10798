package main

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// A roll is a table as a person works on it, in a program of their own.
type roll struct {
	t    *testing.T
	file string
}

const rollSheet = "People"

// rows are the cells of the table, the headings first.
func (r *roll) rows() (rows [][]string) {
	if strings.HasSuffix(r.file, ".csv") {
		f, err := os.Open(r.file)
		require.NoError(r.t, err)
		defer f.Close()
		in := csv.NewReader(f)
		in.FieldsPerRecord = -1
		rows, err = in.ReadAll()
		require.NoError(r.t, err)
		return rows
	}
	book, err := excelize.OpenFile(r.file)
	require.NoError(r.t, err)
	defer book.Close()
	rows, err = book.GetRows(rollSheet)
	require.NoError(r.t, err)
	return rows
}

// save writes the table as that program does.
func (r *roll) save(rows [][]string) {
	wide := len(rows[0])
	if strings.HasSuffix(r.file, ".csv") {
		f, err := os.Create(r.file)
		require.NoError(r.t, err)
		defer f.Close()
		out := csv.NewWriter(f)
		for _, row := range rows {
			require.NoError(r.t, out.Write(append(row, make([]string, wide-len(row))...)))
		}
		out.Flush()
		return
	}
	book, err := excelize.OpenFile(r.file)
	if err != nil {
		book = excelize.NewFile()
		_, err = book.NewSheet("Prices")
		require.NoError(r.t, err)
		require.NoError(r.t, book.SetSheetName("Sheet1", rollSheet))
		require.NoError(r.t, book.SetCellFormula("Prices", "B1", "SUM(A1:A9)"))
	}
	defer book.Close()
	had, err := book.GetRows(rollSheet)
	require.NoError(r.t, err)
	for i := range max(len(had), len(rows)) {
		for k := range wide + 1 {
			cell, err := excelize.CoordinatesToCellName(k+1, i+1)
			require.NoError(r.t, err)
			text := ""
			if i < len(rows) && k < len(rows[i]) {
				text = rows[i][k]
			}
			require.NoError(r.t, book.SetCellStr(rollSheet, cell, text))
		}
	}
	require.NoError(r.t, book.SaveAs(r.file))
}

// column is where a heading stands.
func column(rows [][]string, heading string) int { return slices.Index(rows[0], heading) }

// A table of 300 rows goes through a term: whatever happens to it, one command brings the
// disk in step. What is there is compared with what the rows themselves say.
func TestATableGoesThroughATerm(t *testing.T) {
	t.Parallel()
	for _, file := range []string{"roll.csv", "roll.xlsx"} {
		t.Run(file, func(t *testing.T) {
			d := newDesk(t, "team.folders", "---\nfields:\n  surname: Surname?\n  name: First name?\n  site: { ask: Where?, default: \"\" }\n  shift: { type: yes-no, default: no }\n---\nTeam\n    Rules\n    <site>\n        <surname>, <name> | project\n            Papers\n            Shifts | when: shift\n",
				"out/own.txt", "mine")
			r := &roll{t, filepath.Join(d.dir, file)}
			rows := [][]string{{"surname", "name", "site", "shift", "phone"}}
			for i := range 300 {
				rows = append(rows, []string{fmt.Sprintf("Marrow%03d", i), "Ola", []string{"North", "South", ""}[i%3], []string{"yes", "no"}[i%2], fmt.Sprint(i)})
			}
			r.save(rows)
			var gone []string // projects whose rows were taken out
			inStep := func(why string) {
				t.Helper()
				out, status := d.run("build", "team", "--into", "out", "--table", file, "--mark", "--changed", "--again", "--yes")
				require.Zero(t, status, "%s: %s", why, out)
				want := map[string]bool{"own.txt": true, "Team/": true, "Team/Rules/": true}
				rows := r.rows()
				at := func(row []string, heading string) string {
					if k := column(rows, heading); k >= 0 && k < len(row) {
						return row[k]
					}
					return ""
				}
				folder := func(row []string) string {
					way := "Team/"
					if site := at(row, "site"); site != "" {
						way += site + "/"
						want[way] = true
					}
					return way + at(row, "surname") + ", " + at(row, "name")
				}
				project := func(own string, shift bool) {
					for _, p := range []string{"/", "/.vestibula.json", "/Papers/"} {
						want[own+p] = true
					}
					if shift {
						want[own+"/Shifts/"] = true
					}
				}
				for _, row := range rows[1:] {
					own := folder(row)
					project(own, at(row, "shift") == "yes")
					require.Equal(t, filepath.Join(d.dir, "out", filepath.FromSlash(own)), at(row, "built in"), why)
					require.Equal(t, "yes", at(row, "built"), why)
					var label struct{ ID string }
					require.NoError(t, json.Unmarshal([]byte(d.read("out/"+own+"/.vestibula.json")), &label))
					require.Equal(t, label.ID, at(row, "built as"), why)
				}
				has := d.has("out")
				for _, p := range has {
					if strings.HasSuffix(p, "mine.txt") || slices.ContainsFunc(gone, func(own string) bool { return strings.HasPrefix(p, own+"/") }) {
						continue
					}
					require.True(t, want[p], "%s: %s is there", why, p)
					delete(want, p)
				}
				require.Empty(t, want, why)
				out, _ = d.run("build", "team", "--into", "out", "--table", file, "--mark", "--changed", "--again", "--yes")
				assert.Contains(t, out, "Nothing to do", why)
			}
			inStep("built")

			rows = r.rows()
			slices.Reverse(rows[1:])
			r.save(rows)
			inStep("sorted")

			for i := 1; i <= 10; i++ {
				rows[2*i][column(rows, "shift")] = map[string]string{"yes": "no", "no": "yes"}[rows[2*i][column(rows, "shift")]]
			}
			d.write("out/Team/North/Marrow000, Ola/Papers/mine.txt", "mine")
			r.save(rows)
			inStep("ten ticks")

			for i, name := range []string{"Teague", "Ferry", "Quill"} {
				rows = r.rows()
				rows[40+i][column(rows, "surname")] = name
				r.save(rows)
			}
			last := rows[len(rows)-1] // Marrow000, with a file in it
			last[column(rows, "name")], last[column(rows, "site")] = "Olga", "South"
			r.save(rows)
			inStep("names")
			assert.Equal(t, "mine", d.read("out/Team/South/Marrow000, Olga/Papers/mine.txt"))

			rows = r.rows()
			for _, row := range rows[100:102] {
				own, err := filepath.Rel(filepath.Join(d.dir, "out"), row[column(rows, "built in")])
				require.NoError(t, err)
				gone = append(gone, filepath.ToSlash(own))
			}
			rows = slices.Delete(rows, 100, 102)
			r.save(rows)
			for _, own := range gone {
				d.write("out/"+own+"/Papers/mine.txt", "mine")
			}
			inStep("two rows taken out")

			rows = r.rows()
			require.NoError(t, os.RemoveAll(rows[7][column(rows, "built in")]))
			require.NoError(t, os.Rename(rows[8][column(rows, "built in")], filepath.Join(d.dir, "out", "Team", "Elsewhere")))
			out, status := d.run("build", "team", "--into", "out", "--table", file, "--preview")
			assert.Zero(t, status)
			assert.Contains(t, out, "gone: row 8 marked as built, of which nothing is there")
			assert.Contains(t, out, "Team/Elsewhere")
			assert.Contains(t, out, "lies there now")
			require.NoError(t, os.Rename(filepath.Join(d.dir, "out", "Team", "Elsewhere"), rows[8][column(rows, "built in")]))
			inStep("a folder was removed by hand")

			var fresh [][]string
			for i := range 20 {
				fresh = append(fresh, []string{fmt.Sprintf("New%02d", i), "Ida", "West", "no", ""})
			}
			rows = slices.Insert(r.rows(), 1, fresh...)
			r.save(rows)
			before := d.whole("out")
			marked := r.rows()
			inStep("twenty rows added above")
			// An undo takes the marks of its own rows out, and no others, in a table that has
			// been sorted meanwhile.
			rows = r.rows()
			slices.Reverse(rows[1:])
			rows[5][column(rows, "phone")] = "edited"
			r.save(rows)
			out, status = d.run("undo", "--yes")
			require.Zero(t, status, out)
			assert.Equal(t, before, d.whole("out"))
			slices.Reverse(marked[1:])
			for i, row := range r.rows() {
				assert.Equal(t, strings.HasPrefix(row[0], "New"), column(rows, "built") >= len(row) || row[column(rows, "built")] == "", row)
				assert.Equal(t, marked[i][0], row[0])
			}
			inStep("once more")
			if file == "roll.xlsx" {
				book, err := excelize.OpenFile(r.file)
				require.NoError(t, err)
				defer book.Close()
				formula, err := book.GetCellFormula("Prices", "B1")
				require.NoError(t, err)
				assert.Equal(t, "SUM(A1:A9)", formula)
			}
		})
	}
}
