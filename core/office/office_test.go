package office

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"
)

const (
	word  = `<w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body>`
	slide = `<p:sld xmlns:p="x" xmlns:a="http://schemas.openxmlformats.org/drawingml/2006/main"><a:p>`
	text  = `<office:document-content xmlns:office="o" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><text:p>`
)

// packed is a document of some parts, by their names.
func packed(t require.TestingT, parts ...string) []byte {
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for i := 0; i < len(parts); i += 2 {
		to, err := w.CreateHeader(&zip.FileHeader{Name: parts[i], Method: map[bool]uint16{true: zip.Store, false: zip.Deflate}[parts[i] == "mimetype"]})
		require.NoError(t, err)
		_, err = io.WriteString(to, parts[i+1])
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return out.Bytes()
}

// parts are what lies in a document.
func parts(t require.TestingT, data []byte) map[string]string {
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	all := map[string]string{}
	for _, f := range r.File {
		in, err := f.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(in)
		require.NoError(t, err)
		all[f.Name] = string(data)
	}
	return all
}

// replace replaces a text wherever it stands in a document.
func replace(t require.TestingT, data []byte, old, text string) []byte {
	d, err := Open(data)
	require.NoError(t, err)
	var edits []Edit
	for i, p := range d.Texts() {
		for at := 0; ; {
			k := strings.Index(p[at:], old)
			if k < 0 {
				break
			}
			edits = append(edits, Edit{i, at + k, at + k + len(old), text})
			at += k + len(old)
		}
	}
	out, err := d.With(edits)
	require.NoError(t, err)
	return out
}

func TestTextsAreReplacedAcrossRuns(t *testing.T) {
	for name, c := range map[string][3]string{
		"one run":                {"word/document.xml", word + `<w:p><w:r><w:t>To &lt;client&gt; &amp; Co</w:t></w:r></w:p></w:body></w:document>`, word + `<w:p><w:r><w:t>To A &lt;b&gt; &amp; Co</w:t></w:r></w:p></w:body></w:document>`},
		"cut into runs":          {"word/header1.xml", word + `<w:p><w:r><w:rPr><w:b/></w:rPr><w:t>To &lt;cl</w:t></w:r><w:proofErr w:type="x"/><w:r><w:t>ie</w:t></w:r><w:r><w:t>nt&gt;, hello</w:t></w:r></w:p></w:body></w:document>`, word + `<w:p><w:r><w:rPr><w:b/></w:rPr><w:t>To A &lt;b&gt;</w:t></w:r><w:proofErr w:type="x"/><w:r><w:t></w:t></w:r><w:r><w:t>, hello</w:t></w:r></w:p></w:body></w:document>`},
		"a space at the end":     {"word/document.xml", word + `<w:p><w:r><w:t>To&lt;client&gt;</w:t></w:r><w:r><w:t xml:space="preserve"> x&lt;client&gt; </w:t></w:r></w:p></w:body></w:document>`, word + `<w:p><w:r><w:t>ToA &lt;b&gt;</w:t></w:r><w:r><w:t xml:space="preserve"> xA &lt;b&gt; </w:t></w:r></w:p></w:body></w:document>`},
		"a slide":                {"ppt/slides/slide1.xml", slide + `<a:r><a:t>&lt;client</a:t></a:r><a:r><a:t>&gt; a > b</a:t></a:r></a:p></p:sld>`, slide + `<a:r><a:t>A &lt;b&gt;</a:t></a:r><a:r><a:t> a &gt; b</a:t></a:r></a:p></p:sld>`},
		"a cell":                 {"xl/sharedStrings.xml", `<sst><si><t>&lt;client&gt;</t></si><si><r><t>x &lt;cli</t></r><r><t>ent&gt;</t></r></si></sst>`, `<sst><si><t>A &lt;b&gt;</t></si><si><r><t>x A &lt;b&gt;</t></r><r><t></t></r></si></sst>`},
		"a paragraph with spans": {"content.xml", text + `To <text:span text:style-name="T1">&lt;cli</text:span>ent&gt;<!-- > --> end</text:p></office:document-content>`, text + `To <text:span text:style-name="T1">A &lt;b&gt;</text:span><!-- > --> end</text:p></office:document-content>`},
	} {
		data := packed(t, "mimetype", "x", c[0], c[1], "other/picture.png", "\x00\x01")
		out := replace(t, data, "<client>", "A <b>")
		all := parts(t, out)
		assert.Equal(t, c[2], all[c[0]], name)
		assert.Equal(t, "\x00\x01", all["other/picture.png"])
		assert.True(t, bytes.Contains(out[:60], []byte("mimetype")), "it stays the first")
		assert.Equal(t, out, replace(t, data, "<client>", "A <b>"), "the same each time")
		assert.NoError(t, xml.Unmarshal([]byte(all[c[0]]), new(struct{})))
	}
	out := replace(t, packed(t, "word/document.xml", word+`<w:p><w:r><w:t>To</w:t></w:r></w:p></w:body></w:document>`), "To", "To ")
	assert.Contains(t, parts(t, out)["word/document.xml"], `<w:t xml:space="preserve">To </w:t>`, "else the space is lost")
}

func TestWhatCannotBeFilledIsTold(t *testing.T) {
	whole := packed(t, "word/document.xml", word+"<w:p/></w:body></w:document>")
	for want, data := range map[string][]byte{
		"locked with a password": append([]byte{0xD0, 0xCF, 0x11, 0xE0}, make([]byte, 100)...),
		"is signed":              packed(t, "_xmlsignatures/sig1.xml", "", "word/document.xml", ""),
		"damaged, or no office":  []byte("no document"),
		"no office document":     packed(t, "a.txt", "x"),
		"is damaged":             packed(t, "word/document.xml", "<w:p>"),
		"with a password":        packed(t, "META-INF/manifest.xml", "<manifest:encryption-data/>", "content.xml", text+"</text:p></office:document-content>"),
	} {
		_, err := Open(data)
		assert.ErrorContains(t, err, want)
	}
	_, err := Open(whole[:len(whole)/2])
	assert.Error(t, err)
	deep := packed(t, "content.xml", strings.Repeat("<a>", 5000)+strings.Repeat("</a>", 5000))
	_, err = Open(deep)
	assert.Error(t, err)
}

// However a text is cut into runs, replacing in it is replacing in the whole.
func TestReplacingIsOfTheWholeText(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		whole := rapid.StringMatching(`([a-z&<> ]|<client>|é|x){0,30}`).Draw(t, "text")
		var runs strings.Builder
		for rest := []rune(whole); len(rest) > 0; {
			n := rapid.IntRange(1, len(rest)).Draw(t, "run")
			runs.WriteString(`<w:r><w:t xml:space="preserve">`)
			_ = xml.EscapeText(&runs, []byte(string(rest[:n])))
			runs.WriteString("</w:t></w:r>")
			rest = rest[n:]
		}
		out := replace(t, packed(t, "word/document.xml", word+"<w:p>"+runs.String()+"</w:p></w:body></w:document>"), "<client>", "Å & B")
		d, err := Open(out)
		require.NoError(t, err)
		assert.Equal(t, strings.ReplaceAll(whole, "<client>", "Å & B"), strings.Join(d.Texts(), ""))
	})
}

