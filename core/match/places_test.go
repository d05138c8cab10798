package match

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/treetest"
)

// shown lists places: their paths, whether they are there, and what is known there.
func shown(places []*Place, slots ...string) (lines []string) {
	for _, p := range places {
		mark := "-"
		switch {
		case p.Open:
			mark = "?"
		case p.Real != nil:
			mark = "+"
		}
		var known []string
		for _, s := range slots {
			known = append(known, p.Values[s].String())
		}
		lines = append(lines, strings.TrimSpace(fmt.Sprintf("%s %s %s", mark, p.Path, strings.Join(known, " "))))
	}
	return lines
}

func TestPlacesKnowWhatTheWaySays(t *testing.T) {
	tpl := parse(t, `---
fields: { client: Who?, weeks: { type: number, default: 2 } }
names: { sheet: "<day:yyyy-mm-dd> sheet" }
---
Clients
    <client> | project
        <#> Evenings
            Evening <n:00> | each: n in 1..weeks
                Notes/
        <#> Sheets
            <day:yyyy>/<day:yyyy-mm> | later | holds: sheet
                Notes.md
        <#> Settled | later
        Essay/ | due
`)
	w, err := Of(tpl, valuesOf(t, tpl, "client=Ola"), 1000, now)
	require.NoError(t, err)
	places := Places(w, treetest.Of("01 Evenings/Evening 01/Notes/", "01 Evenings/mine/", "03 Sheets/2026/2026-12/", "03 Sheets/2027/2027-01/", "03 Sheets/2027/2027-02/"))
	assert.Equal(t, []string{
		"+  Ola", "+ 01 Evenings Ola",
		"+ 01 Evenings/Evening 01 Ola 1", "+ 01 Evenings/Evening 01/Notes Ola 1", "- 01 Evenings/Evening 02 Ola 2", "- 01 Evenings/Evening 02/Notes Ola 2",
		"+ 03 Sheets Ola",
		"+ 03 Sheets/2026 Ola  2026", "+ 03 Sheets/2026/2026-12 Ola  2026-12", "? 03 Sheets/2026/<day:yyyy-mm> Ola  2026",
		"+ 03 Sheets/2027 Ola  2027", "+ 03 Sheets/2027/2027-01 Ola  2027-01", "+ 03 Sheets/2027/2027-02 Ola  2027-02", "? 03 Sheets/2027/<day:yyyy-mm> Ola  2027",
		"? 03 Sheets/<day:yyyy> Ola", "? 03 Sheets/<day:yyyy>/<day:yyyy-mm> Ola", "- 03 Settled Ola",
	}, shown(places, "client", "n", "day"), "a folder under another number is where it is")
	for _, p := range places[1:] {
		require.NotNil(t, p.Up)
	}
	assert.Nil(t, places[0].Up)
	assert.Equal(t, "Ola", places[0].Known("client").String())
}
