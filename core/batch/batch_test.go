package batch

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/build"
	"vestibula/core/table"
	"vestibula/core/template"
	"vestibula/core/tree"
)

const places = "---\nfields: { country: Where?, town: Which town?, from: { type: month, default: 2027-01 }, people: { type: list, default: [a] }, no-more: { is: \"<town>\" } }\n---\n" +
	"<country>/<town> <from:yyyy>/\n    <#> Notes\n    <#> <who> | each: who in people\n"

// table reads the text of a table.
func tableOf(t require.TestingT, text string) *table.Table {
	out, err := table.Read("r.csv", []byte(text), table.Options{})
	require.NoError(t, err)
	return out
}

// grown returns the batch of a table.
func grownOf(t require.TestingT, text, rows string) *Batch {
	tpl, err := template.Parse("places.folders", places, nil)
	require.NoError(t, err)
	b := &Batch{Template: tpl, Table: tableOf(t, text), Limit: 1000, Now: time.Date(2027, 3, 9, 0, 0, 0, 0, time.UTC)}
	b.Wanted, err = ParseRows(rows)
	require.NoError(t, err)
	b.Columns, _, err = Join(tpl, b.Table, nil)
	require.NoError(t, err)
	b.Grow()
	return b
}

// busy is a place in which some names are taken by files.
type busy struct {
	tree.Place
	names map[string]bool
}

func (b busy) List(path string) (items []tree.Entry, err error) {
	for name := range b.names {
		if dir, base := filepath.Split(name); filepath.Clean(dir) == filepath.Clean(path) || dir == "" && path == "." {
			items = append(items, tree.Entry{Name: base, Kind: tree.File})
		}
	}
	return items, nil
}
func (busy) Writable(string) error { return nil }

// Whatever a table holds, each wanted row is built, left alone or told with its
// problem; what is built stands in the tree once; and the counts of the rows are
// those of the build.
func TestEachRowIsAccountedFor(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		countries, towns := []string{"Norland", "Sorland", "", "..", "a/b"}, []string{"Askel", "Birk", "Corm", ""}
		text := "Country;TOWN;people;built;built on;built in\n"
		n := rapid.IntRange(1, 12).Draw(t, "rows")
		for range n {
			text += strings.Join([]string{rapid.SampledFrom(countries).Draw(t, "country"), rapid.SampledFrom(towns).Draw(t, "town"),
				rapid.SampledFrom([]string{"", "x; y"}).Draw(t, "people"), rapid.SampledFrom([]string{"", "", "yes"}).Draw(t, "mark"), "", "z"}, ";") + "\n"
		}
		b := grownOf(t, text, rapid.SampledFrom([]string{"", "3-7"}).Draw(t, "wanted"))
		blocked := busy{names: map[string]bool{}}
		for _, name := range rapid.SliceOfN(rapid.SampledFrom([]string{"Norland", "Norland/Askel 2027", "a-b", "Sorland/x"}), 0, 2).Draw(t, "taken") {
			blocked.names[name] = true
		}
		p, err := build.Compare(b.Root(), blocked)
		require.NoError(t, err)
		for b.SetAside(p) {
			p, err = build.Compare(b.Root(), blocked)
			require.NoError(t, err)
		}
		b.CountSteps(p)
		known := map[int]int{}
		sum := [build.Blocked + 1]int{}
		folders := map[string]bool{}
		for _, build := range b.Builds {
			known[build.Row]++
			assert.False(t, folders[build.Folder()], "%s is built twice", build.Folder())
			folders[build.Folder()] = true
			for state, n := range build.Count {
				sum[state] += n
			}
		}
		for _, k := range b.Kept {
			known[k.Row]++
		}
		for _, problem := range b.Problems {
			known[problem.Row] = max(known[problem.Row], 1)
			assert.NotEmpty(t, problem.Message)
		}
		for _, row := range b.Table.Rows {
			want := 0
			if b.Wanted(row.Number) {
				want = 1
			}
			assert.Equal(t, want, known[row.Number], "row %d of\n%s", row.Number, text)
		}
		assert.Equal(t, p.Count, sum)
		assert.Len(t, p.Steps, b.Root().Count())
		assert.True(t, slices.IsSortedFunc(b.Problems, func(x, y Problem) int { return x.Row - y.Row }))
	})
}

func TestWhatIsWrongSaysWhere(t *testing.T) {
	b := grownOf(t, "country,town,from,people\nNorland,Askel,2027-13,\nNorland,,,a\nNorland,Askel,,a\nnorland,Askel,,a\nNorland,Askel,2027-06,b\n", "")
	var told []string
	for _, p := range b.Problems {
		told = append(told, fmt.Sprintf("%d %s", p.Row, p))
	}
	assert.Equal(t, []string{`2 column "from": 2027-13: there is no month 13, only 1 to 12`, `3 column "town": there is no value for "town"`,
		"5 “norland” is spelled “Norland” in row 4, and many systems take the two for one", "6 row 4 has the same own folder, “Norland/Askel 2027”: take one of the two rows out, or tell them apart"}, told)
	p, err := build.Compare(b.Root(), busy{names: map[string]bool{"Norland": true}})
	require.NoError(t, err)
	assert.True(t, b.SetAside(p))
	assert.Equal(t, "“Norland”: a file of that name is there, where a folder must be: move or rename it", b.Problems[2].String())
	assert.Empty(t, b.Builds)
}