// An office program makes documents, and reads them when they are filled: where there is one.
func TestAnOfficeProgramReadsWhatIsFilled(t *testing.T) {
	program, err := exec.LookPath("soffice")
	if err != nil || testing.Short() {
		t.Skip("no office program here")
	}
	dir := t.TempDir()
	page := `<html><body><h1>To &lt;cli<b>en</b>t&gt;</h1><p>Dear &lt;client&gt;, <i>&lt;cl</i>ient&gt;!</p><table><tr><td>&lt;client&gt;</td></tr></table></body></html>`
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a.html"), []byte(page), 0o644))
	convert := func(from, form string) {
		cmd := exec.Command(program, "--headless", "-env:UserInstallation=file://"+filepath.Join(dir, "profile"), "--convert-to", form, "--outdir", dir, filepath.Join(dir, from))
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	for _, form := range []string{"odt:writer8", "docx:MS Word 2007 XML"} {
		ending, _, _ := strings.Cut(form, ":")
		convert("a.html", form)
		data, err := os.ReadFile(filepath.Join(dir, "a."+ending))
		if err != nil {
			t.Skipf("the office program makes no %s here", ending)
		}
		require.NoError(t, os.WriteFile(filepath.Join(dir, "filled."+ending), replace(t, data, "<client>", "Ørjan & Søn"), 0o644))
		convert("filled."+ending, "txt:Text (encoded):UTF8")
		text, err := os.ReadFile(filepath.Join(dir, "filled.txt"))
		require.NoError(t, err)
		assert.Equal(t, 4, strings.Count(string(text), "Ørjan & Søn"), string(text))
		assert.NotContains(t, string(text), "client")
		require.NoError(t, os.Remove(filepath.Join(dir, "filled.txt")))
	}
}

func FuzzOpen(f *testing.F) {
	f.Add([]byte(word+`<w:p><w:r><w:t>To &lt;client&gt;</w:t></w:r></w:p></w:body></w:document>`), 3, 7)
	f.Fuzz(func(t *testing.T, part []byte, from, to int) {
		d, err := Open(packed(t, "word/document.xml", string(part), "content.xml", string(part)))
		if err != nil {
			return
		}
		texts := d.Texts()
		for i, text := range texts {
			if from >= 0 && from <= to && to <= len(text) && strings.ToValidUTF8(text[:from], "") == text[:from] && strings.ToValidUTF8(text[from:to], "") == text[from:to] {
				out, err := d.With([]Edit{{i, from, to, "<new>"}})
				if err != nil {
					t.Fatal(err)
				}
				again, err := Open(out)
				if err != nil {
					t.Fatal(err)
				}
				if from < to && again.Texts()[i] != text[:from]+"<new>"+text[to:] {
					t.Fatalf("%q has become %q", text, again.Texts()[i])
				}
			}
		}
	})
}

// A workbook of another library is read by that when it is filled, with its numbers and
// formulas as they were.
func TestAWorkbookIsReadWhenItIsFilled(t *testing.T) {
	book := excelize.NewFile()
	require.NoError(t, book.SetCellValue("Sheet1", "A1", "To <client>"))
	require.NoError(t, book.SetCellRichText("Sheet1", "A2", []excelize.RichTextRun{{Text: "<cli", Font: &excelize.Font{Bold: true}}, {Text: "ent> & more"}}))
	require.NoError(t, book.SetCellValue("Sheet1", "A3", 7))
	require.NoError(t, book.SetCellFormula("Sheet1", "A4", "A3*2"))
	var data bytes.Buffer
	require.NoError(t, book.Write(&data))
	filled, err := excelize.OpenReader(bytes.NewReader(replace(t, data.Bytes(), "<client>", "Oriel Pask")))
	require.NoError(t, err)
	for cell, want := range map[string]string{"A1": "To Oriel Pask", "A2": "Oriel Pask & more", "A3": "7"} {
		is, err := filled.GetCellValue("Sheet1", cell)
		require.NoError(t, err)
		assert.Equal(t, want, is)
	}
	formula, err := filled.GetCellFormula("Sheet1", "A4")
	require.NoError(t, err)
	assert.Equal(t, "A3*2", formula)
}
