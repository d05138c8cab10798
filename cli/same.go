package cli

import (
	"io"
	"os"

	"vestibula/core/digest"
)

// sameFiles reports whether two files hold the same. What cannot be read does not.
func sameFiles(a, b string) bool {
	one, err := os.Stat(a)
	if err != nil {
		return false
	}
	two, err := os.Stat(b)
	if err != nil || one.Size() != two.Size() {
		return false
	}
	failed := false
	parts := digest.Same(2, one.Size(), func(i int) (io.ReadCloser, error) { return os.Open([]string{a, b}[i]) }, func(int, error) { failed = true })
	return !failed && len(parts) == 1 && len(parts[0]) == 2
}
