package drive

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"unicode/utf8"

	"vestibula/core/tree"
)

// Budgets of a listing.
const (
	mostEntries  = 2_000_000 // in one folder
	mostListed   = 2 << 30   // bytes of an answer
	mostResponse = 1 << 20   // bytes about one entry
)

// What is asked of each entry, and of the room that is left (RFC 4331).
const (
	stateWanted = `<?xml version="1.0" encoding="utf-8"?><propfind xmlns="DAV:"><prop><resourcetype/><getcontentlength/><getlastmodified/><getetag/></prop></propfind>`
	quotaWanted = `<?xml version="1.0" encoding="utf-8"?><propfind xmlns="DAV:"><prop><resourcetype/><quota-available-bytes/></prop></propfind>`
)

// found is what a listing says.
type found struct {
	self    *seen  // what was asked about
	entries []seen // what lies directly in it
}

// seen is what is said of one entry.
type seen struct {
	tree.Entry
	strong bool  // its tag stands for each byte
	quota  int64 // -1 where it is not said
}

// properties asks for what lies at a path and, with a depth of "1", directly in it.
func (s *Server) properties(path, depth, wanted string) (f *found, err error) {
	var lost *Unreachable
	for attempt := range attempts {
		if f, err = s.propertiesOnce(path, depth, wanted); !errors.As(err, &lost) || lost.asked {
			break
		}
		s.config.Sleep(waits[attempt]) // the answer ended too early
	}
	return f, err
}

func (s *Server) propertiesOnce(path, depth, wanted string) (*found, error) {
	answer, err := s.ask(request{method: "PROPFIND", path: path, folder: depth == "1", body: []byte(wanted), header: map[string]string{"Depth": depth, "Content-Type": "application/xml; charset=utf-8"}})
	switch statusOf(err) {
	case http.StatusMethodNotAllowed, http.StatusNotImplemented:
		return nil, errNoDrive
	}
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	kind, _, _ := mime.ParseMediaType(answer.Header.Get("Content-Type"))
	if answer.StatusCode != http.StatusMultiStatus || !strings.HasSuffix(kind, "xml") {
		return nil, errNoDrive
	}
	return s.read(answer.Body, path)
}

// errNoDrive is why an address is none of a drive.
var errNoDrive = &Error{Says: "what answers there is no drive that speaks WebDAV: is it the address of the drive itself, as its provider gives it for that?", cause: errors.ErrUnsupported}

// errListing is an answer that cannot be right.
func errListing(why string) error {
	return &Error{Says: "the drive sends a list that cannot be right: " + why}
}

// A budget reader ends with an error where too much comes.
type budget struct {
	io.Reader
	entry, all int
	read       int64
	ended      bool
}

func (b *budget) Read(p []byte) (int, error) {
	if b.entry <= 0 || b.all <= 0 {
		return 0, errListing("it is too long")
	}
	n, err := b.Reader.Read(p[:min(len(p), 4096)])
	b.entry -= n
	b.all -= n
	b.read += int64(n)
	b.ended = b.ended || errors.Is(err, io.EOF)
	return n, err
}

// A response is what a multistatus says of one thing (RFC 4918, 14.24).
type response struct {
	Hrefs     []string `xml:"DAV: href"`
	Status    string   `xml:"DAV: status"`
	Propstats []struct {
		Status string `xml:"DAV: status"`
		Prop   struct {
			Type struct {
				Collection *struct{} `xml:"DAV: collection"`
			} `xml:"DAV: resourcetype"`
			Length   string `xml:"DAV: getcontentlength"`
			Modified string `xml:"DAV: getlastmodified"`
			Tag      string `xml:"DAV: getetag"`
			Quota    string `xml:"DAV: quota-available-bytes"`
		} `xml:"DAV: prop"`
	} `xml:"DAV: propstat"`
}

// read reads the multistatus about a path.
func (s *Server) read(from io.Reader, path string) (*found, error) {
	b := &budget{Reader: from, entry: mostResponse, all: mostListed}
	d := xml.NewDecoder(b)
	out, names := &found{}, map[string]bool{}
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, b.unreadable(d, err)
		}
		start, is := token.(xml.StartElement)
		if !is || start.Name != (xml.Name{Space: "DAV:", Local: "response"}) {
			if is && start.Name != (xml.Name{Space: "DAV:", Local: "multistatus"}) {
				if err := d.Skip(); err != nil {
					return nil, b.unreadable(d, err)
				}
			}
			continue
		}
		b.entry = mostResponse
		var r response
		if err := d.DecodeElement(&r, &start); err != nil {
			return nil, b.unreadable(d, err)
		}
		if err := s.take(out, names, path, &r); err != nil {
			return nil, err
		}
		if len(out.entries) > mostEntries {
			return nil, errListing(fmt.Sprintf("more than %d things in one folder", mostEntries))
		}
	}
	if out.self == nil && len(out.entries) == 0 {
		return nil, errListing("it is empty")
	}
	return out, nil
}

