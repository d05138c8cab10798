package cli

import (
	"vestibula/cli/term"
)

// draw shows what goes where.
func (r *awayRun) draw() {
	var rows [][]term.Shown
	size := int64(0)
	for i, g := range r.goes {
		if size += g.size; i >= 2*manyRows {
			continue
		}
		sign := term.Accent.Render("»")
		if r.copy {
			sign = term.Good.Render("+")
		}
		rows = append(rows, []term.Shown{sign + " " + term.Moved(fromHere(g.from), fromHere(g.to)), term.Dim.Render(term.Size(g.size))})
	}
	r.screen.Columns(rows)
	if more := len(r.goes) - len(rows); more > 0 {
		r.more(more, "", "--json")
	}
	r.screen.Line()
	text := term.Count(len(r.goes), "project")
	if len(r.only) > 0 {
		text = term.Count(len(r.goes), "part")
	}
	text += ", " + term.Size(size)
	if r.file != "" && !r.copy {
		text += ": read back and compared before anything is taken away here"
	}
	if d := r.goes[0].note.Disk; d != "" && !r.back && r.file == "" {
		text += term.Sprintf(", to the disk %s: read back and compared before anything is taken away here", d)
	}
	r.screen.Text(term.Dim.Render(text))
	r.followed.draw(r.screen)
}

// report prints what goes, as JSON.
func (r *awayRun) report(done bool) error {
	type one struct {
		From string `json:"from"`
		To   string `json:"to"`
		Disk string `json:"disk,omitempty"`
		Size int64  `json:"size"`
	}
	out := struct {
		Done   bool         `json:"done"`
		Goes   []one        `json:"goes"`
		Broken []brokenJSON `json:"broken"`
	}{done, []one{}, r.followed.json()}
	for _, g := range r.goes {
		out.Goes = append(out.Goes, one{fromHere(g.from), g.to, g.note.Disk, g.size})
	}
	err := r.printJSON(out)
	if err == nil && !done && !r.preview {
		return found
	}
	return err
}
