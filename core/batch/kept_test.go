package batch

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/label"
	"vestibula/core/place"
	"vestibula/core/template"
)

const jobs = "---\nfields: { client: Who?, gilding: { type: yes-no, default: no }, stages: { type: list, default: [a] }, number: { type: number, next: yes } }\n---\n<client>\n    Letters\n    Gilding | when: gilding\n"

// kept reads a table whose rows are marked, and holds them against a folder in which some
// projects lie: their names, with the values of their labels.
func keptOf(t *testing.T, rows string, projects map[string]template.Values) (*Batch, string) {
	tpl, err := template.Parse("jobs.folders", jobs, nil)
	require.NoError(t, err)
	top := t.TempDir()
	for at, values := range projects {
		dir := filepath.Join(top, at)
		require.NoError(t, os.MkdirAll(dir, 0o777))
		if values == nil {
			continue // built without a label
		}
		l := &label.Label{ID: "id-" + filepath.Base(at), Build: *label.NewBuild(tpl, values, time.Now(), "")}
		data, err := l.Encode()
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, label.FileName), data, 0o666))
	}
	b := &Batch{Template: tpl, Table: tableOf(t, strings.ReplaceAll(rows, "TOP", top)), Limit: 1000, Now: time.Date(2027, 3, 9, 0, 0, 0, 0, time.UTC), Wanted: func(int) bool { return true }}
	b.Columns, _, err = Join(tpl, b.Table, nil)
	require.NoError(t, err)
	b.Grow()
	at, err := place.Open(top)
	require.NoError(t, err)
	defer at.Close()
	b.Compare(at, func(dir address.Address, err error) { assert.NoError(t, err, dir) })
	return b, top
}

func values(t *testing.T, texts ...string) template.Values {
	tpl, err := template.Parse("jobs.folders", jobs, nil)
	require.NoError(t, err)
	raw := map[string]template.Raw{}
	for _, text := range texts {
		name, v, _ := strings.Cut(text, "=")
		raw[name] = template.Raw{Text: v}
	}
	parsed, errs := tpl.ParseValues(raw, time.Now())
	require.Empty(t, errs)
	return tpl.Complete(parsed, time.Now())
}

func TestMarkedRowsAreHeldAgainstTheDisk(t *testing.T) {
	b, top := keptOf(t, `client;gilding;stages;built;built on;built in;built as
Ola;no;a;yes;x;TOP/Ola;id-Ola
Jun;yes;b, c;yes;x;TOP/Jun;id-Jun
Ida;no;a;yes;x;TOP/Ida;id-Elsewhere
Bo;no;a;yes;x;TOP/Bo;id-Bo
Kai;no;a;yes;x;TOP/Kai;
Mara;no;a;yes;;;
Runa;no;a;yes;;;
Tove;perhaps;a;yes;x;TOP/Tove;id-Tove
Dag;no;a;yes;x;TOP/Dag;id-Other
New;no;a;;;;
`, map[string]template.Values{"Ola": values(t, "client=Ola"), "Jun": values(t, "client=Jun", "number=7"), "deep/Elsewhere": values(t, "client=Ida"), "Kai": nil, "Mara": values(t, "client=Mara"), "Dag": values(t, "client=Dag")})
	type said struct {
		standing Standing
		dir, id  string
		moved    bool
	}
	var all []said
	for _, k := range b.Kept {
		rel, _ := filepath.Rel(top, string(k.Dir))
		if k.Dir == "" {
			rel = ""
		}
		all = append(all, said{k.Standing, rel, k.ID, k.Moved()})
	}
	assert.Equal(t, []said{
		{Settled, "Ola", "id-Ola", false},
		{Changed, "Jun", "id-Jun", false},
		{Settled, "deep/Elsewhere", "id-Elsewhere", true},
		{Gone, "", "", false},
		{Bare, "Kai", "", false},
		{Settled, "Mara", "id-Mara", true}, // marked by hand, and it is there
		{Gone, "", "", false},              // marked by hand, and it is not
		{Unclear, "", "", false},
		{Gone, "", "", false}, // another project has its place
	}, all)
	assert.Equal(t, []Diff{{"gilding", "no", "yes"}, {"stages", "a", "b; c"}}, b.Kept[1].Diffs, "a number that the row does not say is none")
	assert.Contains(t, b.Kept[7].Why, `"perhaps" is neither yes nor no`)

	require.Len(t, b.Builds, 1)
	b.BuildAgain()
	var rows []int
	for _, build := range b.Builds {
		rows = append(rows, build.Row)
	}
	assert.Equal(t, []int{5, 8, 10, 11}, rows)
	assert.Len(t, b.Kept, 6)
}

// A row whose folder another row still has waits, unless that one goes away in the same run.
func TestRowsThatTakeEachOthersPlaces(t *testing.T) {
	rows := "client;built;built on;built in;built as\nIda;yes;x;TOP/Ola;id-Ola\nOla;;;;\n"
	for _, goes := range []bool{false, true} {
		b, top := keptOf(t, rows, map[string]template.Values{"Ola": values(t, "client=Ola")})
		require.Equal(t, Changed, b.Kept[0].Standing)
		b.InTheWay(top, func(dir address.Address) bool { return goes && string(dir) == filepath.Join(top, "Ola") })
		assert.Len(t, b.Builds, map[bool]int{true: 1, false: 0}[goes])
		assert.Len(t, b.Problems, map[bool]int{true: 0, false: 1}[goes])
	}
}
