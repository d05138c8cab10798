package compare

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"vestibula/core/tree"
)

// grow makes a tree of folders from paths.
func grow(paths ...string) *tree.Node {
	root := &tree.Node{}
	for _, path := range paths {
		n := root
		for name := range strings.SplitSeq(path, "/") {
			c := n.Child(name)
			if c == nil {
				c = &tree.Node{Name: name}
				n.Children = append(n.Children, c)
			}
			n = c
		}
	}
	return root
}

func TestTwoArrangementsOfTheSameThings(t *testing.T) {
	kind := grow("Invoices/Oriel", "Invoices/Jun", "Invoices/Åsgerd", "Letters/Oriel", "Letters/Jun")
	client := grow("Oriel/Invoices/2027", "Oriel/Letters", "Jun/Invoices", "Jun/Letters", "Letters/Oriel")
	a, b := Measure(kind), Measure(client)
	assert.Equal(t, []any{7, 3, "Invoices", 2.0, 2}, []any{a.Folders, a.Width, a.Widest, a.Average, a.Furthest})
	assert.Equal(t, []any{"Oriel/Invoices/2027", 11.0 / 5, 3, ""}, []any{b.Deepest, b.Average, b.Furthest, b.Widest})
	assert.Equal(t, []Spread{{"Letters", [2]int{1, 3}}, {"Invoices", [2]int{1, 2}}, {"Jun", [2]int{2, 1}}}, Spreads(a, b))
	fates := map[string]string{}
	for n, fate := range Fates(client, kind, nil)[0] {
		for path, m := range client.All() {
			if m == n {
				fates[path] = fate.String()
			}
		}
	}
	assert.Equal(t, map[string]string{"Oriel": "alone", "Oriel/Invoices": "moves", "Oriel/Invoices/2027": "alone", "Oriel/Letters": "moves", "Jun": "alone", "Jun/Invoices": "moves",
		"Jun/Letters": "moves", "Letters": "stays", "Letters/Oriel": "stays"}, fates)
}
