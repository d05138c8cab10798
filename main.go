// Vestibula designs, checks and builds folder structures from templates.
package main

import (
	"os"

	"vestibula/cli"
)

//go:generate go run ./docs/generate
func main() { os.Exit(cli.Main()) }
