//go:build unix

package main

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"time"

	"vestibula/core/order"
)

// allRules is a header that turns every rule on.
const allRules = `---
rules:
  depth: 5
  width: 60000
  loose-files: 10
  name-length: 60
  name-words: 8
  name-style: { folders: Like this }
  path-length: 200
  systems: [windows, mac, linux]
  sorting: [code-point, alphabetical, natural, dictionary]
  numbering: { gaps: no, reserved: { 90: Settled } }
  last: 90 Settled
  levels: { 4: { folders: no } }
  vague-names: on
  single-child: warn
  repeats: warn
  catch-all: Arrivals
  holds: on
---
`

// projects writes a template with so many projects of twenty folders.
func projects(dir string, n int) (string, error) {
	var b strings.Builder
	fmt.Fprintf(&b, "%sProjects\n    <#:00> Arrivals | number: 0\n    Project <n:%s> | each: n in 1..%d\n        <#> Arrivals | number: 0\n", allRules, strings.Repeat("0", len(fmt.Sprint(n))), n)
	for _, name := range strings.Fields("Plan Agreement Survey Photographs Repair Sewing Covering Gilding Invoices Letters Prices Materials Notes Delivery Trials Tools Suppliers") {
		fmt.Fprintf(&b, "        <#> %s\n", name)
	}
	b.WriteString("        <#> Settled | number: 90\n")
	file := filepath.Join(dir, fmt.Sprintf("projects-%d.folders", n))
	return file, os.WriteFile(file, []byte(b.String()), 0o666)
}

// checkTemplate compares a million nodes with a hundred thousand: ten times the
// work is to cost at most eleven times as much.
func checkTemplate(b *bench) (ours, theirs measure, err error) {
	large, err := projects(b.dir, size(50_000))
	if err != nil {
		return nil, nil, err
	}
	small, err := projects(b.dir, size(5_000))
	check := func(file string) measure {
		return seconds(func() time.Duration { return timed(b.program, "check", file, "--limit", "2000000") })
	}
	return check(large), check(small), err
}

// millionEntries builds a folder of a million entries, once.
func millionEntries(b *bench, file string) string {
	into := filepath.Join(b.dir, "million")
	if err := os.Mkdir(into, 0o777); err == nil {
		timed(b.program, "build", file, "--into", into, "--yes", "--limit", "2000000")
	}
	return filepath.Join(into, "Projects")
}

// checkFolder compares checking a real folder of a million entries with listing
// it.
func checkFolder(b *bench) (ours, theirs measure, err error) {
	file, err := projects(b.dir, size(50_000))
	if err != nil {
		return nil, nil, err
	}
	folder := millionEntries(b, file)
	ours = seconds(func() time.Duration { return timed(b.program, "check", folder, "--template", file) })
	theirs = seconds(func() time.Duration { return timed("find", folder) })
	return ours, theirs, nil
}

// printed lists a folder with sizes and times.
func printed(folder string) measure {
	return seconds(func() time.Duration { return timed("find", folder, "-printf", `%p %s %T@\n`) })
}

// matchProject compares holding a project of a million entries against what it was
// built from with listing it.
func matchProject(b *bench) (ours, theirs measure, err error) {
	file, err := projects(b.dir, size(50_000))
	if err != nil {
		return nil, nil, err
	}
	folder := millionEntries(b, file)
	ours = seconds(func() time.Duration {
		return timed(b.program, "check", folder, "--only", "missing,misnamed,misplaced,holds,strays,overdue")
	})
	return ours, printed(folder), nil
}

// matchMany compares a row for each of a thousand projects of a hundred entries with
// listing them.
func matchMany(b *bench) (ours, theirs measure, err error) {
	var outline, table strings.Builder
	outline.WriteString("---\nfields: { client: Who?, stages: { type: list, default: [survey, repair, sewing] } }\n---\n<client>\n")
	for i := range 9 {
		fmt.Fprintf(&outline, "    <#> Place %c\n        <#> <stage> | each: stage in stages\n            Notes/\n            list.md\n        read me.md\n", 'A'+i)
	}
	table.WriteString("client\n")
	for i := range size(1000) {
		fmt.Fprintf(&table, "Client %04d\n", i)
	}
	file, rows, into := filepath.Join(b.dir, "places.folders"), filepath.Join(b.dir, "clients.csv"), filepath.Join(b.dir, "thousand")
	check(os.WriteFile(file, []byte(outline.String()), 0o666))
	check(os.WriteFile(rows, []byte(table.String()), 0o666))
	check(os.Mkdir(into, 0o777))
	timed(b.program, "build", file, "--into", into, "--table", rows, "--yes", "--limit", "200000")
	ours = seconds(func() time.Duration { return timed(b.program, "projects", into) })
	return ours, printed(into), nil
}

// sortSiblings sorts a hundred thousand names in all orders, against a
// second for each.
func sortSiblings(*bench) (ours, theirs measure, err error) {
	names := make([]string, size(100_000))
	for i := range names {
		names[i] = fmt.Sprintf("%d Öriel %s-%d", rand.IntN(1000), []string{"Pask", "teague", "Åsgerd"}[i%3], rand.IntN(100_000))
	}
	ours = seconds(func() time.Duration {
		begin := time.Now()
		for _, o := range order.All() {
			order.Sort(o, append([]string{}, names...), func(s string) string { return s })
		}
		return time.Since(begin)
	})
	return ours, func() float64 { return float64(len(order.All())) }, nil
}
