package cli

import (
	"slices"
	"strings"

	"github.com/charmbracelet/x/ansi"
	"github.com/spf13/cobra"

	"vestibula/cli/page"
	"vestibula/cli/term"
	"vestibula/core/bundle"
	"vestibula/core/compare"
	"vestibula/core/place"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A compareRun is one call of compare.
type compareRun struct {
	*app
	asJSON, strict bool
	outFile        string
}

func (a *app) compareCommand() *cobra.Command {
	var flags valueFlags
	r := &compareRun{app: a}
	var ask consent
	c := &cobra.Command{
		Use:   "compare ONE OTHER [field=value …]",
		Short: "Tell what differs: between templates, folders, a template and a project, a backup and now.",
		Long: `Tell what differs between two templates, two folders, a template and a project, or a backup
and now: what has another name or number, lies elsewhere, holds something else, or is on
one side only; and in one line how much. A backup alone is compared with its project; --plan
writes what would bring back from it what is missing, as “backup --back” does it.

Of two templates it also puts the arrangements side by side: how many folders each makes,
how many clicks lead to them, in how many places one kind of thing lies, and what moves.`,
		Example: `  vestibula compare commission ledger
  vestibula compare by-kind.folders by-client.folders client="Oriel Pask"
  vestibula compare commission "Clients/2027-03 Oriel Pask BK"
  vestibula compare "Backups/2027-03 Oriel Pask BK 2027-04-01"`,
		Args: func(c *cobra.Command, args []string) error {
			if len(args) == 0 {
				return unclear(examplesOf("compare"), "which two are to be compared?")
			}
			return nil
		},
		ValidArgsFunction: a.completeTemplate,
		RunE: func(_ *cobra.Command, args []string) error {
			if ask.plan != "" {
				return a.comparePlan(args, ask)
			}
			return r.compare(args, flags)
		},
	}
	flags.add(c)
	c.Flags().BoolVar(&r.asJSON, "json", false, "print JSON")
	ask.addPlan(c)
	c.Flags().StringVar(&r.outFile, "out", "", "write what differs into a new `FILE`: "+outEndings)
	c.Flags().BoolVar(&r.strict, "strict", false, "a difference fails")
	return c
}

func (a *compareRun) compare(args []string, flags valueFlags) error {
	var sides [2]*comparand
	var err error
	if sides[0], err = a.comparand(args[0]); err != nil {
		return err
	}
	rest := args[1:]
	if back := sides[0].from; back != "" && (len(rest) == 0 || strings.Contains(rest[0], "=") && !place.Exists(rest[0])) {
		if !place.Exists(back) {
			return refused("name what it is to be compared with", "%s is a backup of %s, and that is not there", args[0], back)
		}
		rest = append([]string{fromHere(back)}, rest...)
	}
	if len(rest) == 0 {
		return unclear("name the other one as well", "%s is to be compared with what?", args[0])
	}
	if sides[1], err = a.comparand(rest[0]); err != nil {
		return err
	}
	raw, err := rawArgs(rest[1:])
	if err != nil {
		return err
	}
	if flags.file != "" {
		if err := rawFile(raw, flags.file); err != nil {
			return err
		}
	}
	if sides[0].template == nil || sides[1].template == nil {
		return a.compareReal(sides, raw, flags.limit)
	}
	list, err := a.compareTemplates(sides, raw, flags.limit)
	if err == nil && a.strict && len(list) > 0 {
		return found
	}
	return err
}

// comparePlan writes what brings a project back from a backup, of which one is named, or both.
func (a *app) comparePlan(args []string, ask consent) error {
	r := &backupRun{app: a, consent: ask}
	var from, to string
	for _, arg := range args {
		full, err := place.Real(arg)
		if err != nil {
			return unreadable(arg, err)
		}
		if note := bundle.Head(full); note != nil && from == "" {
			if from = arg; to == "" && len(args) == 1 {
				to = fromHere(note.From)
			}
			continue
		}
		to = arg
	}
	if from == "" || to == "" || len(args) > 2 {
		return unclear(examplesOf("compare"), "--plan is for a project and a backup of it")
	}
	return r.bringBack([]string{to, from})
}

// compareTemplates compares what two templates make of the same values.
func (a *compareRun) compareTemplates(sides [2]*comparand, raw map[string]template.Raw, limit int) ([]compare.Difference, error) {
	templates := [2]*template.Template{sides[0].template, sides[1].template}
	for name := range raw {
		if templates[0].Field(name) == nil && templates[1].Field(name) == nil {
			return nil, unclear("", "neither template has a field \"%s\"", name)
		}
	}
	var roots [2]*tree.Node
	for i, c := range sides {
		if err := a.grow(c, raw, nil, limit); err != nil {
			return nil, err
		}
		roots[i] = c.whole
	}
	back := compare.Level(roots[0], roots[1])
	list := compare.Differences(roots[0], roots[1], compare.Contents{}, nil)
	fates := compare.Fates(roots[0], roots[1], list)
	back()
	measured := [2]compare.Side{compare.Measure(roots[0]), compare.Measure(roots[1])}
	spreads := compare.Spreads(measured[0], measured[1])
	told := differencesJSON(sides, list).Differences
	as := comparisonJSON(&compared{templates, roots, measured, fates, spreads}, told)
	columns, rows := a.measures(templates, measured, spreads)
	switch {
	case a.outFile != "":
		return list, a.writeDifferences(sides, told, plainTable(columns, rows), markedText(sides, fates), as)
	case a.asJSON:
		return list, a.printJSON(as)
	}
	a.screen.Table(columns, rows)
	a.screen.Line()
	a.drawSides(roots, fates)
	a.screen.Line()
	if len(list) == 0 {
		a.screen.Text(term.Good.Render("The same") + ": both make the same folders and files.")
		return nil, nil
	}
	// What is new, gone or elsewhere stands in the trees.
	a.drawDifferences(slices.DeleteFunc(slices.Clone(list), func(d compare.Difference) bool { return d.What != compare.Renamed }))
	a.screen.Text(term.Strong.Render(markedText(sides, fates)))
	return list, nil
}

// plainTable is a table without colours, for a page.
func plainTable(columns []term.Column, rows [][]term.Shown) *page.Table {
	t := &page.Table{}
	for _, c := range columns {
		t.Headings = append(t.Headings, ansi.Strip(string(c.Name)))
	}
	for _, row := range rows {
		var cells []string
		for _, cell := range row {
			cells = append(cells, ansi.Strip(string(cell)))
		}
		t.Rows = append(t.Rows, cells)
	}
	return t
}

// measures are the figures of both sides, as a table.
func (a *app) measures(templates [2]*template.Template, sides [2]compare.Side, spreads []compare.Spread) (columns []term.Column, rows [][]term.Shown) {
	row := func(what term.Shown, value func(s compare.Side) term.Shown) {
		x, y := value(sides[0]), value(sides[1])
		rows = append(rows, []term.Shown{term.Dim.Render(what), x, y})
	}
	row("folders", func(s compare.Side) term.Shown { return term.Count(s.Folders, "folder") })
	if sides[0].Files+sides[1].Files > 0 {
		row("files", func(s compare.Side) term.Shown { return term.Count(s.Files, "file") })
	}
	row("levels", func(s compare.Side) term.Shown { return term.Count(s.Levels, "level") })
	row("widest place", func(s compare.Side) term.Shown {
		where := term.Shown("the top level")
		if s.Widest != "" {
			where = term.Visible(s.Widest)
		}
		return where
	})
	row("folders in it", func(s compare.Side) term.Shown { return term.Number(s.Width) })
	row("deepest place", func(s compare.Side) term.Shown { return term.Visible(s.Deepest) })
	row("longest path", func(s compare.Side) term.Shown { return term.Count(s.Length, "character") })
	row("clicks, on average", func(s compare.Side) term.Shown { return term.Sprintf("%.1f", s.Average) })
	row("clicks, at the most", func(s compare.Side) term.Shown { return term.Number(s.Furthest) })
	heads := sideNames(templates)
	const most = 12
	for i, s := range spreads {
		if i == a.most(most) {
			rows = append(rows, []term.Shown{term.Dim.Render(term.Sprintf("… and %s more", term.Number(len(spreads)-i))), "", ""})
			break
		}
		x, y := term.Count(s.Places[0], "place"), term.Count(s.Places[1], "place")
		rows = append(rows, []term.Shown{term.Dim.Render("“" + term.Visible(s.Name) + "” lies in"), x, y})
	}
	return []term.Column{{Whole: true}, {Name: term.Title.Render(term.Visible(heads[0])), Path: true}, {Name: term.Title.Render(term.Visible(heads[1])), Path: true}}, rows
}

// sideNames are what two templates are called: by their names where their titles are one.
func sideNames(t [2]*template.Template) [2]string {
	if t[0].Heading() != t[1].Heading() {
		return [2]string{t[0].Heading(), t[1].Heading()}
	}
	return [2]string{strings.TrimSuffix(t[0].Name, template.Ending), strings.TrimSuffix(t[1].Name, template.Ending)}
}

// fateCounts are how many of each side have each fate.
func fateCounts(fates [2]map[*tree.Node]compare.Fate) (n [2][4]int) {
	for side := range fates {
		for _, fate := range fates[side] {
			n[side][fate]++
		}
	}
	return n
}

// markedText counts what the trees are marked with.
func markedText(sides [2]*comparand, fates [2]map[*tree.Node]compare.Fate) term.Shown {
	n := fateCounts(fates)
	return tallied([]tally{{n[0][compare.Other], "under another name"}, {n[0][compare.Moves], "elsewhere"},
		{n[0][compare.Alone], "only in " + term.Visible(sides[0].name)}, {n[1][compare.Alone], "only in " + term.Visible(sides[1].name)}})
}

var fateMarks = map[compare.Fate]term.Mark{
	compare.Stays: {Sign: " ", Style: term.Dim},
	compare.Moves: {Sign: "»", Style: term.Accent},
	compare.Alone: {Sign: "+", Style: term.Good},
	compare.Other: {Sign: "≈", Style: term.Accent},
}

// drawSides draws both trees next to each other.
func (a *app) drawSides(roots [2]*tree.Node, fates [2]map[*tree.Node]compare.Fate) {
	var lines [2][]term.Shown
	width := 0
	for i, root := range roots {
		lines[i] = a.screen.TreeLines(root, term.TreeView{Mark: func(n *tree.Node) term.Mark { return fateMarks[fates[i][n]] }})
	}
	for _, l := range lines[0] {
		width = max(width, term.Columns(l))
	}
	if a.screen.Width > 0 {
		width = min(width, a.screen.Width/2-2)
	}
	for i := range max(len(lines[0]), len(lines[1])) {
		var left, right term.Shown
		if i < len(lines[0]) {
			left = lines[0][i]
		}
		if i < len(lines[1]) {
			right = lines[1][i]
		}
		a.screen.Line(term.Pad(term.Cut(left, width), width)+"   ", right)
	}
	a.screen.Line()
	n := fateCounts(fates)
	var legend []term.Shown
	for _, l := range []struct {
		fate compare.Fate
		says term.Shown
	}{{compare.Moves, "lies elsewhere on the other side"}, {compare.Other, "has another name there"}, {compare.Alone, "only on this side"}} {
		if m := fateMarks[l.fate]; n[0][l.fate]+n[1][l.fate] > 0 {
			legend = append(legend, m.Style.Render(m.Sign)+" "+l.says)
		}
	}
	if len(legend) > 0 {
		a.screen.Text(term.Join(legend, "   "))
	}
}

// What was compared are two templates, with their trees.
type compared struct {
	templates [2]*template.Template
	roots     [2]*tree.Node
	sides     [2]compare.Side
	fates     [2]map[*tree.Node]compare.Fate
	spreads   []compare.Spread
}

func comparisonJSON(c *compared, differences []differenceJSON) any {
	type thing struct {
		Path string `json:"path"`
		Fate string `json:"fate"`
	}
	type side struct {
		Template string `json:"template"`
		compare.Side
		Things []thing `json:"things"`
	}
	var out struct {
		Sides       [2]side          `json:"sides"`
		Spreads     []compare.Spread `json:"spreads"`
		Differences []differenceJSON `json:"differences"`
	}
	out.Differences = differences
	out.Spreads = append([]compare.Spread{}, c.spreads...)
	for i := range c.roots {
		out.Sides[i] = side{Template: c.templates[i].Name, Side: c.sides[i]}
		for path, n := range c.roots[i].All() {
			out.Sides[i].Things = append(out.Sides[i].Things, thing{path, c.fates[i][n].String()})
		}
	}
	return out
}
