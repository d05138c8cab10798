package proposal

import (
	"errors"
	"fmt"
	"path"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/tree"
)

func own(p string) bool { return path.Base(p) == ".own" }

func folder(p string, in ...string) change.Change {
	n := &tree.Node{Name: path.Base(p)}
	for _, name := range in {
		n.Children = append(n.Children, &tree.Node{Name: name, Kind: tree.File})
	}
	return change.Change{Op: change.Make, Path: p, Node: n}
}

func file(op change.Op, from, p string) change.Change {
	c := change.Change{Op: op, From: from, Path: p, Was: change.Is(tree.File)}
	if op == change.Make {
		c.Node = &tree.Node{Name: path.Base(p), Kind: tree.File}
	}
	return c
}

func TestAListIsToldAsAPersonSeesIt(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		list []change.Change
		left []*Left
		want string
	}{
		"a folder alone":        {[]change.Change{folder("A"), file(change.Make, "", "A/x"), file(change.Make, "", "A/y")}, nil, "make  A with the 2 things in it"},
		"from where all lies":   {[]change.Change{file(change.Make, "", "A/B/x"), file(change.Make, "", "A/C/y")}, nil, "in A; make  B/x; make  C/y"},
		"what stays counts":     {[]change.Change{file(change.Make, "", "A/B/x")}, []*Left{{Path: "A/C"}}, "in A; make  B/x; left C"},
		"its own last":          {[]change.Change{file(change.Make, "", "A/.own"), file(change.Make, "", "A/x"), folder("B")}, nil, "make  A/x; make  B; make  A/.own"},
		"its own writes unsaid": {[]change.Change{file(change.Replace, "", "A/.own"), file(change.Replace, "", "A/x")}, nil, "in A; replace  x gets other contents"},
		"but where it is all":   {[]change.Change{file(change.Replace, "", "A/.own")}, nil, "in A; replace  .own gets other contents"},
		"a move":                {[]change.Change{file(change.Move, "a", "b"), file(change.Copy, "b", "c")}, nil, "move a b; copy b c"},
		"a removal":             {[]change.Change{{Op: change.Remove, Path: "A", Was: change.Is(tree.Folder)}, file(change.Remove, "", "A/x")}, nil, "remove A  with the one thing in it"},
	} {
		var said []string
		part := Of(c.list, []address.Address{"/d"}, c.left, own)
		if part.Title != "" {
			said = append(said, part.Title)
		}
		for _, s := range part.Steps {
			said = append(said, strings.TrimSpace(fmt.Sprintf("%s %s %s %s", s.Op, s.From, s.To, s.Why)))
		}
		for _, l := range part.Left {
			said = append(said, "left "+l.Path)
		}
		assert.Equal(t, c.want, strings.Join(said, "; "), name)
	}
}

// Where a list has several places, a path says in which of them it is.
func TestSeveralPlacesAreTold(t *testing.T) {
	t.Parallel()
	list := []change.Change{{Op: change.Move, In: 0, Path: "x", FromIn: 1, From: "x", Was: change.Is(tree.File)}, {Op: change.Remove, In: 1, Path: "y", Was: change.Is(tree.File)}}
	part := Of(list, []address.Address{"/d/Old", "/d/Clients"}, nil, own)
	assert.Equal(t, []string{"/d", "Clients/x", "Old/x", "Clients/y"}, []string{string(part.In), part.Steps[0].From, part.Steps[0].To, part.Steps[1].From})
	part = Of(list[:1], []address.Address{"/d", "/d/Clients"}, nil, own)
	assert.Equal(t, []string{"/d", "Clients/x", "x"}, []string{string(part.In), part.Steps[0].From, part.Steps[0].To})
}

// Whatever is nested or joined, each path leads where it led.
func TestPathsLeadWhereTheyLed(t *testing.T) {
	t.Parallel()
	places := []string{"/d", "/d/a", "/d/a/b", "/e", "/e/f"}
	full := func(p *Proposal) (all []string) {
		for _, c := range p.Set.Changes {
			all = append(all, path.Join(string(p.Set.Places[c.In]), c.Path), path.Join(string(p.Set.Places[c.FromIn]), c.From))
		}
		for _, r := range p.Roots {
			all = append(all, path.Join(string(p.Set.Places[r.In]), string(r.Path)))
		}
		return all
	}
	drawn := func(t *rapid.T) *Proposal {
		p := &Proposal{Set: &change.Set{}}
		for range rapid.IntRange(1, 5).Draw(t, "changes") {
			from := change.At{In: p.Set.Place(address.Address(rapid.SampledFrom(places).Draw(t, "from"))), Path: "x"}
			to := change.At{In: p.Set.Place(address.Address(rapid.SampledFrom(places).Draw(t, "to"))), Path: rapid.SampledFrom([]string{"y", "y/z"}).Draw(t, "path")}
			p.Set.Move(from, to, change.Is(tree.File), "")
			p.Counts(to, "id")
		}
		return p
	}
	rapid.Check(t, func(t *rapid.T) {
		p, q := drawn(t), drawn(t)
		both := append(full(p), full(q)...)
		p.Join(q)
		assert.ElementsMatch(t, both, full(p))
		p.Apart()
		assert.ElementsMatch(t, both, full(p))
		for _, a := range p.Set.Places {
			for _, b := range p.Set.Places {
				assert.False(t, strings.HasPrefix(string(a), string(b+"/")), "%s lies in %s", a, b)
			}
		}
	})
}

func TestWhatIsProbableNeedsAYes(t *testing.T) {
	t.Parallel()
	assert.True(t, (&Step{}).Goes())
	assert.False(t, (&Step{Probable: true}).Goes())
	assert.True(t, (&Step{Probable: true, Agreed: true}).Goes())
	assert.Equal(t, []string{"stays", "there", "several", "nowhere"}, []string{Stays.String(), There.String(), Several.String(), Nowhere.String()})
	p := &Proposal{}
	p.Note("a")
	p.Remark("b")
	assert.Equal(t, []Note{{"a", false}, {"b", true}}, p.Notes)
	for i := range 30 {
		p.Counts(change.At{Path: fmt.Sprint(i)}, "")
	}
	assert.Len(t, p.Roots, ManyRoots)
	var no *Refusal
	err := fmt.Errorf("so: %w", Refused("do that", "%s is so", "x"))
	require.True(t, errors.As(err, &no))
	assert.Equal(t, &Refusal{"x is so", "do that"}, no)
	assert.EqualError(t, err, "so: x is so")
}
