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
	if err == nil {
		err = os.WriteFile("docs/header.schema.json", append(schema, '\n'), 0o666)
	}
	if err != nil {
		log.Fatal(err)
	}
}
