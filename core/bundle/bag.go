package bundle

import (
	"bufio"
	"bytes"
	"crypto/md5"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
	"io/fs"
	"iter"
	"path"
	"slices"
	"strings"
	"time"

	"vestibula/core/digest"
	"vestibula/core/pool"
	"vestibula/core/tree"
)

// Names of the files of a bag (RFC 8493, section 2).
const (
	Declaration = "bagit.txt"
	Info        = "bag-info.txt"
	Payload     = "data"
	Fetch       = "fetch.txt"
)

// MaxManifest is the most that a manifest may hold, in bytes; MaxFiles, how many files it
// may name.
const (
	MaxManifest = 256 << 20
	MaxFiles    = 5_000_000
)

// algorithms are those by which files are summed up, by the names that manifests have.
var algorithms = map[string]func() hash.Hash{"md5": md5.New, "sha1": sha1.New, "sha256": sha256.New, "sha512": sha512.New}

// ManifestName is the name of a manifest, such as manifest-sha256.txt; tag says that it is
// that of the files beside the payload.
func ManifestName(algorithm string, tag bool) string {
	if tag {
		return "tagmanifest-" + algorithm + ".txt"
	}
	return "manifest-" + algorithm + ".txt"
}

// algorithmOf is the algorithm that a manifest's name says.
func algorithmOf(name string) (algorithm string, tag, is bool) {
	rest, is := strings.CutPrefix(name, "manifest-")
	if !is {
		rest, tag = strings.CutPrefix(name, "tagmanifest-")
	}
	algorithm, ends := strings.CutSuffix(rest, ".txt")
	return strings.ToLower(algorithm), tag, (is || tag) && ends
}

// A Manifest says which files there are, and what they hold.
type Manifest struct {
	Algorithm string
	Sums      map[string]string // by their paths, from the bag's top, with slashes
}

// ParseManifest reads a manifest. Lines may end in any way; paths may have their line
// breaks and percent signs as codes. The error says which line is wrong, and why.
func ParseManifest(algorithm string, data []byte) (*Manifest, error) {
	m := &Manifest{algorithm, map[string]string{}}
	data = bytes.TrimPrefix(data, []byte("\xEF\xBB\xBF"))
	scan := bufio.NewScanner(bytes.NewReader(bytes.ReplaceAll(data, []byte("\r"), []byte("\n"))))
	scan.Buffer(nil, 1<<20)
	for n := 1; scan.Scan(); n++ {
		line := strings.TrimLeft(scan.Text(), " \t")
		if strings.TrimSpace(line) == "" {
			continue
		}
		// What follows the spaces is the path as it is, spaces at its end among it.
		end := max(strings.IndexAny(line, " \t"), 0)
		sum, name := line[:end], strings.TrimLeft(line[end:], " \t")
		name = strings.TrimPrefix(decoded(strings.TrimPrefix(name, "*")), "./")
		switch {
		case sum == "" || name == "" || strings.Trim(sum, "0123456789abcdefABCDEF") != "":
			return nil, fmt.Errorf("the entry \"%s\" is no checksum with a path", short(line))
		case path.Clean("/"+name) != "/"+name || strings.HasPrefix(name, "/"):
			return nil, fmt.Errorf("the path \"%s\" leads out of the bag", short(name))
		case m.Sums[name] != "" && !strings.EqualFold(m.Sums[name], sum):
			return nil, fmt.Errorf("\"%s\" stands there twice, with two checksums", short(name))
		}
		if m.Sums[name] = strings.ToLower(sum); len(m.Sums) > MaxFiles {
			return nil, fmt.Errorf("it names more than %d files", MaxFiles)
		}
	}
	if err := scan.Err(); err != nil {
		return nil, errors.New("a line of it is longer than any path")
	}
	return m, nil
}

func short(text string) string {
	if r := []rune(text); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return text
}

// coded writes what would break a line as codes (RFC 8493, section 2.1.3).
var coded = strings.NewReplacer("%", "%25", "\n", "%0A", "\r", "%0D")

func decoded(name string) string {
	return strings.NewReplacer("%0A", "\n", "%0a", "\n", "%0D", "\r", "%0d", "\r", "%25", "%").Replace(name)
}

