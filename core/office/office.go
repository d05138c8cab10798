// Package office replaces texts in office documents: word processor files, workbooks and
// slides, in the formats of Office Open XML (ECMA-376) and OpenDocument (ISO/IEC 26300).
// Both are ZIP archives of XML parts. A text that the program has cut into several runs is
// found as one, and what replaces a part of it stands in the run in which that part begins.
// All else stays as it was, byte for byte.
package office

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
)

// Bounds of what is read.
const (
	MaxBytes = 64 << 20  // of a document
	maxPart  = 64 << 20  // of a part, unpacked
	maxParts = 10_000    // in a document
	maxTexts = 128 << 20 // of all parts with texts, unpacked
	maxDepth = 2000      // of elements
)

// Endings are those of the documents that can be opened.
var Endings = []string{"docx", "dotx", "docm", "xlsx", "xltx", "xlsm", "pptx", "potx", "pptm", "odt", "ott", "ods", "ots", "odp", "otp"}

// Is reports whether a file, by its name, is such a document.
func Is(name string) bool {
	return slices.Contains(Endings, strings.TrimPrefix(strings.ToLower(path.Ext(name)), "."))
}

// A Document is one that was opened.
type Document struct {
	data       []byte
	zip        *zip.Reader
	paragraphs []paragraph
}

// A paragraph is a text of a part, in pieces.
type paragraph struct {
	part   int // among the files of the archive
	pieces []piece
}

// A piece is character data of a part.
type piece struct {
	from, to int64  // its bytes in the part
	text     string // what they mean
	tag      int64  // where the start tag ends that it stands behind, if that can have an attribute; else 0
}

// An Edit replaces a part of a paragraph, given in bytes of its text.
type Edit struct {
	Paragraph, From, To int
	Text                string
}

// Open opens a document. The error says, for a person, why it cannot be filled: it is
// locked with a password, signed, damaged, or more than can be meant.
func Open(data []byte) (*Document, error) {
	if bytes.HasPrefix(data, []byte{0xD0, 0xCF, 0x11, 0xE0}) {
		return nil, errors.New("it is locked with a password, or in an old format: save it without, as a new document")
	}
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, errors.New("it is damaged, or no office document")
	}
	if len(r.File) > maxParts {
		return nil, fmt.Errorf("it has more than %d parts", maxParts)
	}
	d := &Document{data: data, zip: r}
	total, known := 0, false
	for i, f := range r.File {
		switch {
		case f.Flags&1 != 0:
			return nil, errors.New("it is locked with a password")
		case strings.HasPrefix(f.Name, "_xmlsignatures/"), f.Name == "META-INF/documentsignatures.xml":
			return nil, errors.New("it is signed, and filled in it would not be what was signed any more: use `copy`")
		}
		if f.Name == "META-INF/manifest.xml" {
			manifest, err := read(f)
			if err != nil {
				return nil, err
			}
			if bytes.Contains(manifest, []byte("encryption-data")) {
				return nil, errors.New("it is locked with a password")
			}
		}
		if !holdsTexts(f.Name) {
			continue
		}
		known = true
		part, err := read(f)
		if err != nil {
			return nil, err
		}
		if total += len(part); total > maxTexts {
			return nil, errors.New("it holds more text than can be meant")
		}
		list, err := paragraphs(part)
		if err != nil {
			return nil, fmt.Errorf("its part %s is damaged", f.Name)
		}
		for _, pieces := range list {
			d.paragraphs = append(d.paragraphs, paragraph{i, pieces})
		}
	}
	if !known {
		return nil, errors.New("it is no office document that can be filled")
	}
	return d, nil
}

// read unpacks a part, within a budget.
func read(f *zip.File) ([]byte, error) {
	if f.UncompressedSize64 > maxPart {
		return nil, fmt.Errorf("its part %s holds more than %d MB", f.Name, maxPart>>20)
	}
	r, err := f.Open()
	if err != nil {
		return nil, errors.New("it is damaged, or packed in a way that cannot be read")
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, maxPart+1))
	if err != nil || len(data) > maxPart {
		return nil, fmt.Errorf("its part %s is damaged, or too large", f.Name)
	}
	return data, nil
}

// holdsTexts reports whether a part has texts that people write.
func holdsTexts(name string) bool {
	if path.Ext(name) != ".xml" {
		return false
	}
	dir, base := path.Split(name)
	switch dir {
	case "":
		return base == "content.xml" || base == "styles.xml" || base == "meta.xml"
	case "word/":
		for _, kind := range []string{"document", "header", "footer", "footnotes", "endnotes", "comments"} {
			if strings.HasPrefix(base, kind) && !strings.Contains(strings.TrimPrefix(base, "comments"), "Ext") {
				return true
			}
		}
		return false
	case "xl/":
		return base == "sharedStrings.xml"
	case "xl/worksheets/", "ppt/slides/", "ppt/notesSlides/", "ppt/slideLayouts/", "ppt/slideMasters/", "ppt/comments/":
		return true
	}
	return dir == "docProps/" && base == "core.xml"
}

// blocks are the elements whose text is one, and whether all character data in them is
// text, or only that of the runs.
var blocks = map[string]bool{
	"p": false, "si": false, "is": false, "h": true, "title": true, "subject": true, "description": true,
}

// OpenDocument's paragraphs are called p as well: there all character data is text.
const openDocument = "urn:oasis:names:tc:opendocument:xmlns:text:1.0"

// slides is the name space of texts in slides and drawings, where spaces are kept anyway.
const slides = "http://schemas.openxmlformats.org/drawingml/2006/main"