func TestColumnsAreJoinedLoosely(t *testing.T) {
	tpl, err := template.Parse("places.folders", places, nil)
	require.NoError(t, err)
	tab := tableOf(t, "COUNTRY,Stadt,From ,no more,built,built on,built in\na,b,,,,,\n")
	columns, unknown, err := Join(tpl, tab, []string{"town=stadt"})
	require.NoError(t, err)
	assert.Equal(t, map[string][]int{"country": {0}, "town": {1}, "from": {2}}, columns)
	assert.Equal(t, []string{"no more"}, unknown, "a made field takes no column, and marks are no fields")
	for _, bad := range []string{"town", "town=", "town=Ville", "no-more=Stadt", "who=Stadt"} {
		_, _, err := Join(tpl, tab, []string{bad})
		assert.ErrorContains(t, err, "joins no field to a column", bad)
	}
	for _, bad := range []string{"0", "3-", "5-3", "x", "1,,2"} {
		_, err := ParseRows(bad)
		assert.ErrorContains(t, err, "is no row", bad)
	}
	wanted, err := ParseRows("3, 7-9")
	require.NoError(t, err)
	assert.Equal(t, []bool{true, false, true, true, false}, []bool{wanted(3), wanted(6), wanted(7), wanted(9), wanted(10)})
}

func TestListsMayHaveSeveralColumns(t *testing.T) {
	b := grownOf(t, "country,town,person 1,Person 2,person 4\nNorland,Askel,Ola,Jun,x\nNorland,Birk,,Ida,\n", "")
	assert.Empty(t, b.Problems)
	assert.Equal(t, []int{2, 3}, b.Columns["people"])
	var items []string
	for _, build := range b.Builds {
		items = append(items, build.Values["people"].String())
	}
	assert.Equal(t, []string{"Ola; Jun", "Ida"}, items)
	assert.Empty(t, b.Lacking())
	lacking := (&Batch{Template: b.Template}).Lacking()
	require.Len(t, lacking, 2)
	assert.Equal(t, "country", lacking[0].Name)
}

// How days are written is read as it was said, against Go's own layouts.
func TestDaysAreReadAsItWasSaid(t *testing.T) {
	layouts := map[string]string{"d.m.yyyy": "2.1.2006", "dd.mm.yyyy": "02.01.2006", "m/d/yyyy": "1/2/2006", "mm-dd-yy": "01-02-06", "yyyy/m/d": "2006/1/2"}
	rapid.Check(t, func(t *rapid.T) {
		form := rapid.SampledFrom([]string{"d.m.yyyy", "dd.mm.yyyy", "m/d/yyyy", "mm-dd-yy", "yyyy/m/d"}).Draw(t, "form")
		day := time.Date(2000, 1, rapid.IntRange(1, 30000).Draw(t, "day"), 0, 0, 0, 0, time.UTC)
		d, err := ParseDates(form)
		require.NoError(t, err)
		read, is := d.read(day.Format(layouts[form]))
		require.True(t, is)
		require.Equal(t, day, read)
	})
	for _, bad := range []string{"", "d.m", "dmy", "d.m.y", "d.d.yyyy", "m.yyyy.yyyy"} {
		_, err := ParseDates(bad)
		assert.ErrorContains(t, err, "is no form of a day", bad)
	}
	d, err := ParseDates("d.m.yyyy")
	require.NoError(t, err)
	for _, no := range []string{"31.2.2027", "3.4.27", "3.4", "a.b.2027", "2027-03-04", "", "0.1.2027"} {
		_, is := d.read(no)
		assert.False(t, is, no)
	}
}

func TestOddDatesAreAskedFor(t *testing.T) {
	dated, err := template.Parse("t", "---\nfields: { name: Who?, day: { type: date } }\n---\n<name>\n", nil)
	require.NoError(t, err)
	for cell, want := range map[string][]string{"03/04/2027": {"d/m/yyyy", "m/d/yyyy"}, "13/4/27": {"d/m/yy"}, "4.13.2027": {"m.d.yyyy"}, "31/31/2027": nil, "2027-03-04": nil, "soon": nil, "2027/03/04": nil} {
		b := &Batch{Template: dated, Table: tableOf(t, "name,day\nx,"+cell+"\n"), Columns: map[string][]int{"name": {0}, "day": {1}}}
		odd := b.OddDates()
		if want == nil {
			assert.Nil(t, odd, cell)
			continue
		}
		require.NotNil(t, odd, cell)
		assert.Equal(t, want, odd.Forms)
		b.Dates, err = ParseDates(want[0])
		require.NoError(t, err)
		assert.Nil(t, b.OddDates(), "it was said")
	}
	assert.Equal(t, "3 April 2027", DayShown("d/m/yyyy", "03/04/2027"))
}

func TestALabelIsCalledSoInMessages(t *testing.T) {
	assert.Equal(t, "the label", (&Label{}).Source())
}
