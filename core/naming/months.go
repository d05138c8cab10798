package naming

import (
	"strings"
	"sync"
)

// monthNames are the names of the months, and how they are shortened, in the languages that guides
// know (CLDR 44, calendar "gregorian", wide and abbreviated): a line for each month.
const monthNames = `january jan januar januari janeiro janvier janv enero ene gennaio gen
february feb februar februari fevereiro fev février févr febrero febbraio
march mar märz mrz marts mars maart março marzo mrt
april apr abril abr avril avr aprile
may mai maj mei maio mayo maggio mag
june jun juni junho juin junio giugno giu
july jul juli julho juillet juil julio luglio lug
august aug augustus agosto ago août augusti
september sep sept septembre setembro set settembre septiembre
october oct oktober okt outubro out octobre octubre ottobre ott
november nov novembro novembre noviembre
december dec dezember dez december dezembro décembre déc diciembre dic dicembre`

// monthOf returns the month that a word names in one of these languages, from 1; 0 for none.
func monthOf(word string) int {
	if len(word) < 3 {
		return 0
	}
	return months()[bared(word)]
}

var months = sync.OnceValue(func() map[string]int {
	all := map[string]int{}
	for i, line := range strings.Split(monthNames, "\n") {
		for _, name := range strings.Fields(line) {
			all[bared(name)] = i + 1
		}
	}
	return all
})

// bared is a text as it is compared, without what stands between its words: see [alphabet.Plainly].
func bared(text string) string {
	plain, ascii := true, true
	for i := range len(text) {
		c := text[i]
		plain, ascii = plain && (c >= 'a' && c <= 'z' || c >= '0' && c <= '9'), ascii && c < 0x80
	}
	if plain {
		return text
	}
	var b strings.Builder
	if ascii {
		for i := range len(text) {
			if c := text[i] | 0x20; c >= 'a' && c <= 'z' && text[i] > '@' {
				b.WriteByte(c)
			} else if isDigit(text[i]) {
				b.WriteByte(text[i])
			}
		}
		return b.String()
	}
	return strings.ReplaceAll(Plainly(text), " ", "")
}
