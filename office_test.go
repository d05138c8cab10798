//go:build unix

package main

import (
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// counted are files that a camera counted, in the list of an office's drive.
var counted = regexp.MustCompile(`^(\D*)(\d+)(\.\w+) \.\. \D*(\d+)\.\w+$`)

// anOffice is an office's drive as ten years have left it: see testdata/office.txt.
func anOffice(t *testing.T) (d *desk, files int) {
	d = newDesk(t, "other.folders", "Other\n    A\n")
	text, err := os.ReadFile("testdata/office.txt")
	require.NoError(t, err)
	for line := range strings.Lines(string(text)) {
		in, names, is := strings.Cut(strings.TrimSpace(line), ": ")
		if !is || strings.HasPrefix(in, "//") {
			continue
		}
		for name := range strings.SplitSeq(names, " | ") {
			name, same, double := strings.Cut(name, "=")
			all := []string{name}
			if m := counted.FindStringSubmatch(name); m != nil {
				first, _ := strconv.Atoi(m[2])
				last, _ := strconv.Atoi(m[4])
				all = nil
				for n := first; n <= last; n++ {
					all = append(all, fmt.Sprintf("%s%0*d%s", m[1], len(m[2]), n, m[3]))
				}
			}
			for _, one := range all {
				if files++; !double {
					same = one
				}
				d.write("drive/"+in+"/"+one, "what "+in+"/"+same+" holds")
			}
		}
	}
	return d, files
}

// held are what files hold, with how many hold it, labels aside.
func held(files map[string]string) map[string]int {
	all := map[string]int{}
	for at, text := range files {
		if !strings.HasSuffix(at, ".vestibula.json") && !strings.HasSuffix(at, "/") {
			all[text]++
		}
	}
	return all
}

// A drive that an office filled for ten years is in order after five commands and one table: nothing is lost, each is
// taken back with one undo, and what is left is what a person too would have to ask somebody about.
func TestAnOfficesDriveIsPutInOrder(t *testing.T) {
	t.Parallel()
	d, files := anOffice(t)
	before := d.whole("drive")
	assert.Equal(t, 400, files)

	out, status := d.run("draft", "job", "drive")
	require.Zero(t, status, out)
	for _, want := range []string{"15 folders in drive/Commissions are alike: most hold Bills, Letters, Photos, Work", "<day> <name>", "Taken as they are meant, it makes each of the 15 folders again"} {
		assert.Contains(t, out, want)
	}
	out, status = d.run("check", "job")
	assert.Zero(t, status, out)
	out, _ = d.run("upgrade", "drive", "--template", "job", "--folder-names", "--yes")
	assert.Contains(t, out, "Taken over 15 projects")
	assert.Contains(t, out, "1 question is left", "a slip of the pen is only probable")
	out, _ = d.run("rename", "bill", "drive", "--yes")
	assert.Contains(t, out, "Renamed 4 files")
	assert.Contains(t, out, "it holds the same as “2017-09-14 bill jun-teague.pdf”, which is there")
	out, status = d.run("put", "drive/Scans", "drive/From the phone", "--into", "drive", "--move", "--plan", "places.csv")
	require.Zero(t, status, out)
	var rows []string
	for line := range strings.Lines(d.read("places.csv")) {
		for name, to := range map[string]string{
			"Scans/2025-01-20 bill jun-teague leather.pdf": "./drive/Commissions/2024-10-17 Jun Teague/Bills/2025-01-20 bill jun-teague leather.pdf",
			"Scans/Ruiz 2022-06-17 bill.pdf":               "./drive/Commissions/2022-03-14 Maria Ruiz/Bills/2022-06-17 bill maria-ruiz.pdf",
			"From the phone/2025":                          "./drive/Commissions/2025-06-03 Siv Aune/Photos/",
		} {
			if strings.HasPrefix(line, "move,./drive/"+name) {
				from := strings.Split(line, ",")[1]
				if strings.HasSuffix(to, "/") {
					to += filepath.Base(from)
				}
				line = "move," + from + "," + to + ",,\n"
			}
		}
		rows = append(rows, line)
	}
	d.write("places.csv", strings.Join(rows, ""))
	out, status = d.run("do", "places.csv", "--yes")
	require.Zero(t, status, out)

	after := d.whole("drive")
	assert.Equal(t, held(before), held(after), "nothing is lost")
	out, _ = d.run("check", "drive")
	assert.Contains(t, out, "3 errors in 15 projects; 12 well", "two doubles, and the slip that nobody has answered")
	left := d.has("drive/Scans")
	assert.Equal(t, []string{"2026-01-12 Post.pdf", "Bill 3.4.2025.pdf", "Scan0012.pdf", "Scan0013.pdf", "Scan0014.pdf", "bill.pdf"}, left)
	for _, want := range []string{"2018-01-22 Åsgerd Ölvane/Bills/2018-02-19 bill asgerd-olvane boards.pdf", "2020-01-16 Liv Ostby/Bills/2020-01-20 bill liv-ostby.pdf", "2021-02-25 Norland & Birk/Bills/2021-03-01 bill norland-birk.pdf",
		"2017-03-02 Ola Berg/Bills/2017-03-02 bill ola-berg.pdf", "2025-06-03 Siv Aune/Photos/20250611_101216.jpg", "2025-06-03 Siv Aune/Letters/letter to Siv Aune.docx"} {
		assert.Contains(t, slices.Collect(maps.Keys(after)), "Commissions/"+want)
	}
	for range 3 { // of do, rename and upgrade
		out, status = d.run("undo", "--yes")
		require.Zero(t, status, out)
	}
	assert.Equal(t, before, d.whole("drive"))
}
