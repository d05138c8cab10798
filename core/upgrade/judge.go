package upgrade

import (
	"fmt"
	"path"

	"vestibula/core/change"
	"vestibula/core/match"
	"vestibula/core/outline"
	"vestibula/core/rules"
	"vestibula/core/template"
)

// An OwnError says that by the new template another folder would be the project's own.
type OwnError struct{ Line string }

// Error says what to write.
func (e *OwnError) Error() string {
	return "by this template another folder would be the project's own: write | project behind the line " + e.Line
}

// A NameError says that something would get a name, or come to lie where, the template forbids it: no
// build would make it.
type NameError struct{ Finding rules.Finding }

// Error says what is wrong.
func (e *NameError) Error() string { return e.Finding.Message.String() }

// judge holds the rules of the template against what gets another name and what is made. The error
// is a [NameError].
func (pl *Planner) judge(p *Plan, w *match.Wanted) error {
	own, _ := p.job.Template.Own(w.Expansion.Root)
	touched := map[string]bool{}
	if p.Name != p.Becomes {
		for at := own; at != "."; at = path.Dir(at) {
			touched[at] = true
		}
	}
	for _, s := range p.Steps {
		if s.Op == change.Make || s.Op == change.Move && path.Base(s.From) != path.Base(s.To) {
			touched[path.Join(own, s.To)] = true
		}
	}
	others := p.otherValues()
	if len(touched) == 0 && !others {
		return nil
	}
	set := pl.rules[p.job.Template]
	if set == nil {
		var errs outline.Errors
		if set, errs = rules.Configure(p.job.Template); len(errs) > 0 {
			return errs
		}
		if pl.rules == nil {
			pl.rules = map[*template.Template]*rules.Set{}
		}
		pl.rules[p.job.Template] = set
	}
	for _, f := range set.Check(w.Expansion.Root.Built()) {
		if f.Severity == rules.Error && (touched[f.Path] || others && f.Rule == "same-name") {
			return &NameError{f}
		}
	}
	return nil
}

// A StarterError says that something starts from what is not at hand.
type StarterError struct{ Path, From string }

// Error names both.
func (e *StarterError) Error() string {
	return fmt.Sprintf("“%s” starts from %s, which cannot be found", e.Path, e.From)
}

// otherValues reports whether the project gets other values.
func (p *Plan) otherValues() bool {
	for _, f := range p.job.Template.Fields {
		if was, is := p.job.Project.Values[f.Name], p.job.Values[f.Name]; was.Given() && !was.Equal(is) {
			return true
		}
	}
	return false
}
