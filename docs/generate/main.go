// Generate writes the documents that are made from the code: the JSON Schema of
// the header, a page for each rule, and the manual. Run it in the root of the
// project:
//
//	go generate .
package main

import (
	"encoding/json"
	"log"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra/doc"

	"vestibula/cli"
	"vestibula/core/rules"
)

// released is the date that the manual shows: that of the version, so that the
// pages change with their text only.
var released = time.Date(2026, time.November, 1, 0, 0, 0, 0, time.UTC)

func main() {
	dir := "docs"
	if len(os.Args) > 1 {
		dir = os.Args[1]
	}
	schema, err := json.MarshalIndent(rules.Schema(), "", "  ")
	check(err)
	check(os.MkdirAll(filepath.Join(dir, "rules"), 0o777))
	check(os.WriteFile(filepath.Join(dir, "header.schema.json"), append(schema, '\n'), 0o666))
	for _, name := range rules.Names() {
		page, _ := rules.Explain(name)
		check(os.WriteFile(filepath.Join(dir, "rules", name+".md"), []byte(page.Markdown()), 0o666))
	}
	man := filepath.Join(dir, "man")
	check(os.MkdirAll(man, 0o777))
	command := cli.Command()
	command.DisableAutoGenTag = true
	check(doc.GenManTree(command, &doc.GenManHeader{Title: "VESTIBULA", Section: "1", Source: "Vestibula " + cli.Version, Date: &released}, man))
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}
