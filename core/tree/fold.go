package tree

import (
	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// Folded returns what is equal for names that some system takes for the same:
// normal form C, case folded.
func Folded(name string) string {
	for i := 0; i < len(name); i++ {
		if name[i] >= 0x80 {
			return cases.Fold().String(norm.NFC.String(name))
		}
	}
	return asciiLower(name)
}

func asciiLower(s string) string {
	for i := 0; i < len(s); i++ {
		if s[i] >= 'A' && s[i] <= 'Z' {
			b := []byte(s)
			for j := i; j < len(b); j++ {
				if b[j] >= 'A' && b[j] <= 'Z' {
					b[j] += 'a' - 'A'
				}
			}
			return string(b)
		}
	}
	return s
}
