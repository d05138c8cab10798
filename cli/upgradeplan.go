package cli

import (
	"fmt"
	"iter"
	"maps"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/match"
	"vestibula/core/place"
	"vestibula/core/pool"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/upgrade"
)

// planAll plans upgrades, several at a time.
func (r *upgradeRun) planAll(jobs []*upgrading) {
	done, end := r.progress("comparing", len(jobs))
	defer end()
	pool.Each(len(jobs), 1, func(numbers iter.Seq[int]) {
		planner := &upgrade.Planner{}
		for i := range numbers {
			jobs[i].makePlan(planner)
			done(1)
		}
	})
}

// makePlan plans one.
func (u *upgrading) makePlan(planner *upgrade.Planner) {
	at, err := place.Open(u.project.Dir)
	if err != nil {
		u.err = err
		return
	}
	defer at.Close()
	u.job.Sum = at.Sum
	u.job.Limit = max(u.job.Limit, 10*u.job.Full.Count())
	if u.job.Seen, u.err = match.Seen(u.job.Full, u.job.Template); u.err == nil {
		u.Plan, u.err = planner.Plan(u.job)
	}
	if u.err == nil {
		u.err = u.Noted()
	}
	u.job.Seen = nil
}

// template returns the template that a project is brought to: the one that was named,
// or the one of today that has the name of its own, or its own.
func (r *upgradeRun) template(p *project.Project) (*template.Template, error) {
	name := r.by
	if name == "" {
		name = p.Label.Template + "\x00" + p.Label.Text + "\x00" + string(p.Dir.Parent())
	}
	if t := r.templates[name]; t != nil {
		return t, nil
	}
	var t *template.Template
	found := true
	var err error
	if r.by != "" {
		t, err = r.load(r.by)
	} else {
		t, found, err = r.today(p)
	}
	if err != nil {
		return nil, err
	}
	if file := p.Label.Template; !found && !r.unfound[file] {
		r.unfound[file] = true
		r.side.Text(term.Warn.Render("note:") + term.Sprintf(" no %s is found from here: what it was when the project was built is taken", file))
	}
	r.templates[name] = t
	return t, nil
}

// values are those that the project will have: its own, and what was given.
func (r *upgradeRun) values(u *upgrading, t *template.Template) (template.Values, error) {
	raw, given := map[string]template.Raw{}, r.raw
	if own, is := r.each[u.project.Dir]; is {
		given = own
	}
	for name, v := range u.project.Label.Raw() {
		f := t.Field(name)
		if f == nil || f.Made() {
			if f == nil {
				u.Dropped = append(u.Dropped, name)
			}
			continue
		}
		_, is := given[name]
		if was := u.project.Template.Field(name); !is && f.Type.NewYear > 0 && was != nil && was.Type.NewYear == 0 {
			if r.interactive() && !r.yes && !r.asJSON {
				continue // it is asked for
			}
			return nil, refused(fmt.Sprintf("say which it is, with the calendar year: %s=\"%s\", or the year before or after", name, v.Text), "the terms of the template cross the new year now, and its %s was %s", name, v.Text)
		}
		if _, err := f.Parse(v, r.now); err != nil {
			if !is {
				return nil, refused(fmt.Sprintf("give it another value: %s=…", name), "%s %v", name, err)
			}
			continue
		}
		raw[name] = v
	}
	maps.Copy(raw, given)
	values, errs := t.ParseValues(raw, r.now)
	if len(errs) > 0 {
		texts := make([]string, len(errs))
		for i, e := range errs {
			texts[i] = e.Error()
		}
		return nil, unclear("", "%s", strings.Join(texts, "; "))
	}
	if lacking := t.Missing(values); len(lacking) > 0 {
		if !r.interactive() || r.yes || r.asJSON {
			return nil, missing(t.Name, lacking)
		}
		r.side.Line(term.Title.Render(term.Visible(fromHere(u.project.Dir))))
		if err := r.askFields(lacking, values); err != nil {
			return nil, err
		}
	}
	return t.Complete(values, r.now), nil
}
