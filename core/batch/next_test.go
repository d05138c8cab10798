package batch

import (
	"io/fs"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/table"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A shelf is a place in which only lists are asked for.
type shelf struct {
	tree.Place
	folders map[string]string
}

func (s shelf) List(path string) (list []tree.Entry, err error) {
	names, there := s.folders[path]
	if !there {
		return nil, fs.ErrNotExist
	}
	for name := range strings.SplitSeq(names, ", ") {
		list = append(list, tree.Entry{Name: name})
	}
	return list, nil
}

func TestProjectsAreNumberedAmongTheirSiblings(t *testing.T) {
	tpl, err := template.Parse("t", "---\nfields:\n  year: { type: year }\n  number: { type: number, next: yes, min: 100, max: 103 }\n  client: Who?\n---\nJobs <year>\n    <number:000> <client> | project\n        Notes\n", nil)
	require.NoError(t, err)
	assert.True(t, Counts(tpl))
	place := shelf{folders: map[string]string{"Jobs 2027": "100 Oriel Pask, 102 Jun Teague, 7 old, notes 200, 1000 far"}}
	rows := func(years ...string) *table.Table {
		tab := &table.Table{Headings: []string{"year", "client", "number"}}
		for i, y := range years {
			year, number, _ := strings.Cut(y, "#")
			tab.Rows = append(tab.Rows, table.Row{Number: i + 2, Cells: []table.Cell{{Text: year}, {Text: "Client " + string(rune('A'+i))}, {Text: number}}})
		}
		return tab
	}
	grow := func(tab *table.Table) (folders, problems []string) {
		b := &Batch{Template: tpl, Table: tab, Columns: map[string][]int{"year": {0}, "client": {1}, "number": {2}}, Wanted: func(int) bool { return true }, Limit: 100, Now: time.Now(), Counter: &Counter{Place: place}}
		b.Grow()
		for _, build := range b.Builds {
			folders = append(folders, build.Folder())
		}
		for _, p := range b.Problems {
			problems = append(problems, p.String())
		}
		return folders, problems
	}
	folders, problems := grow(rows("2027", "2028", "2028", "2027#101"))
	assert.Empty(t, problems)
	assert.Equal(t, []string{"Jobs 2027/103 Client A", "Jobs 2028/100 Client B", "Jobs 2028/101 Client C", "Jobs 2027/101 Client D"}, folders)
	_, problems = grow(rows("2027", "2027"))
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0], `no number is left for "number": it goes up to 103`)
	// A number that is given is not touched; one that shows nowhere counts nothing.
	values := template.Values{"number": value.OfNumber(5), "year": {Kind: value.Year, Year: 2027}}
	require.NoError(t, (&Counter{Place: place}).Fill(tpl, values, 100))
	assert.Equal(t, 5, values["number"].Number)
	hidden, err := template.Parse("t", "---\nfields: { number: { type: number, next: yes } }\n---\nA\n", nil)
	require.NoError(t, err)
	values = template.Values{}
	require.NoError(t, (&Counter{Place: place}).Fill(hidden, values, 100))
	assert.False(t, values["number"].Given())
}
