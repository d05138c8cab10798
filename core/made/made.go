// Package made tells the day on which a file came about: a photograph was taken, a
// document begun. It reads what the file says of itself, within a budget, and believes
// no day that cannot be.
package made

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"io"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"
)

// A File is what can be read anywhere.
type File interface {
	io.Reader
	io.ReaderAt
	io.Seeker
}

// Where a day is from, for a person.
const (
	Photograph = "from the photograph"
	Document   = "from the document"
	Changed    = "from the time of the file"
)

// pictures are the endings of photographs that say when they were taken, and packages
// those of office documents that say when they were begun.
var (
	pictures = strings.Fields("jpg jpeg tif tiff heic heif avif webp png dng cr2 nef arw orf rw2 pef srw")
	packages = strings.Fields("docx xlsx pptx odt ods odp")
)

// Of returns when a file came about, given its ending in small letters, its size, and
// when it was changed last, which is taken where it says nothing itself, or something
// that cannot be: a day before 1980, or more than a day after now.
func Of(f File, ending string, size int64, changed, now time.Time) (when time.Time, from string) {
	say, from := func(string, File, int64) (time.Time, bool) { return time.Time{}, false }, Changed
	switch {
	case slices.Contains(pictures, ending):
		say, from = picture, Photograph
	case slices.Contains(packages, ending):
		say, from = packaged, Document
	case ending == "pdf":
		say, from = portable, Document
	}
	if when, ok := guarded(say, ending, f, size); ok && when.Year() >= 1980 && when.Before(now.AddDate(0, 0, 1)) {
		return when, from
	}
	return changed, Changed
}

// guarded keeps a reader that a broken file breaks from breaking the program.
func guarded(say func(string, File, int64) (time.Time, bool), ending string, f File, size int64) (when time.Time, ok bool) {
	defer func() {
		if recover() != nil {
			when, ok = time.Time{}, false
		}
	}()
	return say(ending, f, size)
}

// maxProperties is how much of a document's properties is read.
const maxProperties = 1 << 20

// packaged reads when an office document was begun: from docProps/core.xml (ECMA-376,
// part 2, core properties), or meta.xml (OpenDocument 1.3, part 3).
func packaged(_ string, f File, size int64) (time.Time, bool) {
	r, err := zip.NewReader(f, size)
	if err != nil {
		return time.Time{}, false
	}
	for _, e := range r.File {
		want := map[string]string{"docProps/core.xml": "created", "meta.xml": "creation-date"}[e.Name]
		if want == "" {
			continue
		}
		part, err := e.Open()
		if err != nil {
			return time.Time{}, false
		}
		defer part.Close()
		d := xml.NewDecoder(io.LimitReader(part, maxProperties))
		for {
			token, err := d.Token()
			if err != nil {
				return time.Time{}, false
			}
			if start, ok := token.(xml.StartElement); ok && start.Name.Local == want {
				var text string
				if d.DecodeElement(&text, &start) != nil {
					return time.Time{}, false
				}
				return day(text)
			}
		}
	}
	return time.Time{}, false
}

func day(text string) (time.Time, bool) {
	text = strings.TrimSpace(text)
	for _, layout := range []string{time.RFC3339, "2006-01-02T15:04:05.999999999", "2006-01-02T15:04:05", "2006-01-02"} {
		if t, err := time.Parse(layout, text); err == nil {
			return t, true
		}
	}
	return time.Time{}, false
}

// created is the date of a PDF (ISO 32000-1, 7.9.4).
var created = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`/CreationDate\s*\(D:(\d{4})(\d{2})(\d{2})`) })

// maxEnds is how much is read at each end of a PDF.
const maxEnds = 1 << 20

// portable reads when a PDF was made, where that stands in plain text at one of its ends.
func portable(_ string, f File, size int64) (time.Time, bool) {
	for _, from := range []int64{max(0, size-maxEnds), 0} {
		data, err := io.ReadAll(io.NewSectionReader(f, from, maxEnds))
		if err != nil {
			return time.Time{}, false
		}
		if all := created().FindAllSubmatch(data, -1); len(all) > 0 {
			m := all[len(all)-1]
			t, err := time.Parse("20060102", string(bytes.Join(m[1:], nil)))
			return t, err == nil
		}
	}
	return time.Time{}, false
}
