// Package alphabet tells which letters people take for one, and compares texts by them.
package alphabet

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// IsASCII reports whether a text holds nothing but ASCII.
func IsASCII(s string) bool {
	for len(s) >= 8 {
		if b := s[:8]; (b[0]|b[1]|b[2]|b[3]|b[4]|b[5]|b[6]|b[7])&0x80 != 0 {
			return false
		}
		s = s[8:]
	}
	for i := 0; i < len(s); i++ {
		if s[i] >= utf8.RuneSelf {
			return false
		}
	}
	return true
}

// InWord reports whether a character is one of a word: a letter, a digit, or a mark on one.
func InWord(r rune) bool {
	return unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.Is(unicode.M, r)
}

// Plainly adds a text to another one as texts are compared and looked for: the same words in small
// letters, without accents and apostrophes, with one space for the signs between them. What the
// forms make of a text comes out as the text itself does.
func Plainly(to []byte, text string) []byte {
	if !IsASCII(text) {
		text = cases.Fold().String(norm.NFKD.String(text))
	}
	gap := false
	for _, r := range text {
		switch {
		case r >= 0x300 && r <= 0x36F || r == '\'' || r == '’' || r == 'ʼ':
		case !InWord(r):
			gap = true
		default:
			if gap && len(to) > 0 {
				to = append(to, ' ')
			}
			gap = false
			if as := latin[r]; as != "" {
				to = append(to, as...)
			} else {
				to = utf8.AppendRune(to, unicode.ToLower(r))
			}
		}
	}
	return to
}

// latin holds the Latin letters that Unicode does not decompose into a plain
// letter and an accent, with their usual spelling in ASCII (Unicode CLDR,
// transform Latin-ASCII).
var latin = map[rune]string{
	'ß': "ss", 'ẞ': "SS", 'æ': "ae", 'Æ': "AE", 'œ': "oe", 'Œ': "OE", 'ø': "o", 'Ø': "O",
	'đ': "d", 'Đ': "D", 'ð': "d", 'Ð': "D", 'þ': "th", 'Þ': "TH", 'ł': "l", 'Ł': "L",
	'ħ': "h", 'Ħ': "H", 'ı': "i", 'ŋ': "n", 'Ŋ': "N", 'ŧ': "t", 'Ŧ': "T", 'ĸ': "q", 'ſ': "s",
}

// Plain turns accented Latin letters into plain ones and drops accents that
// stand by themselves; letters of other scripts stay.
func Plain(s string) string {
	if IsASCII(s) {
		return s
	}
	var b strings.Builder
	for _, r := range norm.NFC.String(s) {
		b.WriteString(PlainRune(r))
	}
	return b.String()
}

// PlainRune is what [Plain] makes of a character; "" for an accent.
func PlainRune(r rune) string {
	switch {
	case r >= 0x300 && r <= 0x36F: // combining accents
		return ""
	case r < 0x80 || !unicode.Is(unicode.Latin, r):
		return string(r)
	}
	if s, ok := latin[r]; ok {
		return s
	}
	base, _ := utf8.DecodeRuneInString(norm.NFD.String(string(r)))
	if s, ok := latin[base]; ok { // ǿ is ø with an accent
		return s
	}
	return string(base)
}
