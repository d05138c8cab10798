package journal

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"slices"

	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/folder"
	"vestibula/core/tree"
)

// What new files begin with lies beside a record, each content once, until the record has its
// end: so that what was cut short can be finished, whatever became of the template by then. The
// file holds, for each, a line of its checksum and its length in bytes, and then these.

// maxContents bounds what is kept of one record, in bytes; a file that holds more is not kept.
const maxContents = 64 << 20

func contentsName(number int) string { return fileName(number) + ".contents" }

// A keeper reads what new files begin with.
type keeper struct {
	known map[string][]byte
	size  int64
}

// sum returns the checksum of what a new file begins with, and keeps that.
func (k *keeper) sum(n *tree.Node) (string, error) {
	if n.Content == nil {
		return EmptySum, nil
	}
	r, err := n.Content.Open()
	if err != nil {
		return "", &ContentError{n.Content.Source(), err}
	}
	defer r.Close()
	var held bytes.Buffer
	w := digest.NewWriter(&limited{&held, maxContents - k.size})
	if _, err := io.Copy(w, r); err != nil {
		return "", &ContentError{n.Content.Source(), err}
	}
	sum := w.Sum()
	if _, known := k.known[sum]; !known && int64(held.Len()) <= maxContents-k.size {
		if k.known == nil {
			k.known = map[string][]byte{}
		}
		k.known[sum] = held.Bytes()
		k.size += int64(held.Len())
	}
	return sum, nil
}

// keep keeps what a list gives to files that are there.
func (k *keeper) keep(list []change.Change) error {
	for i := range list {
		if c := &list[i]; c.Op == change.Replace && c.Content != nil {
			if _, err := k.sum(&tree.Node{Content: c.Content}); err != nil {
				return err
			}
		}
	}
	return nil
}

// A limited buffer holds one byte more than its limit at most.
type limited struct {
	*bytes.Buffer
	limit int64
}

func (l *limited) Write(b []byte) (int, error) {
	if room := l.limit + 1 - int64(l.Len()); int64(len(b)) > room {
		l.Buffer.Write(b[:max(0, room)])
		return len(b), nil
	}
	return l.Buffer.Write(b)
}

// write puts what was kept beside a record.
func (k *keeper) write(j *Journal, number int) error {
	if len(k.known) == 0 {
		return nil
	}
	_ = j.root.Remove(contentsName(number), false) // of a run that took the number before
	return folder.Write(j.root, contentsName(number), 0o600, func(f folder.File) error {
		w := bufio.NewWriterSize(f, 1<<16)
		for _, sum := range slices.Sorted(maps.Keys(k.known)) {
			_, _ = fmt.Fprintf(w, "%s %d\n", sum, len(k.known[sum])) // an error stays in the writer
			_, _ = w.Write(k.known[sum])
		}
		return w.Flush()
	})
}

// Contents returns what the new files of a record without an end begin with, by checksums, as far
// as that was kept.
func (j *Journal) Contents(number int) (map[string]tree.Content, error) {
	f, err := j.root.Open(contentsName(number))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, 2*maxContents))
	if err != nil {
		return nil, err
	}
	return parseContents(data), nil
}

// parseContents reads contents up to the first that is not what its checksum says.
func parseContents(data []byte) map[string]tree.Content {
	known := map[string]tree.Content{}
	for len(data) > 0 {
		line, rest, _ := bytes.Cut(data, []byte("\n"))
		var sum string
		var size int
		if _, err := fmt.Sscanf(string(line[:min(len(line), 200)]), "%s %d", &sum, &size); err != nil || size < 0 || size > len(rest) || digest.Bytes(rest[:size]) != sum {
			break
		}
		known[sum], data = tree.Bytes(rest[:size]), rest[size:]
	}
	return known
}
