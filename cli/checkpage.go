package cli

import (
	"fmt"
	"strings"

	"vestibula/cli/page"
	"vestibula/cli/term"
	"vestibula/core/inspect"
)

// writeResults writes what was found into a new file: a row for each finding, and on a page how each folder stands
// above them, with what was not looked at. Subjects are those of the results, and reports what they come from; none where a template was checked.
func (r *checkRun) writeResults(results []*checkResult, subjects []*inspect.Subject, reports []*inspect.Report, as any) error {
	rows := [][]string{{"where", "path", "line", "severity", "rule", "what", "what to do", "accepted"}}
	stands := page.Table{Title: "How they stand", Headings: []string{"folder", "state", "checked against"}}
	folders, files := 0, 0
	for i, result := range results {
		folders, files = folders+result.facts.Folders, files+result.facts.Files
		if subjects != nil {
			st := r.standing(subjects[i], result.Unread)
			stands.Rows = append(stands.Rows, []string{string(st.mark().Sign) + " " + result.Subject, st.words(), result.Template})
		}
		for _, f := range result.Findings {
			line := ""
			if f.Line > 0 {
				line = fmt.Sprint(f.Line)
			}
			rows = append(rows, []string{result.Subject, f.Path, line, f.Severity, f.Rule, f.Message, f.Help, f.Meant})
		}
	}
	out := outRows{title: "What was checked", rows: rows, json: as,
		about: fmt.Sprintf("%s. %s and %s looked at.", r.now.Format("2 January 2006"), term.Count(folders, "folder"), term.Count(files, "file"))}
	unread, unjudged := left(reports)
	for _, list := range []struct {
		says  string
		paths []string
	}{{" Not read: %s.", unread}, {" Not checked, as it belongs to none of them: %s.", unjudged}} {
		if len(list.paths) > 0 {
			out.about += fmt.Sprintf(list.says, strings.Join(r.few(list.paths), ", "))
		}
	}
	if len(stands.Rows) > 0 {
		out.before = []page.Table{stands}
	}
	out.heading = "What was found"
	if len(rows) == 1 {
		out.heading = "Nothing was found"
	}
	err := r.writeRows("check", r.outFile, out)
	if err == nil {
		r.tellUnread(reports)
		r.tellUnjudged(reports)
	}
	return err
}

// writeDifferences writes what differs into a new file; above it, on a page, the figures of two templates. Counted
// says how much that is.
func (a *compareRun) writeDifferences(sides [2]*comparand, list []differenceJSON, figures *page.Table, counted term.Shown, as any) error {
	rows := [][]string{{"what", "path", "on the other side", "why"}}
	for _, d := range list {
		slash := ""
		if d.Folder {
			slash = "/"
		}
		other := d.Other
		if other != "" {
			other += slash
		}
		what := d.What
		switch what {
		case "gone":
			what = "only in " + sides[0].name
		case "new":
			what = "only in " + sides[1].name
		}
		rows = append(rows, []string{what, d.Path + slash, other, d.Why})
	}
	out := outRows{title: sides[0].name + " and " + sides[1].name, about: a.now.Format("2 January 2006") + ". " + string(counted), rows: rows, json: as, heading: "What differs"}
	if figures != nil {
		out.before = []page.Table{*figures}
	}
	if len(list) == 0 {
		out.heading = "Nothing differs"
	}
	out.title = strings.TrimSpace(out.title)
	return a.writeRows("compare", a.outFile, out)
}
