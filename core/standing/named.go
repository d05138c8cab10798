package standing

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"vestibula/core/bundle"
	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// tell finds the words that tell projects apart: texts of their labels that not all of
// them have.
func (p *Planner) tell() {
	count := map[string]int{}
	texts := make([][]string, len(p.Projects))
	for i, pr := range p.Projects {
		known := pr.Values
		if whole, err := pr.Template.WithMade(known); err == nil {
			known = whole // a reference that is made of others names it as well
		}
		for _, f := range pr.Template.Fields {
			v := known[f.Name]
			if v.Kind != value.Text || len([]rune(v.Text)) < 3 {
				continue
			}
			words := naming.Plainly(v.Text)
			texts[i] = append(texts[i], words)
			count[words]++
		}
		for _, words := range numbered(pr) {
			texts[i] = append(texts[i], words)
			count[words]++
		}
	}
	for i, pr := range p.Projects {
		for _, words := range texts[i] {
			if own := p.byWords[words]; words != "" && count[words] < len(p.Projects) && (len(own) == 0 || own[len(own)-1] != pr) {
				p.byWords[words] = append(own, pr)
				p.most = max(p.most, 1+strings.Count(words, " "))
			}
		}
	}
}

// named returns the projects whose values stand in the name of a file, those with the
// most words.
func (p *Planner) named(name string) (found []*Project) {
	stem, _ := tree.Split(name)
	all := strings.Fields(naming.Plainly(stem))
	for n := min(p.most, len(all)); n > 0; n-- {
		for i := range len(all) - n + 1 {
			for _, pr := range p.byWords[strings.Join(all[i:i+n], " ")] {
				if !slices.Contains(found, pr) {
					found = append(found, pr)
				}
			}
		}
		if len(found) > 0 {
			break
		}
	}
	return found
}

// numbered are the words by which a project is called by its own number: "job 2", "job 002".
func numbered(pr *Project) (all []string) {
	for _, f := range pr.Template.Fields {
		v := pr.Values[f.Name]
		if f.Next == template.Uncounted || f.Borrowed || v.Kind != value.Number {
			continue
		}
		for width := range 5 {
			words := naming.Plainly(f.Name) + " " + fmt.Sprintf("%0*d", width, v.Number)
			if !slices.Contains(all, words) {
				all = append(all, words)
			}
		}
	}
	return all
}

// gone returns the archived project whose own name, or a text of whose label, stands in the name
// of a file; nil where there is none, or several.
func (p *Planner) gone(name string) (found *bundle.Away) {
	stem, _ := tree.Split(name)
	plain := " " + naming.Plainly(stem) + " "
	for _, a := range p.Archived {
		texts := []string{a.Name}
		for _, v := range a.Label.Values {
			if text, is := v.(string); is && len([]rune(text)) >= 3 {
				texts = append(texts, text)
			}
		}
		if a.Part == "" && slices.ContainsFunc(texts, func(text string) bool {
			words := naming.Plainly(text)
			return words != "" && strings.Contains(plain, " "+words+" ")
		}) {
			if found != nil {
				return nil
			}
			found = a
		}
	}
	return found
}

// called returns the spots whose folders, or the values of whose folders, a file names best; all of
// them where it names none.
func (p *Planner) called(name string, spots []Spot) []Spot {
	stem, _ := tree.Split(name)
	plain := " " + naming.Plainly(stem) + " "
	score := make([]int, len(spots))
	best := 0
	for i, s := range spots {
		for _, w := range p.wordsOf(&s) {
			if w != "" && strings.Contains(plain, " "+w+" ") {
				score[i] = max(score[i], 1+strings.Count(w, " "))
			}
		}
		best = max(best, score[i])
	}
	if best == 0 {
		return spots
	}
	var fit []Spot
	for i, s := range spots {
		if score[i] == best {
			fit = append(fit, s)
		}
	}
	return fit
}

// wordsOf are the words by which a place is called: of its folder, and of values that only it has.
func (p *Planner) wordsOf(s *Spot) []string {
	words, known := p.placed[s.place]
	if known && !s.place.Open {
		return words
	}
	words = []string{naming.Plainly(tree.Unnumbered(&tree.Node{Name: path.Base(s.Dir)}))}
	for field, v := range s.place.Values {
		if v.Kind == value.Text && !v.Equal(s.Project.Values[field]) {
			words = append(words, naming.Plainly(v.Text))
		}
	}
	p.placed[s.place] = words
	return words
}