// Bytes is the manifest as it stands in its file, in the order of the paths.
func (m *Manifest) Bytes() []byte {
	var names []string
	for name := range m.Sums {
		names = append(names, name)
	}
	slices.Sort(names)
	var out bytes.Buffer
	for _, name := range names {
		// A star says where a path begins that begins with a star or a space itself.
		gap := "  "
		if strings.ContainsAny(name[:1], "* \t") {
			gap = " *"
		}
		fmt.Fprintf(&out, "%s%s%s\n", m.Sums[name], gap, coded.Replace(name))
	}
	return out.Bytes()
}

// Tags are the texts of the files beside the payload: that it is a bag, and what is known
// of it. The size is that of the payload, in bytes.
func Tags(size int64, files int, info [][2]string, day time.Time) map[string][]byte {
	var text strings.Builder
	for _, line := range append(info, [2]string{"Bagging-Date", day.Format(time.DateOnly)}, [2]string{"Payload-Oxum", fmt.Sprintf("%d.%d", size, files)}) {
		text.WriteString(line[0] + ": " + strings.Join(strings.Fields(line[1]), " ") + "\n")
	}
	return map[string][]byte{Declaration: []byte("BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"), Info: []byte(text.String())}
}

// Tagged are the files beside the payload of a bag that holds a backup, by their names: the
// list of the backup as it is encoded, the manifests, and what says that it is a bag. Program
// is what made it.
func (b *Inventory) Tagged(note []byte, program string, day time.Time) map[string][]byte {
	manifest, size := b.Manifest(Payload)
	tags := Tags(size, len(manifest.Sums), [][2]string{{"External-Identifier", b.ID}, {"External-Description", b.Project}, {"Bag-Software-Agent", program}}, day)
	tags[ManifestName("sha256", false)] = manifest.Bytes()
	tags[BagName] = note
	sums := &Manifest{Algorithm: "sha256", Sums: map[string]string{}}
	for name, data := range tags {
		sums.Sums[name] = digest.Bytes(data)
	}
	tags[ManifestName("sha256", true)] = sums.Bytes()
	return tags
}

// A Kind is what is wrong with a file.
type Kind uint8

// The kinds.
const (
	Missing Kind = iota
	Altered
	Extra
	Unread
)

// String returns the word for the kind.
func (k Kind) String() string { return [...]string{"missing", "changed", "extra", "unread"}[k] }

// A Problem is one file that is not as it was.
type Problem struct {
	Kind Kind
	Path string
	Why  string
}

// A Source is a folder in which files are looked at; several goroutines may use it.
type Source interface {
	// Open opens an ordinary file.
	Open(path string) (io.ReadCloser, error)
}

// A Report is what was found out about a bag.
type Report struct {
	Files    int // of the payload that were summed up
	Problems []Problem
	Passed   []string // manifests that were not looked at, and why
}

// VerifyBag holds a folder against the manifests of the bag that it is. Small reads a file
// of the bag's own, and root is all that lies in it. Done is told of each file; it may be
// nil. The error is that the bag cannot be judged at all.
func VerifyBag(root *tree.Node, small func(name string) ([]byte, error), in Source, done func(n int)) (*Report, error) {
	declared, err := small(Declaration)
	if err != nil {
		return nil, err
	}
	if !strings.Contains(string(declared), "BagIt-Version:") {
		return nil, fmt.Errorf("%s does not say which version of BagIt it is", Declaration)
	}
	r := &Report{}
	payload := 0
	listed, tags := map[string]bool{}, map[string]bool{}
	for _, c := range root.Children {
		algorithm, tag, is := algorithmOf(c.Name)
		if !is || c.Kind != tree.File {
			continue
		}
		data, err := small(c.Name)
		if err != nil {
			return nil, err
		}
		if algorithms[algorithm] == nil {
			r.Passed = append(r.Passed, fmt.Sprintf("%s: no checksums of that kind are known here", c.Name))
			continue
		}
		m, err := ParseManifest(algorithm, data)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", c.Name, err)
		}
		if !tag {
			payload++
		}
		for name := range m.Sums {
			if tag {
				tags[name] = true
			} else {
				listed[name] = true
			}
		}
		r.verify(m, in, done)
	}
	if payload == 0 {
		return nil, errors.New("it has no manifest whose checksums are known here")
	}
	for at, n := range root.All() {
		switch {
		case n.Kind == tree.Folder || listed[at] || tags[at]:
		case strings.HasPrefix(at, Payload+"/"):
			r.Problems = append(r.Problems, Problem{Extra, strings.Clone(at), "no manifest names it"})
		}
	}
	if oxum := octets(small); oxum != "" && len(r.Problems) == 0 {
		if is := measured(root, in); is != "" && is != oxum {
			r.Problems = append(r.Problems, Problem{Altered, Info, fmt.Sprintf("it says that the payload is %s, and it is %s", oxum, is)})
		}
	}
	r.Files = len(listed)
	r.sort()
	return r, nil
}

