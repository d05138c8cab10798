// Package digest makes the checksums by which contents are known again: SHA-256
// (FIPS 180-4), written as hexadecimal digits. It is not for identities of files,
// which stay the same when their contents change.
package digest

import (
	"crypto/sha256"
	"encoding/hex"
	"hash"
	"io"
	"sync"
)

// buffers are read into: of many small files, each would have one of its own.
var buffers = sync.Pool{New: func() any { b := make([]byte, 64<<10); return &b }}

// Of returns the checksum of all that r holds.
func Of(r io.Reader) (string, error) {
	h := sha256.New()
	buffer := buffers.Get().(*[]byte)
	defer buffers.Put(buffer)
	if _, err := io.CopyBuffer(h, struct{ io.Reader }{r}, *buffer); err != nil {
		return "", err
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}

// Bytes returns the checksum of data.
func Bytes(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// A Writer passes on what is written to it, and sums it up.
type Writer struct {
	to io.Writer
	h  hash.Hash
}

// NewWriter returns a writer that passes on to w.
func NewWriter(w io.Writer) *Writer { return &Writer{w, sha256.New()} }

// Write writes p, and sums up what was written of it.
func (w *Writer) Write(p []byte) (int, error) {
	n, err := w.to.Write(p)
	w.h.Write(p[:n])
	return n, err
}

// Sum returns the checksum of all that was written.
func (w *Writer) Sum() string { return hex.EncodeToString(w.h.Sum(nil)) }
