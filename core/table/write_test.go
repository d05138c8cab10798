package table

import (
	"bytes"
	"encoding/csv"
	"html"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"
)

// What is written is read back, by us and by others.
func TestWrittenTablesAreReadBack(t *testing.T) {
	odd := rapid.SampledFrom([]string{"=1+1", "007", "_x0041_x0042_", "a\"b,c;d", "<&>", "2027-03-09", "Ölvane", "_x00e9", "1e5", "'x", "TRUE", " x", "x ", "a\nb", "\x00", "\xff", "\uFFFE", "https://example.org"})
	text := rapid.OneOf(odd, rapid.StringOfN(rapid.RuneFrom([]rune("ab_x0041F ,;\"'=\t\r\u00a0é")), 0, 12, -1), rapid.String())
	rapid.Check(t, func(t *rapid.T) {
		rows := [][]string{{"from", "to"}}
		bad := false
		for range rapid.IntRange(1, 6).Draw(t, "rows") {
			row := []string{"./" + text.Draw(t, "from"), text.Draw(t, "to")}
			for _, s := range row {
				bad = bad || !utf8.ValidString(s) || strings.TrimSpace(s) != s || strings.ContainsFunc(s, unkept)
			}
			rows = append(rows, row)
		}
		for _, name := range []string{"plan.csv", "Plan.XLSX"} {
			data, err := Write(name, rows)
			if bad {
				var refusal *TextError
				require.ErrorAs(t, err, &refusal)
				continue
			}
			require.NoError(t, err)
			var others [][]string
			if name == "plan.csv" {
				others, err = csv.NewReader(bytes.NewReader(bytes.TrimPrefix(data, []byte("\uFEFF")))).ReadAll()
			} else {
				var book *excelize.File
				book, err = excelize.OpenReader(bytes.NewReader(data))
				require.NoError(t, err)
				others, err = book.GetRows("Plan")
			}
			require.NoError(t, err)
			ours, err := Read(name, data, Options{})
			require.NoError(t, err)
			require.Equal(t, rows[0], ours.Headings)
			require.Len(t, ours.Rows, len(rows)-1)
			for i, row := range rows[1:] {
				got := []string{}
				for _, c := range ours.Rows[i].Cells {
					got = append(got, c.Text)
				}
				assert.Equal(t, row, append(got, "")[:2], name)
				assert.Equal(t, row, append(others[i+1], "")[:2], name)
			}
		}
	})
	data, err := Write("x.xlsx", [][]string{{"to", "kind", "a", "b"}, {"", "", "x", "y"}, {"", "", "z", ""}}, List{Column: 0, From: 2, To: 3}, List{Column: 1, Of: []string{"BX", "MP"}}, List{Column: 1, Of: []string{"one, two"}})
	require.NoError(t, err)
	book, err := excelize.OpenReader(bytes.NewReader(data))
	require.NoError(t, err)
	lists, err := book.GetDataValidations("Plan")
	require.NoError(t, err)
	require.Len(t, lists, 2, "what cannot be written as a list is none")
	assert.Equal(t, []string{"A2:A3", "$C2:$D2", "B2:B3", `"BX,MP"`}, []string{lists[0].Sqref, lists[0].Formula1, lists[1].Sqref, html.UnescapeString(lists[1].Formula1)})
	_, err = Write("plan.txt", nil)
	assert.ErrorContains(t, err, "a table ends in .csv or .xlsx")
}
