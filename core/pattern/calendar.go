package pattern

import (
	"maps"
	"slices"
	"strings"
)

// dayNames are the names of the months, and of the days of the week from Monday on, as ISO 8601 weeks begin.
type dayNames struct{ months, days []string }

// calendars are those of the languages that templates can be in (CLDR 44, calendar "gregorian", format, wide).
var calendars = map[string]dayNames{
	"da": named("januar februar marts april maj juni juli august september oktober november december", "mandag tirsdag onsdag torsdag fredag lørdag søndag"),
	"de": named("Januar Februar März April Mai Juni Juli August September Oktober November Dezember", "Montag Dienstag Mittwoch Donnerstag Freitag Samstag Sonntag"),
	"en": named("January February March April May June July August September October November December", "Monday Tuesday Wednesday Thursday Friday Saturday Sunday"),
	"es": named("enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre", "lunes martes miércoles jueves viernes sábado domingo"),
	"fr": named("janvier février mars avril mai juin juillet août septembre octobre novembre décembre", "lundi mardi mercredi jeudi vendredi samedi dimanche"),
	"it": named("gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre dicembre", "lunedì martedì mercoledì giovedì venerdì sabato domenica"),
	"nl": named("januari februari maart april mei juni juli augustus september oktober november december", "maandag dinsdag woensdag donderdag vrijdag zaterdag zondag"),
	"pt": named("janeiro fevereiro março abril maio junho julho agosto setembro outubro novembro dezembro", "segunda-feira terça-feira quarta-feira quinta-feira sexta-feira sábado domingo"),
	"sv": named("januari februari mars april maj juni juli augusti september oktober november december", "måndag tisdag onsdag torsdag fredag lördag söndag"),
}

func named(months, days string) dayNames {
	return dayNames{strings.Fields(months), strings.Fields(days)}
}

// Languages are the codes (ISO 639-1) of the languages in which months and days have names, sorted.
func Languages() []string { return slices.Sorted(maps.Keys(calendars)) }

// namesIn are those of a language, and of English where none is said.
func namesIn(language string) dayNames {
	if c, known := calendars[language]; known {
		return c
	}
	return calendars["en"]
}

// shortened are the first three letters of each word, or as many more as tell it from the others.
func shortened(words []string) []string {
	short := make([]string, len(words))
	for i, w := range words {
		r := []rune(w)
		n := min(3, len(r))
		for n < len(r) && slices.ContainsFunc(words, func(other string) bool { return other != w && strings.HasPrefix(other, string(r[:n])) }) {
			n++
		}
		short[i] = string(r[:n])
	}
	return short
}
