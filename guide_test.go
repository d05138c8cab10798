//go:build unix

package main

import (
	"archive/zip"
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAGuideIsWrittenAndFollows(t *testing.T) {
	t.Parallel()
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
	t.Parallel()
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

func TestOfficeDocumentsAreFilled(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who?, day: { type: date, default: 2027-03-09 } }\n---\n<client>\n    Agreement.docx | fill: agreement.docx\n    Locked.docx | when: no\n")
	d.write("job.folders", strings.Replace(d.read("job.folders"), "    Locked.docx | when: no\n", "", 1))
	var doc bytes.Buffer
	w := zip.NewWriter(&doc)
	for name, text := range map[string]string{"word/document.xml": `<w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body><w:p><w:r><w:t>For &lt;cli</w:t></w:r><w:r><w:t>ent&gt;, &lt;day:d.m.yyyy&gt; &lt;other&gt;</w:t></w:r></w:p></w:body></w:document>`, "word/styles.xml": "<styles/>"} {
		to, err := w.Create(name)
		require.NoError(t, err)
		_, err = to.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	d.write("agreement.docx", doc.String())
	out, status := d.run("build", "job", "client=Pask & Wren", "--into", ".", "--yes")
	require.Zero(t, status, out)
	filled := d.unzipped("Pask & Wren/Agreement.docx")
	assert.Contains(t, filled["word/document.xml"], "For Pask &amp; Wren")
	assert.Contains(t, filled["word/document.xml"], ", 9.3.2027 &lt;other&gt;", "what is no field stays")
	assert.Equal(t, "<styles/>", filled["word/styles.xml"])
	out, status = d.run("check", "Pask & Wren")
	assert.Zero(t, status, out)
	out, status = d.run("undo", "--yes")
	require.Zero(t, status, out)
	d.write("agreement.docx", "\xD0\xCF\x11\xE0 locked")
	out, status = d.run("check", "job")
	assert.NotZero(t, status)
	assert.Contains(t, out, "locked with a password")
}
