package draft

import (
	"strings"
	"unicode"
)

// slugOf is a word with hyphens that says what a name is about, without slots and numbers.
func slugOf(name string) string {
	var b strings.Builder
	inside := false
	for _, r := range name {
		switch {
		case r == '<':
			inside = true
		case r == '>':
			inside = false
		case !inside:
			b.WriteRune(r)
		}
	}
	if i := strings.LastIndexByte(b.String(), '.'); i > 0 {
		return slugged(b.String()[:i])
	}
	return slugged(b.String())
}

// slugged is a text as one word in small letters, with hyphens; it begins with a letter.
func slugged(text string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(text) {
		switch {
		case unicode.IsLetter(r), unicode.IsDigit(r) && b.Len() > 0:
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	return strings.Trim(b.String(), "-")
}

// plural and singular are those of most English words: names for people to change.
func plural(s string) string {
	switch {
	case s == "person":
		return "people"
	case strings.HasSuffix(s, "x"), strings.HasSuffix(s, "ch"), strings.HasSuffix(s, "sh"):
		return s + "es"
	case strings.HasSuffix(s, "s"):
		return s
	case strings.HasSuffix(s, "y") && len(s) > 1 && !strings.ContainsRune("aeiou", rune(s[len(s)-2])):
		return s[:len(s)-1] + "ies"
	}
	return s + "s"
}

func singular(s string) string {
	switch {
	case s == "people":
		return "person"
	case strings.HasSuffix(s, "xes"), strings.HasSuffix(s, "ches"), strings.HasSuffix(s, "shes"):
		return s[:len(s)-2]
	case strings.HasSuffix(s, "ies") && len(s) > 4:
		return s[:len(s)-3] + "y"
	case strings.HasSuffix(s, "s") && !strings.HasSuffix(s, "ss") && len(s) > 3:
		return s[:len(s)-1]
	}
	return s
}
