package address

import (
	"path"
	"strings"
)

// Common is the deepest folder that all of some slashed paths are, or lie in; "" for no paths,
// "." where relative ones have nothing in common.
func Common(paths []string) string {
	if len(paths) == 0 {
		return ""
	}
	at := paths[0]
	for _, p := range paths {
		for at != "." && at != "/" && p != at && !strings.HasPrefix(p, at+"/") {
			at = path.Dir(at)
		}
	}
	return at
}
