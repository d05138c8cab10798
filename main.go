// Vestibula designs, checks and builds folder structures from templates.
package main

import (
	"os"

	"vestibula/cli"
)

func main() { os.Exit(cli.Main()) }
