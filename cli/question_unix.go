//go:build unix

package cli

import (
	"io"
	"os"
)

// drain throws away what was typed before a question was shown: a Return too many answers nothing.
func drain(in io.Reader) {
	if f, ok := in.(*os.File); ok {
		flush(int(f.Fd()))
	}
}
