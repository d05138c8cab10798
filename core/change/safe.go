package change

import (
	"strings"
)

// Local reports whether a path stays in its place: no empty name, no dots, no
// slash in front.
func Local(p string) bool {
	if p == "" || strings.ContainsRune(p, 0) {
		return false
	}
	for name := range strings.SplitSeq(p, "/") {
		if name == "" || name == "." || name == ".." {
			return false
		}
	}
	return true
}
