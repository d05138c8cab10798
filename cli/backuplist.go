package cli

import (
	"vestibula/cli/term"
	"vestibula/core/bundle"
	"vestibula/core/project"
)

// show lists the backups of a project, and what differs between each and now.
func (r *backupRun) show(p *project.Project, list []bundle.Backup) error {
	root, _, err := r.reading(p.Dir)
	if err != nil {
		return unreadable(p.Dir, err)
	}
	type one struct {
		Backup  string `json:"backup"`
		Made    string `json:"made"`
		Size    int64  `json:"size"`
		Changed int    `json:"changed"`
		New     int    `json:"new"`
		Gone    int    `json:"gone"`
	}
	out := []one{}
	for _, b := range list {
		note, err := bundle.Note(b.Dir)
		if err != nil || note == nil {
			return refused("", "the list of %s cannot be read: %v", b.Dir, err)
		}
		_, size := note.Manifest("")
		o := one{Backup: b.Dir.Name(), Made: note.Made.Local().Format("2006-01-02 15:04"), Size: size}
		o.Changed, o.New, o.Gone = bundle.Differs(note, string(p.Dir), root)
		out = append(out, o)
	}
	if r.asJSON {
		return r.printJSON(out)
	}
	r.screen.Line(term.Title.Render(term.Visible(p.Dir.Name())), term.Dim.Render("  "+term.Count(len(out), "backup")+" in "+term.Visible(r.into)))
	var rows [][]term.Shown
	for _, o := range out {
		var parts []term.Shown
		for _, n := range []struct {
			n    int
			what term.Shown
		}{{o.Changed, "changed"}, {o.New, "new"}, {o.Gone, "gone"}} {
			if n.n > 0 {
				parts = append(parts, term.Number(n.n)+" "+n.what)
			}
		}
		text := term.Good.Render("as it is now")
		if len(parts) > 0 {
			text = term.Join(parts, ", ") + " since"
		}
		rows = append(rows, []term.Shown{"  " + term.Visible(o.Backup), term.Dim.Render(term.Visible(o.Made)), term.Dim.Render(term.Size(o.Size)), text})
	}
	r.screen.Columns(rows)
	return nil
}
