package upgrade

import (
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/proposal"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// lacks returns the starter of something that is not at hand, or "".
func (p *Plan) lacks(n *tree.Node) string {
	if p.job.Template != p.job.Project.Template {
		return ""
	}
	return p.job.Project.Lacks(n)
}

// update plans what becomes of a file that the project was given.
func (p *Plan) update(t target) error {
	lies := p.lies(t.path)
	given, known := p.job.Project.Label.Given[lies]
	switch from := p.lacks(t.want); {
	case !known:
		return nil
	case from != "" && p.otherValues():
		return &StarterError{lies, from}
	case from != "":
		p.given[t.to(all)] = given
		return nil
	}
	j := p.job
	node := p.links.made(t.want, all)
	want, err := journal.SumOf(node)
	if err != nil {
		return err
	}
	to := t.to(all)
	if p.given[to] = given; want == given {
		return nil
	}
	is, err := p.job.Sum(lies)
	switch {
	case err != nil:
		return err
	case is == want: // somebody has written the same: it stays theirs
	case is != given:
		p.Stays = append(p.Stays, Stay{Path: lies, Why: untouched[t.want.Kind].edited})
	case p.otherText(t, given) && j.Project.Label.Refuses(lies, want):
		p.Stays = append(p.Stays, Stay{Path: lies, Why: "somebody said no to the text that the template has for it now"})
	case p.otherText(t, given):
		p.Steps = append(p.Steps, &Step{Step: proposal.Step{Op: change.Replace, Probable: true, From: lies, To: to, Why: "nobody has touched it, and the template has a new text for it", Group: "text\x00" + p.starter(t.want)}, kind: t.want.Kind, node: t.want, sum: given, final: t.to, written: want})
	default:
		p.given[to] = want
		p.Steps = append(p.Steps, &Step{Step: proposal.Step{Op: change.Replace, From: lies, To: to, Why: untouched[t.want.Kind].why, Folder: t.want.Kind == tree.Folder}, kind: t.want.Kind, node: t.want, sum: given, final: t.to})
	}
	return nil
}

// otherText reports whether a file would get other words than those that its project was given, and
// not the same ones with other values.
func (p *Plan) otherText(t target, given string) bool {
	if line := p.job.Template.LineOf(t.want); t.want.Kind == tree.Symlink || line != nil && line.Guides() {
		return false
	}
	was := p.before[t.real]
	if was == nil || !template.SameStarter(was.Content, t.want.Content) {
		return true
	}
	sum, err := journal.SumOf(was)
	return err != nil || sum != given
}

// starter names what a file starts from.
func (p *Plan) starter(want *tree.Node) string {
	if want.Content == nil {
		return want.Name
	}
	return want.Content.Source()
}

// untouched says why files and links are brought up to date, or are not.
var untouched = map[tree.Kind]struct{ why, edited string }{
	tree.File:    {"nobody has touched it, and the template writes it differently now", "it was edited, and the template would write it differently now"},
	tree.Symlink: {"what it leads to has another name or place now", "it leads to what somebody chose, and by the template it would lead elsewhere"},
}
