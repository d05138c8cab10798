//go:build unix

package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAGuideIsWrittenAndFollows(t *testing.T) {
	d := newDesk(t, "job.folders", "---\ntitle: Jobs\nfields: { client: Who? }\nnames: { letter: \"<day:yyyy-mm-dd> <client:like-this>\" }\n---\n<client>\n    Letters | holds: letter | note: what was written\n    Guide.md | guide\n")
	for _, form := range []string{"", "guide.html", "guide.md", "guide.txt"} {
		args := []string{"guide", "job", "client=Oriel Pask"}
		if form != "" {
			args = append(args, "--out", form)
		}
		out, status := d.run(args...)
		require.Zero(t, status, out)
		if form != "" {
			out = d.read(form)
		}
		for _, part := range []string{"Jobs", "Letters", "what was written", "oriel-pask", "2027-03-09"} {
			assert.Contains(t, out, part, form)
		}
	}
	out, status := d.run("guide", "job", "client=Jun", "--out", "guide.md")
	assert.Equal(t, 1, status, "%s: nothing is overwritten", out)
	_, status = d.run("guide", "job", "--out", "guide.doc")
	assert.Equal(t, 2, status)

	_, status = d.run("build", "job", "client=Oriel Pask", "--into", ".", "--yes")
	require.Zero(t, status)
	assert.Equal(t, d.read("guide.md"), d.read("Oriel Pask/Guide.md"))
	d.write("job.folders", strings.Replace(d.read("job.folders"), "what was written", "all letters", 1))
	out, status = d.run("upgrade", "Oriel Pask", "--yes")
	require.Zero(t, status, out)
	assert.Contains(t, d.read("Oriel Pask/Guide.md"), "all letters")
	out, status = d.run("guide", "Oriel Pask")
	require.Zero(t, status, out)
	assert.Contains(t, out, "all letters")
	d.write("Oriel Pask/Guide.md", "my own")
	d.write("job.folders", strings.Replace(d.read("job.folders"), "all letters", "every letter", 1))
	out, status = d.run("upgrade", "Oriel Pask", "--yes")
	require.Zero(t, status, out)
	assert.Equal(t, "my own", d.read("Oriel Pask/Guide.md"))
}

// Pages are valid HTML, whatever stands in names and texts: by a validator that is not ours,
// where CI has put it.
func TestPagesAreValid(t *testing.T) {
	validator := os.Getenv("VESTIBULA_VNU")
	if validator == "" {
		t.Skip("VESTIBULA_VNU names no validator")
	}
	evil := `<script>alert(1)</script> & "x" 'y' </style>`
	d := newDesk(t, "job.folders", "---\ntitle: '"+strings.ReplaceAll(evil, "'", "''")+"'\nfields: { client: Who? , kind: { of: { A: '<b>', B: '&amp;' } } }\nnames: { letter: { pattern: \"<day:yyyy-mm-dd> <client:like-this>\", for: [pdf] } }\nrules: { depth: 4 }\n---\n<client>\n    Letters | holds: letter | note: "+strings.ReplaceAll(evil, "|", "")+"\n    Report.pdf | due: 2027-01-01 | worth: 3\n")
	for _, client := range []string{evil, "Oriel Pask", "x' onload='y"} {
		_, status := d.run("build", "job", "client="+client, "kind=A", "--into", ".", "--yes")
		require.Zero(t, status)
	}
	pages := []string{"projects.html", "guide.html"}
	_, status := d.run("projects", ".", "--out", pages[0])
	require.Zero(t, status)
	_, status = d.run("guide", "job", "client="+evil, "--out", pages[1])
	require.Zero(t, status)
	for _, example := range []string{"commission", "evening-course", "ledger"} {
		_, status = d.run("guide", example, "--out", example+".html")
		require.Zero(t, status)
		pages = append(pages, example+".html")
	}
	for _, page := range pages {
		said, err := exec.Command("java", "-jar", validator, filepath.Join(d.dir, page)).CombinedOutput()
		assert.NoError(t, err, "%s: %s", page, said)
	}
}
