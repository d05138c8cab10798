package project

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/template"
	"vestibula/core/tree"
)

// A folder knows the place that it lies in, however deep, and what is known there.
func TestAFolderKnowsItsPlace(t *testing.T) {
	day := time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)
	tpl, err := template.Parse("t", "---\nfields: { client: Who? }\n---\n<client>\n    Evenings\n        Evening <n:00> | each: n in 1..3\n            Notes/\n    Even\n", nil)
	require.NoError(t, err)
	values, errs := tpl.ParseValues(map[string]template.Raw{"client": {Text: "Ola"}}, day)
	require.Empty(t, errs)
	root := &tree.Node{}
	for _, at := range []string{"Even", "Evenings/Evening 02/Notes/mine/deep", "Evenings/Evening 03"} {
		n := root
		for name := range strings.SplitSeq(at, "/") {
			next := n.Child(name)
			if next == nil {
				next = &tree.Node{Name: name}
				n.Children = append(n.Children, next)
				slices.SortFunc(n.Children, func(a, b *tree.Node) int { return strings.Compare(a.Name, b.Name) })
			}
			n = next
		}
	}
	p := &Project{Dir: "/Ola", Template: tpl, Values: values}
	l, err := p.Layout(root, 1000, day)
	require.NoError(t, err)
	for at, want := range map[string]string{
		"": " Ola ", "Evenings": "Evenings Ola ", "Evenings/Evening 02": "Evenings/Evening 02 Ola 2", "Evenings/Evening 02/Notes/mine/deep": "Evenings/Evening 02/Notes Ola 2",
		"Evenings/Evening 03/own": "Evenings/Evening 03 Ola 3", "Evenings/other": "Evenings Ola ", "Evenin": " Ola ", "elsewhere": " Ola ", "Even": "Even Ola ",
		"Evenings/Evening 01": "Evenings Ola ", // it is not there
	} {
		place := l.At(at)
		assert.Equal(t, want, place.Path+" "+place.Values["client"].String()+" "+place.Values["n"].String(), at)
	}
}
