package made

import (
	"bytes"
	"encoding/binary"
	"io"
	"strings"
	"time"
)

// Of a photograph's metadata (Exif, CIPA DC-008; TIFF 6.0) one tag is read, in two
// directories, and nothing is followed any further: whatever a broken file says, reading
// it comes to an end. Libraries that read all of it did not, on some files, or cost every
// start of the program a millisecond.

// The tags that say when a photograph was taken, and when it was made into a file; and the
// one that says where the directory is in which they stand.
const (
	tagOriginal  = 0x9003
	tagDigitized = 0x9004
	tagDirectory = 0x8769
)

// Limits on what is read.
const (
	maxSought  = 1 << 20 // in which the metadata of formats begin that are no TIFF
	maxEntries = 1000    // of a directory
)

// picture reads when a photograph was taken, by the clock of its camera.
func picture(_ string, f File, size int64) (time.Time, bool) {
	base, ok := metadata(f, size)
	if !ok {
		return time.Time{}, false
	}
	t := tiff{io.NewSectionReader(f, base, size-base), binary.BigEndian}
	first, ok := t.header()
	if !ok {
		return time.Time{}, false
	}
	directory, ok := t.entries(first)[tagDirectory]
	if !ok {
		return time.Time{}, false
	}
	entries := t.entries(int64(t.order.Uint32(directory[8:])))
	for _, tag := range []uint16{tagOriginal, tagDigitized} {
		if entry, there := entries[tag]; there {
			if when, ok := t.day(entry); ok {
				return when, true
			}
		}
	}
	return time.Time{}, false
}

// metadata finds where a photograph's metadata begin: at the begin of a TIFF, which most
// raw formats are, or behind the mark that others have.
func metadata(f io.ReaderAt, size int64) (base int64, ok bool) {
	begin := make([]byte, min(size, maxSought))
	n, err := f.ReadAt(begin, 0)
	if begin = begin[:n]; err != nil && err != io.EOF || n < 8 {
		return 0, false
	}
	if isTIFF(begin) {
		return 0, true
	}
	for _, mark := range []string{"Exif\x00\x00", "eXIf", "EXIF"} {
		for at := 0; ; {
			i := bytes.Index(begin[at:], []byte(mark))
			if i < 0 {
				break
			}
			at += i + len(mark)
			// A chunk of WebP has its length behind the mark.
			for _, skip := range []int{0, 4} {
				if at+skip < len(begin) && isTIFF(begin[at+skip:]) {
					return int64(at + skip), true
				}
			}
		}
	}
	return 0, false
}

// isTIFF reports whether bytes begin as a TIFF does, or as raw formats that are one but
// for their number.
func isTIFF(b []byte) bool {
	for _, begin := range []string{"MM\x00*", "II*\x00", "IIRO", "IIRS", "IIU\x00"} {
		if bytes.HasPrefix(b, []byte(begin)) {
			return true
		}
	}
	return false
}

// A tiff is read piece by piece.
type tiff struct {
	io.ReaderAt
	order binary.ByteOrder
}

// header settles the order of bytes, and returns where the first directory is.
func (t *tiff) header() (first int64, ok bool) {
	var b [8]byte
	if _, err := t.ReadAt(b[:], 0); err != nil {
		return 0, false
	}
	if b[0] == 'I' {
		t.order = binary.LittleEndian
	}
	return int64(t.order.Uint32(b[4:])), true
}

// entries are those of a directory, by their tags: of each, the twelve bytes.
func (t *tiff) entries(at int64) map[uint16][]byte {
	var count [2]byte
	if _, err := t.ReadAt(count[:], at); err != nil {
		return nil
	}
	entries := map[uint16][]byte{}
	data := make([]byte, 12*min(int(t.order.Uint16(count[:])), maxEntries))
	n, _ := t.ReadAt(data, at+2)
	for i := 0; i+12 <= n; i += 12 {
		entries[t.order.Uint16(data[i:])] = data[i : i+12]
	}
	return entries
}

// day reads a day and time, as in 2027:03:09 18:05:06.
func (t *tiff) day(entry []byte) (time.Time, bool) {
	var text [19]byte
	if _, err := t.ReadAt(text[:], int64(t.order.Uint32(entry[8:]))); err != nil {
		return time.Time{}, false
	}
	when, err := time.Parse("2006:01:02 15:04:05", strings.TrimSpace(string(text[:])))
	return when, err == nil
}
