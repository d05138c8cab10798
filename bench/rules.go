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
	large, err := projects(b.dir, 50_000)
	if err != nil {
		return nil, nil, err
	}
	small, err := projects(b.dir, 5_000)
	check := func(file string) measure {
		return seconds(func() time.Duration { return timed(b.program, "check", file, "--limit", "2000000") })
	}
	return check(large), check(small), err
}

// checkFolder compares checking a real folder of a million entries with listing
// it.
func checkFolder(b *bench) (ours, theirs measure, err error) {
	file, err := projects(b.dir, 50_000)
	if err != nil {
		return nil, nil, err
	}
	into := filepath.Join(b.dir, "million")
	if err := os.Mkdir(into, 0o777); err != nil {
		return nil, nil, err
	}
	timed(b.program, "build", file, "--into", into, "--yes", "--limit", "2000000")
	folder := filepath.Join(into, "Projects")
	ours = seconds(func() time.Duration { return timed(b.program, "check", folder, "--template", file) })
	theirs = seconds(func() time.Duration { return timed("find", folder) })
	return ours, theirs, nil
}

// sortSiblings sorts a hundred thousand names in all four orders, against a
// second for each.
func sortSiblings(*bench) (ours, theirs measure, err error) {
	names := make([]string, 100_000)
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
	return ours, func() float64 { return 4 }, nil
}
