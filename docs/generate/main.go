// Generate writes the documents that are made from the code. Run it in the root
// of the project:
//
//	go generate .
package main

import (
	"encoding/json"
	"log"
	"os"

	"vestibula/core/rules"
)

func main() {
	schema, err := json.MarshalIndent(rules.Schema(), "", "  ")
	check(err)
	check(os.WriteFile("docs/header.schema.json", append(schema, '\n'), 0o666))
	check(os.MkdirAll("docs/rules", 0o777))
	for _, name := range rules.Names() {
		page, _ := rules.Explain(name)
		check(os.WriteFile("docs/rules/"+name+".md", []byte(page.Markdown()), 0o666))
	}
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}