// unreadable is why a list cannot be read to its end.
func (b *budget) unreadable(d *xml.Decoder, err error) error {
	var wrong *Error
	var syntax *xml.SyntaxError
	switch {
	case errors.As(err, &wrong):
		return wrong
	case b.ended && d.InputOffset() == b.read: // it ends too early
		return &Unreachable{err: io.ErrUnexpectedEOF}
	case errors.As(err, &syntax):
		return errListing(syntax.Msg)
	}
	return &Unreachable{err: err}
}

// take adds what one response says.
func (s *Server) take(out *found, names map[string]bool, path string, r *response) error {
	if len(r.Hrefs) != 1 {
		return errListing("it does not say what it speaks of")
	}
	u, err := url.Parse(r.Hrefs[0])
	if err != nil {
		return errListing("an address in it cannot be read")
	}
	if u.Host != "" && !strings.EqualFold(u.Host, s.url.Host) {
		return errListing("it speaks of another server")
	}
	at := strings.Trim(u.Path, "/")
	e, gone := stateOf(r)
	if gone {
		return nil
	}
	if at == path && out.self != nil {
		return errListing("it speaks of the folder itself twice, as of something in it whose name it cannot tell")
	}
	if at == path {
		e.Name = last(path)
		out.self = &e
		return nil
	}
	name, below := strings.CutPrefix(at, path+"/")
	if path == "" {
		name, below = at, true
	}
	if slash := strings.Count(strings.TrimSuffix(u.EscapedPath(), "/"), "/"); !below || !single(name) || slash != strings.Count("/"+at, "/") {
		return errListing("it holds a name that is none of a thing in this folder")
	}
	if names[name] {
		return errListing("it holds a name twice: " + shown(name))
	}
	names[name] = true
	e.Name = name
	out.entries = append(out.entries, e)
	return nil
}

// shown is a name in a message: what is said by a server is not sent on as it is.
func shown(name string) string {
	if len(name) > 200 || !utf8.ValidString(name) {
		return strconv.QuoteToASCII(name[:min(len(name), 200)])
	}
	return "“" + name + "”"
}

// stateOf is what a response says, and whether it says that nothing is there.
func stateOf(r *response) (e seen, gone bool) {
	e = seen{Entry: tree.Entry{Kind: tree.File, Time: 1}, quota: -1}
	if strings.Contains(r.Status, " 404") {
		return e, true
	}
	for i := range r.Propstats {
		p := &r.Propstats[i]
		if p.Status != "" && !strings.Contains(p.Status, " 200") {
			continue
		}
		if p.Prop.Type.Collection != nil {
			e.Kind = tree.Folder
		}
		if n, err := strconv.ParseInt(strings.TrimSpace(p.Prop.Length), 10, 64); err == nil && n >= 0 {
			e.Size = n
		}
		if n, err := strconv.ParseInt(strings.TrimSpace(p.Prop.Quota), 10, 64); err == nil && n >= 0 {
			e.quota = n
		}
		if at, err := http.ParseTime(strings.TrimSpace(p.Prop.Modified)); err == nil && at.UnixNano() > 0 {
			e.Time = at.UnixNano()
		}
		e.Tag, e.strong = tagOf(p.Prop.Tag)
	}
	if e.Kind == tree.Folder {
		e.Tag, e.strong, e.Size = "", false, 0
	}
	return e, false
}

// tagOf is an ETag as it is compared, and whether it stands for each byte (RFC 9110, 8.8.3).
func tagOf(text string) (tag string, strong bool) {
	text = strings.TrimSpace(text)
	if rest, weak := strings.CutPrefix(text, "W/"); weak {
		return rest, false
	}
	return text, strings.HasPrefix(text, `"`)
}

// single reports whether a name is that of something in a folder.
func single(name string) bool {
	return name != "" && name != "." && name != ".." && !strings.ContainsAny(name, "/\x00")
}

// last is the last name of a path.
func last(path string) string { return path[strings.LastIndexByte(path, '/')+1:] }

// above is the folder that a path lies in.
func above(path string) string { return path[:max(0, strings.LastIndexByte(path, '/'))] }

// below is the path of what lies in a folder.
func below(path, name string) string {
	if path == "" {
		return name
	}
	return path + "/" + name
}
