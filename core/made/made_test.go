package made

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"image/jpeg"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var (
	now     = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)
	changed = time.Date(2027, 2, 1, 9, 30, 0, 0, time.UTC)
)

// photograph is a small JPEG that says when it was taken (Exif 2.32, tag 0x9003).
func photograph(taken string) []byte {
	var tiff bytes.Buffer
	put := func(v any) { _ = binary.Write(&tiff, binary.BigEndian, v) }
	tiff.WriteString("MM\x00\x2a")
	put(uint32(8))
	put(uint16(1)) // the first directory: where the Exif directory is
	put([]uint16{0x8769, 4})
	put([]uint32{1, 26})
	put(uint32(0))
	put(uint16(1)) // the Exif directory
	put([]uint16{0x9003, 2})
	put([]uint32{uint32(len(taken) + 1), 44})
	put(uint32(0))
	tiff.WriteString(taken + "\x00")
	var plain, out bytes.Buffer
	_ = jpeg.Encode(&plain, image.NewGray(image.Rect(0, 0, 40, 40)), nil)
	out.WriteString("\xff\xd8\xff\xe1")
	_ = binary.Write(&out, binary.BigEndian, uint16(2+6+tiff.Len()))
	out.WriteString("Exif\x00\x00")
	out.Write(tiff.Bytes())
	out.Write(plain.Bytes()[2:])
	return out.Bytes()
}

func packagedAs(name, text string) []byte {
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	f, _ := w.Create(name)
	fmt.Fprint(f, text)
	_ = w.Close()
	return out.Bytes()
}

func TestTheDayOnWhichAFileCameAbout(t *testing.T) {
	core := `<cp:coreProperties xmlns:cp="x" xmlns:dcterms="y"><dcterms:created>%s</dcterms:created></cp:coreProperties>`
	meta := `<office:document-meta xmlns:office="x" xmlns:meta="y"><office:meta><meta:creation-date>%s</meta:creation-date></office:meta></office:document-meta>`
	for _, tt := range []struct {
		name, ending string
		data         []byte
		want, from   string
	}{
		{"a photograph", "jpg", photograph("2026:07:04 18:05:06"), "2026-07-04 18:05:06", Photograph},
		{"a raw one", "nef", photograph("2026:07:04 18:05:06")[12:], "2026-07-04 18:05:06", Photograph},
		{"one that another program has packed otherwise", "heic", append([]byte("\x00\x00\x00\x18ftypheic and more of it "), photograph("2026:07:04 18:05:06")[6:]...), "2026-07-04 18:05:06", Photograph},
		{"of a camera that had lost its clock", "jpg", photograph("1970:01:01 00:00:00"), "2027-02-01 09:30:00", Changed},
		{"of the future", "jpg", photograph("2031:01:01 00:00:00"), "2027-02-01 09:30:00", Changed},
		{"without a day", "jpg", photograph("0000:00:00 00:00:00"), "2027-02-01 09:30:00", Changed},
		{"broken", "jpg", photograph("2026:07:04 18:05:06")[:40], "2027-02-01 09:30:00", Changed},
		{"no photograph", "jpg", []byte("text"), "2027-02-01 09:30:00", Changed},
		{"a letter", "docx", packagedAs("docProps/core.xml", fmt.Sprintf(core, "2026-05-03T10:11:12Z")), "2026-05-03 10:11:12", Document},
		{"another office", "odt", packagedAs("meta.xml", fmt.Sprintf(meta, "2026-05-03T10:11:12.123456789")), "2026-05-03 10:11:12", Document},
		{"without properties", "docx", packagedAs("x.xml", ""), "2027-02-01 09:30:00", Changed},
		{"properties that are none", "docx", packagedAs("docProps/core.xml", fmt.Sprintf(core, "soon")), "2027-02-01 09:30:00", Changed},
		{"a printed page", "pdf", []byte("%PDF-1.4\n/CreationDate (D:20260102030405Z)\n%%EOF"), "2026-01-02 00:00:00", Document},
		{"any other file", "wav", photograph("2026:07:04 18:05:06"), "2027-02-01 09:30:00", Changed},
	} {
		when, from := Of(bytes.NewReader(tt.data), tt.ending, int64(len(tt.data)), changed, now)
		assert.Equal(t, tt.want, when.Format("2006-01-02 15:04:05"), tt.name)
		assert.Equal(t, tt.from, from, tt.name)
	}
}

func FuzzOf(f *testing.F) {
	f.Add("jpg", photograph("2026:07:04 18:05:06"))
	f.Add("docx", packagedAs("docProps/core.xml", "<a><created>2026-05-03T10:11:12Z</created></a>"))
	f.Add("pdf", []byte("/CreationDate (D:20260102030405Z)"))
	f.Add("cr2", photograph("2026:07:04 18:05:06")[12:])
	f.Fuzz(func(t *testing.T, ending string, data []byte) {
		when, from := Of(bytes.NewReader(data), ending, int64(len(data)), changed, now)
		if from == Changed {
			require.Equal(t, changed, when)
		}
		require.True(t, when.Year() >= 1980 && when.Before(now.AddDate(0, 0, 1)))
	})
}
