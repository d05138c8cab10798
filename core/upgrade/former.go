package upgrade

import (
	"cmp"
	"path"
	"slices"

	"vestibula/core/change"
	"vestibula/core/match"
	"vestibula/core/naming"
	"vestibula/core/proposal"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A former value is one that a field of the project had before.
type former struct {
	field   *template.Field
	was, is value.Value
}

// formers are the former values of the project: those that its label knows, and those that change.
func (p *Plan) formers() (list []former) {
	for _, f := range p.job.Template.Fields {
		is := p.job.Values[f.Name]
		if f.Made() || !is.Given() || is.Kind == value.List {
			continue
		}
		for _, text := range p.job.Project.Label.Were[f.Name] {
			if was, err := f.Parse(template.Raw{Text: text}, p.job.Now); err == nil && !was.Equal(is) {
				list = append(list, former{f, was, is})
			}
		}
		if was := p.job.Project.Values[f.Name]; was.Given() && was.Kind == is.Kind && !was.Equal(is) && !was.Empty() {
			list = append(list, former{f, was, is})
		}
	}
	return list
}

// formerNames offers new names for files whose names say what a value of the project was before: one
// answer is for all that say the same.
func (p *Plan) formerNames() {
	list := p.formers()
	if len(list) == 0 || len(p.job.Template.Names) == 0 {
		return
	}
	reads := naming.NewFolders(p.job.Template)
	var walk func(n *tree.Node, at string)
	walk = func(n *tree.Node, at string) {
		for _, c := range n.Children {
			here := path.Join(at, c.Name)
			switch {
			case c.Marks&(tree.Link|tree.Apart) != 0 || p.origin[here] != "":
			case c.Kind == tree.Folder:
				walk(c, here)
			case !p.stands(c):
				conv, values, misfit := reads.Read(path.Base("/"+at), c.Name)
				if misfit == nil && conv != nil {
					p.offer(&saying{n, c, at, conv, values}, list)
				}
			}
		}
	}
	walk(p.job.Seen, "")
}

// A saying is a file in a folder, with what its name says.
type saying struct {
	in, file *tree.Node
	at       string // the path of the folder
	conv     *template.Convention
	read     []value.Value
}

// offer offers a file the name that says what is so by now.
func (p *Plan) offer(s *saying, list []former) {
	in, file, at, conv, read := s.in, s.file, s.at, s.conv, s.read
	var says *former
	values := template.Values{}
	for i, f := range conv.Fields {
		v := read[i]
		k := slices.IndexFunc(list, func(x former) bool {
			return x.field.Name == f.Name && v.Given() && conv.Pattern.Agrees(f.Name, v, x.was) && !conv.Pattern.Agrees(f.Name, v, x.is)
		})
		if values[f.Name] = v; k >= 0 {
			says, values[f.Name] = &list[k], list[k].is
		}
	}
	if says == nil {
		return
	}
	name, _, err := conv.Write(values)
	if name += naming.Ending(conv, file.Name); err != nil || naming.Check(conv, name, values) != nil || in.Child(name) != nil {
		return
	}
	here := path.Join(at, file.Name)
	final := func(chosen func(*match.Thing) bool) string { return path.Join(p.place(cmp.Or(at, "."), chosen), name) }
	to := final(sure)
	if p.job.Project.Label.Refuses(here, to) {
		return
	}
	p.Steps = append(p.Steps, &Step{Step: proposal.Step{Op: change.Move, Probable: true, From: here, To: to, Why: "its name says " + says.was.String(),
		Group: "name\x00" + says.field.Name + "\x00" + says.was.String()}, kind: tree.File, final: final})
}

// remembers is what the label keeps of former values: names may say them for years.
func (p *Plan) remembers() map[string][]string {
	were := map[string][]string{}
	for _, x := range p.formers() {
		if texts := were[x.field.Name]; len(texts) < maxFormer && !slices.Contains(texts, x.was.String()) {
			were[x.field.Name] = append(texts, x.was.String())
		}
	}
	if len(were) == 0 {
		return nil
	}
	return were
}

// maxFormer is how many former values of a field are kept.
const maxFormer = 20
