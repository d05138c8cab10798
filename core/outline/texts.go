package outline

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// switches are words that YAML, or an editor that knows it, takes for something else than a text.
var switches = strings.Fields("yes no on off true false null y n")

// Quoted is a text as it stands in a header: as it is where it is a word in small letters, else in
// quotes, with what YAML and Go write alike for the signs that cannot stand there (YAML 1.2, 5.7).
func Quoted(text string) string {
	if isWord(text) && strings.ToLower(text) == text && !slices.Contains(switches, text) {
		return text
	}
	return strconv.Quote(text)
}

// Capitalised is a text that begins with a capital.
func Capitalised(text string) string {
	first, size := utf8.DecodeRuneInString(text)
	if size == 0 || first == utf8.RuneError {
		return text
	}
	return string(unicode.ToTitle(first)) + text[size:]
}

// Question is what a field asks for which nobody has written a question.
func Question(field string) string {
	return Capitalised(strings.ReplaceAll(field, "-", " ")) + "?"
}