// paragraphs finds the texts of a part.
func paragraphs(part []byte) (list [][]piece, err error) {
	decoder := xml.NewDecoder(bytes.NewReader(part))
	decoder.Strict = true
	type open struct {
		block, all bool
		run, keeps bool // it is a run, in which spaces at an end are kept if it says so
		pieces     []piece
	}
	var stack []open
	for {
		from := decoder.InputOffset()
		token, err := decoder.Token()
		if errors.Is(err, io.EOF) {
			return list, nil
		}
		if err != nil {
			return nil, err
		}
		switch t := token.(type) {
		case xml.StartElement:
			if len(stack) > maxDepth {
				return nil, errors.New("too deep")
			}
			all, is := blocks[t.Name.Local]
			if t.Name.Space == openDocument && (t.Name.Local == "p" || t.Name.Local == "h") {
				all, is = true, true
			}
			stack = append(stack, open{block: is, all: all, run: t.Name.Local == "t", keeps: t.Name.Local == "t" && t.Name.Space != slides})
		case xml.EndElement:
			top := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			if top.block && len(top.pieces) > 0 {
				list = append(list, top.pieces)
			}
		case xml.CharData:
			to := decoder.InputOffset()
			at := slices.IndexFunc(stack, func(o open) bool { return o.block })
			for i := len(stack) - 1; i >= 0; i-- { // the innermost
				if stack[i].block {
					at = i
					break
				}
			}
			if at < 0 || !stack[at].all && !stack[len(stack)-1].run {
				continue
			}
			if bytes.Contains(part[from:to], []byte("<![CDATA[")) {
				continue // its end is not where its text ends
			}
			p := piece{from: from, to: to, text: string(t)}
			if stack[len(stack)-1].keeps {
				p.tag = from
			}
			stack[at].pieces = append(stack[at].pieces, p)
		}
	}
}

// Texts are the paragraphs of the document.
func (d *Document) Texts() []string {
	list := make([]string, len(d.paragraphs))
	for i, p := range d.paragraphs {
		var b strings.Builder
		for _, piece := range p.pieces {
			b.WriteString(piece.text)
		}
		list[i] = b.String()
	}
	return list
}

// With returns the document with some parts of its texts replaced. The edits of a paragraph
// do not overlap.
func (d *Document) With(edits []Edit) ([]byte, error) {
	changed := map[int]map[int64]replacement{} // by part, and where a piece begins
	for _, e := range edits {
		if e.Paragraph < 0 || e.Paragraph >= len(d.paragraphs) || e.From > e.To {
			return nil, errors.New("there is no such text")
		}
		p := d.paragraphs[e.Paragraph]
		if changed[p.part] == nil {
			changed[p.part] = map[int64]replacement{}
		}
		at, put := 0, e.Text
		for _, piece := range p.pieces {
			from, to := max(e.From-at, 0), min(e.To-at, len(piece.text))
			if at += len(piece.text); from >= to || from > len(piece.text) {
				continue
			}
			r, known := changed[p.part][piece.from]
			if !known {
				r = replacement{piece: piece}
			}
			r.cuts = append(r.cuts, cut{from, to, put})
			changed[p.part][piece.from] = r
			put = "" // the rest of it only goes
		}
	}
	parts := map[*zip.File][]byte{}
	for i, f := range d.zip.File {
		if changed[i] == nil {
			continue
		}
		part, err := read(f)
		if err != nil {
			return nil, err
		}
		parts[f] = replaced(part, changed[i])
	}
	return Repacked(d.zip, parts)
}

// Repacked is a file of parts in which some hold something else. All others stay as they are packed.
func Repacked(all *zip.Reader, parts map[*zip.File][]byte) ([]byte, error) {
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, f := range all.File {
		part, changed := parts[f]
		if !changed {
			if err := w.Copy(f); err != nil {
				return nil, errors.New("it is damaged")
			}
			continue
		}
		to, err := w.CreateHeader(&zip.FileHeader{Name: f.Name, Comment: f.Comment, Method: f.Method, Modified: f.Modified, ExternalAttrs: f.ExternalAttrs, CreatorVersion: f.CreatorVersion})
		if err == nil {
			_, err = to.Write(part)
		}
		if err != nil {
			return nil, err
		}
	}
	err := w.SetComment(all.Comment)
	if err == nil {
		err = w.Close()
	}
	return out.Bytes(), err
}

// A replacement is what becomes of a piece.
type replacement struct {
	piece piece
	cuts  []cut
}

type cut struct {
	from, to int
	text     string
}

// replaced is a part with some of its pieces changed.
func replaced(part []byte, pieces map[int64]replacement) []byte {
	var all []replacement
	for _, r := range pieces {
		all = append(all, r)
	}
	slices.SortFunc(all, func(a, b replacement) int { return int(a.piece.from - b.piece.from) })
	var out bytes.Buffer
	last := int64(0)
	for _, r := range all {
		slices.SortFunc(r.cuts, func(a, b cut) int { return a.from - b.from })
		var text strings.Builder
		at := 0
		for _, c := range r.cuts {
			text.WriteString(r.piece.text[at:max(c.from, at)])
			text.WriteString(c.text)
			at = max(c.to, at)
		}
		text.WriteString(r.piece.text[at:])
		out.Write(part[last:r.piece.from])
		s := text.String()
		if r.piece.tag > 0 && s != strings.TrimSpace(s) && out.Len() > 0 { // else a space at its end is none
			if open := out.Bytes(); open[len(open)-1] == '>' && !bytes.Contains(open[bytes.LastIndexByte(open, '<'):], []byte("xml:space")) {
				out.Truncate(out.Len() - 1)
				out.WriteString(` xml:space="preserve">`)
			}
		}
		_ = xml.EscapeText(&out, []byte(s)) // a buffer takes all
		last = r.piece.to
	}
	out.Write(part[last:])
	return out.Bytes()
}
