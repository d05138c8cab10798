//go:build !unix

package cli

import "io"

// drain does nothing where there is no way to.
func drain(io.Reader) {}
