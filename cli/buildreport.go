package cli

import (
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/batch"
	"vestibula/core/build"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// counts says how many folders and files of a row are new, there and kept.
func counts(r *batch.Build) term.Shown {
	var parts []term.Shown
	for state, word := range []term.Shown{"new", "there already", "kept"} {
		if n := r.Count[state]; n > 0 {
			parts = append(parts, term.Number(n)+" "+word)
		}
	}
	if len(parts) == 0 {
		return "all of it with another row"
	}
	return term.Join(parts, ", ")
}

// report tells other programs what was done or, where built is false, what would
// be: as JSON on standard output, and as the table that was asked for.
func (b *buildRun) report(built bool) error {
	if b.table.report != "" && !b.reported {
		if err := b.writeReport(); err != nil {
			return err
		}
	}
	if !b.asJSON {
		return nil
	}
	if b.table.file != "" {
		return b.reportLines(built)
	}
	type step struct {
		Path  string `json:"path"`
		Kind  string `json:"kind"`
		State string `json:"state"`
		Why   string `json:"why,omitempty"`
	}
	steps := make([]step, len(b.job.Plan.Steps))
	for i, s := range b.job.Plan.Steps {
		steps[i] = step{b.job.Plan.Path(i), s.Node.Kind.String(), s.State.String(), s.Why}
	}
	err := b.printJSON(struct {
		Template string `json:"template"`
		Into     string `json:"into"`
		Built    bool   `json:"built"`
		New      int    `json:"new"`
		There    int    `json:"there"`
		Kept     int    `json:"kept"`
		Blocked  int    `json:"blocked"`
		Steps    []step `json:"steps"`
	}{b.t.Name, b.into, built, b.job.Plan.Count[build.New], b.job.Plan.Count[build.There], b.job.Plan.Count[build.Kept], b.job.Plan.Count[build.Blocked], steps})
	if err == nil && (b.job.Plan.Count[build.Blocked] > 0 || !built && !b.preview) {
		return found
	}
	return err
}

// An outcome is what became of a row.
type outcome struct {
	Row      int      `json:"row"`
	Sheet    string   `json:"sheet,omitempty"`
	State    string   `json:"state"`
	Folder   string   `json:"folder,omitempty"`
	New      int      `json:"new"`
	There    int      `json:"there"`
	Kept     int      `json:"kept"`
	Changes  []string `json:"changes,omitempty"`
	Moved    string   `json:"moved-from,omitempty"`
	Problems []string `json:"problems,omitempty"`
}

// outcomes returns what became of each row, in the order of the table.
func (b *buildRun) outcomes(built bool) []outcome {
	var list []outcome
	for _, r := range b.job.Builds {
		o := outcome{Row: r.Row, State: "there", Folder: r.Folder(), New: r.Count[build.New], There: r.Count[build.There], Kept: r.Count[build.Kept]}
		if o.New > 0 {
			if o.State = "new"; built {
				o.State = "built"
			}
		}
		list = append(list, o)
		list = append(list, b.aside(o)...)
	}
	for _, k := range b.job.Kept {
		o := outcome{Row: k.Row, State: "left alone", Folder: b.keptFolder(k)}
		switch k.Standing {
		case batch.Changed:
			if o.State = "changed"; b.table.up != nil && built {
				o.State = "brought up to date"
			}
		case batch.Gone:
			o.State = "gone"
		case batch.Unclear:
			o.State = "unclear"
		case batch.Archived:
			o.State = "archived"
		}
		if k.Moved() {
			o.Moved = k.Marking.Where
		}
		for _, d := range k.Diffs {
			o.Changes = append(o.Changes, fmt.Sprintf("%s: %s → %s", d.Field, orNothing(d.Was), orNothing(d.Is)))
		}
		if k.Why != "" {
			o.Problems = []string{k.Why}
		}
		list = append(list, o)
		list = append(list, b.aside(o)...)
	}
	for _, p := range b.job.Problems {
		problem := p.String()
		if n := len(list); n > 0 && list[n-1].Row == p.Row && list[n-1].State == "left out" {
			list[n-1].Problems = append(list[n-1].Problems, problem)
		} else {
			list = append(list, outcome{Row: p.Row, State: "left out", Problems: []string{problem}})
		}
	}
	slices.SortStableFunc(list, func(x, y outcome) int { return x.Row - y.Row })
	for i := range list {
		list[i].Sheet, list[i].Row = b.job.Table.InSheet(list[i].Row)
	}
	return list
}

// aside are the rows that are one with another row, of which the same became.
func (b *buildRun) aside(of outcome) (list []outcome) {
	for _, row := range b.job.Aside(of.Row) {
		list = append(list, outcome{Row: row.Number, State: of.State, Folder: of.Folder})
	}
	return list
}

// reportLines prints a line of JSON for each row, and one for the whole.
func (b *buildRun) reportLines(built bool) error {
	rows := b.outcomes(built)
	leftOut := 0
	for _, o := range rows {
		if o.State == "left out" {
			leftOut++
		}
		if err := b.writeJSON(o, ""); err != nil {
			return err
		}
	}
	count := [build.Blocked + 1]int{}
	for _, r := range b.job.Builds {
		for state, n := range r.Count {
			count[state] += n
		}
	}
	err := b.writeJSON(struct {
		Template  string `json:"template"`
		Into      string `json:"into"`
		Table     string `json:"table"`
		Built     bool   `json:"built"`
		Rows      int    `json:"rows"`
		LeftOut   int    `json:"left-out"`
		LeftAlone int    `json:"left-alone"`
		New       int    `json:"new"`
		There     int    `json:"there"`
		Kept      int    `json:"kept"`
		Marked    bool   `json:"marked"`
	}{b.t.Name, b.into, b.table.file, built, len(rows), leftOut, len(b.job.Kept), count[build.New], count[build.There], count[build.Kept], built && (b.marked > 0)}, "")
	if err == nil && !built && !b.preview {
		return found
	}
	return err
}

// reportFile is a table of what became of each row, in the form that its ending says.
func (b *buildRun) reportFile(built bool) (newFile, error) {
	all := b.outcomes(built)
	rows := [][]string{{"row", "state", "folder", "new", "there", "kept", "changes", "why"}}
	for _, o := range all {
		rows = append(rows, []string{strings.TrimSpace(o.Sheet + " " + strconv.Itoa(o.Row)), o.State, o.Folder, strconv.Itoa(o.New), strconv.Itoa(o.There), strconv.Itoa(o.Kept), strings.Join(o.Changes, "; "), strings.Join(o.Problems, "; ")})
	}
	for _, row := range rows {
		for i := range row {
			row[i] = strings.TrimSpace(string(term.Visible(row[i])))
		}
	}
	out := outRows{title: b.t.Heading(), about: string(term.Count(len(all), "row")) + " of " + filepath.Base(b.table.file), rows: rows, json: all}
	data, err := out.data(b.table.report)
	return newFile{b.table.report, tree.Bytes(data)}, err
}

// addReport puts the report of a build into its set.
func (b *buildRun) addReport() error {
	file, err := b.reportFile(true)
	if err != nil {
		return err
	}
	set, _, err := fileSet([]newFile{file})
	if err != nil {
		return refused("nothing was changed", "the report %s cannot be written: %s", b.table.report, place.Reason(err))
	}
	b.proposal.Set.Join(set)
	return nil
}

// writeReport writes the report of what would be built.
func (b *buildRun) writeReport() error {
	file, err := b.reportFile(false)
	if err != nil {
		return err
	}
	return b.makeFiles("report", filepath.Base(file.path), []newFile{file}, b.noJournal)
}