// octets is what the bag says of its size.
func octets(small func(name string) ([]byte, error)) string {
	info, err := small(Info)
	if err != nil {
		return ""
	}
	for line := range strings.SplitSeq(strings.ReplaceAll(string(info), "\r", "\n"), "\n") {
		if name, value, found := strings.Cut(line, ":"); found && strings.EqualFold(strings.TrimSpace(name), "Payload-Oxum") {
			return strings.TrimSpace(value)
		}
	}
	return ""
}

// measured is the size of the payload, and how many files it has, as a bag says it; it is
// empty where sizes are not known.
func measured(root *tree.Node, in Source) string {
	sized, ok := in.(interface {
		Size(path string) (int64, error)
	})
	data := root.Child(Payload)
	if !ok || data == nil {
		return ""
	}
	size, files := int64(0), 0
	for at, n := range data.All() {
		if n.Kind == tree.Folder {
			continue
		}
		s, err := sized.Size(Payload + "/" + at)
		if err != nil {
			return ""
		}
		size, files = size+s, files+1
	}
	return fmt.Sprintf("%d.%d", size, files)
}

// Verify holds a folder against a manifest alone: all that lies in it, but for what skip
// takes, is to be named. It may be nil.
func Verify(m *Manifest, root *tree.Node, skip func(path string) bool, in Source, done func(n int)) *Report {
	r := &Report{}
	r.verify(m, in, done)
	for at, n := range root.All() {
		if n.Kind != tree.Folder && n.Marks&tree.Link == 0 && m.Sums[at] == "" && (skip == nil || !skip(at)) {
			r.Problems = append(r.Problems, Problem{Extra, strings.Clone(at), "it was not there when the backup was made"})
		}
	}
	r.sort()
	return r
}

// Add adds problems that were found elsewhere.
func (r *Report) Add(list ...Problem) {
	r.Problems = append(r.Problems, list...)
	r.sort()
}

func (r *Report) sort() {
	slices.SortStableFunc(r.Problems, func(a, b Problem) int { return strings.Compare(a.Path, b.Path) })
	r.Problems = slices.CompactFunc(r.Problems, func(a, b Problem) bool { return a.Path == b.Path && a.Kind == b.Kind })
}

// verify sums up the files of a manifest, several at a time.
func (r *Report) verify(m *Manifest, in Source, done func(n int)) {
	var names []string
	for name := range m.Sums {
		names = append(names, name)
	}
	slices.Sort(names)
	problems := make([]*Problem, len(names))
	pool.Each(len(names), 1, func(numbers iter.Seq[int]) {
		h := algorithms[m.Algorithm]()
		buffer := make([]byte, 1<<20)
		for i := range numbers {
			problems[i] = judge(names[i], m.Sums[names[i]], in, h, buffer)
			if done != nil {
				done(1)
			}
		}
	})
	r.Files += len(names)
	for _, p := range problems {
		if p != nil {
			r.Problems = append(r.Problems, *p)
		}
	}
}

func judge(name, want string, in Source, h hash.Hash, buffer []byte) *Problem {
	f, err := in.Open(name)
	if err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return &Problem{Missing, name, "it is not there"}
		}
		return &Problem{Unread, name, err.Error()}
	}
	defer f.Close()
	h.Reset()
	if _, err := io.CopyBuffer(h, onlyReader{f}, buffer); err != nil {
		return &Problem{Unread, name, err.Error()}
	}
	if hex.EncodeToString(h.Sum(nil)) != want {
		return &Problem{Altered, name, "it holds something else"}
	}
	return nil
}

// An onlyReader has no faster way than the buffer that it is given.
type onlyReader struct{ io.Reader }
