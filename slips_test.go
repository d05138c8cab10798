package main

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What is written wrong in a template, or asked for and not there, is told with what was meant.
func TestSlipsAreToldWithWhatWasMeant(t *testing.T) {
	t.Parallel()
	header := func(line, outline string) string { return "---\n" + line + "\n---\n" + outline + "\n" }
	d := newDesk(t,
		"key.folders", header("tilte: x", "A"),
		"type.folders", header("fields: { day: { type: dat } }", "A <day>"),
		"step.folders", header("fields: { client: Who? }", "A <client + 1>"),
		"when.folders", header("fields: { client: Who? }", "A | when: client + 1 is x"),
		"rule.folders", header("rules: { dept: 3 }", "A"),
		"kind.folders", header("fields: { client: Who?, colour: { default: \"\" }, kind: { of: { BK: book, BX: box } } }", "<client>\n    Guide | guide\n    Gilding | when: kind is BK"),
		"F/spring /x.md", "mine", "F/note ", "mine", "S/own.txt", "mine",
	)
	_, status := d.run("build", "kind", "--into", ".", "client=Ola", "kind=BX", "--yes")
	assert.Zero(t, status)
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"check", "key"}, "did you mean title?"},
		{[]string{"check", "type"}, "did you mean date?"},
		{[]string{"check", "step"}, "a text has no next one and none before it"},
		{[]string{"check", "when"}, "client"},
		{[]string{"check", "F", "--template", "rule"}, "depth"},
		{[]string{"guide", "kind", "client=Ola"}, "only when kind is BK (book)"},
		{[]string{"archive", "Ola", "--into", "S", "--rename", "<colour> <client>", "--preview"}, "it has no colour"},
		{[]string{"check", "F", "--fix", "--plan", "plan.csv"}, "spaces at an end"},
	} {
		out, status := d.run(c.args...)
		assert.Equal(t, c.args[0] != "guide", status > 0, c.args)
		assert.Contains(t, out, c.says, c.args)
	}
}
