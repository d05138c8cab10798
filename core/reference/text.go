package reference

import (
	"html"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	web "golang.org/x/net/html"
	"golang.org/x/text/unicode/norm"

	"vestibula/core/tree"
)

// A reader finds the paths in a text that lies in a folder.
type reader func(f *finder, text, dir string) []mention

// readerOf returns how files of a name are read, or nil of those that are no texts.
func readerOf(name string) reader {
	switch strings.ToLower(path.Ext(name)) {
	case ".md", ".markdown":
		return markdown
	case ".html", ".htm", ".xhtml":
		return page
	case ".txt", ".text", ".css":
		return plain
	}
	return nil
}

// page finds the addresses in an HTML page. One whose addresses begin in another place,
// by <base>, has none.
func page(f *finder, text, dir string) (list []mention) {
	z := web.NewTokenizer(strings.NewReader(text))
	at := 0
	for {
		kind := z.Next()
		raw := len(z.Raw())
		if kind == web.ErrorToken || at+raw > len(text) {
			return list
		}
		if kind == web.StartTagToken || kind == web.SelfClosingTagToken {
			tag := text[at : at+raw]
			if len(tag) > 5 && strings.EqualFold(tag[:5], "<base") && strings.Contains(strings.ToLower(tag), "href") {
				return nil
			}
			list = append(list, f.tag(tag, at, dir)...)
		}
		at += raw
	}
}

// attribute finds the attributes of a tag that hold addresses.
var attribute = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)\s(?:href|src|srcset|poster|data|cite|background)\s*=\s*(?:"([^"]*)"|'([^']*)'|([^\s"'>]+))`)
})

// tag finds the addresses in a tag, which begins at a place in its text.
func (f *finder) tag(tag string, at int, dir string) (list []mention) {
	for _, m := range attribute().FindAllStringSubmatchIndex(tag, -1) {
		for g := 2; g < 8; g += 2 {
			if m[g] < 0 {
				continue
			}
			value := tag[m[g]:m[g+1]]
			several := strings.Contains(strings.ToLower(tag[m[0]:m[g]]), "srcset")
			for from, one := range addresses(value, several) {
				start := at + m[g] + from
				list = f.address(list, dir, spelling{one, start, true, html.UnescapeString, html.EscapeString})
			}
		}
	}
	return list
}

// addresses are the addresses in a value, by where they begin: of srcset, which holds
// several with what each is for, the first word between commas.
func addresses(value string, several bool) func(yield func(int, string) bool) {
	return func(yield func(int, string) bool) {
		if !several {
			yield(len(value)-len(strings.TrimLeft(value, " \t\r\n")), strings.TrimSpace(value))
			return
		}
		at := 0
		for part := range strings.SplitSeq(value, ",") {
			lead := len(part) - len(strings.TrimLeft(part, " \t\r\n"))
			if word := strings.Fields(part); len(word) > 0 && !yield(at+lead, word[0]) {
				return
			}
			at += len(part) + 1
		}
	}
}

var scheme = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[a-zA-Z][a-zA-Z0-9+.-]*:`) })

// A spelling is how an address stands in a text.
type spelling struct {
	raw            string
	start          int
	rooted         bool                // one which begins with a slash begins in a root
	decode, escape func(string) string // know the codes that the text has of its own
}

// address adds an address in a text of a folder, if it leads to something that is there.
func (f *finder) address(list []mention, dir string, in spelling) []mention {
	raw, start, rooted, decode, escape := in.raw, in.start, in.rooted, in.decode, in.escape
	if len(raw) > maxAddress {
		return list
	}
	address := decode(raw)
	if i := strings.IndexAny(address, "?#"); i >= 0 {
		address = address[:i]
		for i := range len(raw) {
			if (raw[i] == '?' || raw[i] == '#') && decode(raw[:i]) == address {
				raw = raw[:i]
				break
			}
		}
	}
	says, err := url.PathUnescape(address)
	if err != nil || says == "" || scheme().MatchString(address) || strings.HasPrefix(says, "//") || strings.ContainsRune(says, 0) {
		return list
	}
	m := mention{start: start, end: start + len(raw), says: says}
	coded, spaces := strings.Contains(address, "%"), strings.Contains(address, " ")
	m.write = func(to string) string { return escape(encoded(to, coded, spaces)) }
	if !strings.HasPrefix(says, "/") {
		m.target, err = f.resolve(dir, says)
		if m.dead = err != nil; err == nil || f.Lost != nil && !strings.ContainsAny(says, "{}$<>*|\n") {
			list = append(list, m)
		}
		return list
	}
	for _, root := range f.Roots {
		if !rooted || dir != root && !strings.HasPrefix(dir, root+"/") || says == "/" {
			continue
		}
		if m.target, err = f.resolve(root, says[1:]); err == nil {
			m.root = root
			return append(list, m)
		}
	}
	return list
}

// encoded writes a path as an address: signs with a meaning there as codes (RFC 3986),
// other letters too where the address had codes before.
func encoded(to string, coded, spaces bool) string {
	var b strings.Builder
	for i := range len(to) {
		c := to[i]
		switch {
		case c == ' ' && spaces && !coded:
			b.WriteByte(c)
		case c <= ' ' || c == 0x7f || strings.IndexByte("\"<>%#?()[]{}|\\^`", c) >= 0 || c >= 0x80 && coded:
			const digits = "0123456789ABCDEF"
			b.WriteString("%" + string(digits[c>>4]) + string(digits[c&15]))
		default:
			b.WriteByte(c)
		}
	}
	if first, _, _ := strings.Cut(b.String(), "/"); strings.Contains(first, ":") {
		return "./" + b.String() // else it would be the name of a scheme
	}
	return b.String()
}

// definition is where Markdown says what a name for a link means.
var definition = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`(?m)^ {0,3}\[[^\]\n]+\]:[ \t]*`) })

// markdown finds the paths in a Markdown text (CommonMark 0.31, 6.3 and 4.7): where its
// links lead, in tags, and those that stand in the text.
func markdown(f *finder, text, dir string) (list []mention) {
	var starts []int
	for at := 0; ; {
		i := strings.Index(text[at:], "](")
		if i < 0 {
			break
		}
		at += i + 2
		starts = append(starts, at)
	}
	for _, m := range definition().FindAllStringIndex(text, -1) {
		starts = append(starts, m[1])
	}
	slices.Sort(starts)
	for _, at := range starts {
		at += len(near(text, at)) - len(strings.TrimLeft(near(text, at), " \t"))
		if strings.HasPrefix(text[at:], "<") {
			if end := strings.IndexAny(near(text, at+1), ">\n"); end >= 0 && text[at+1+end] == '>' {
				raw := text[at+1 : at+1+end]
				list = f.address(list, dir, spelling{raw, at + 1, false, same, same})
			}
			continue
		}
		raw := destination(near(text, at))
		list = f.address(list, dir, spelling{raw, at, false, withoutBackslashes, same})
	}
	for at := 0; ; {
		open := strings.IndexByte(text[at:], '<')
		if open < 0 {
			break
		}
		at += open
		if end := strings.IndexByte(near(text, at), '>'); end > 1 && isLetter(text[at+1]) {
			list = append(list, f.tag(text[at:at+end+1], at, dir)...)
			at += end
		}
		at++
	}
	list = f.named(list, text, dir)
	slices.SortStableFunc(list, func(a, b mention) int { return a.start - b.start })
	end := 0
	list = slices.DeleteFunc(list, func(m mention) bool { // a tag in a link, and the like
		if m.start < end {
			return true
		}
		end = m.end
		return false
	})
	return f.between(list, text, dir)
}

func same(s string) string { return s }

func isLetter(c byte) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }

// maxAddress is how long an address, or a tag in a Markdown text, may be.
const maxAddress = 4096

// near is what of a text stands from a place on, as far as an address can reach.
func near(text string, at int) string { return text[at:min(len(text), at+maxAddress)] }

// destination is where a link leads, up to a space or the bracket that closes it.
func destination(text string) string {
	depth := 0
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c <= ' ':
			return text[:i]
		case c == '\\' && i+1 < len(text):
			i++
		case c == '(':
			depth++
		case c == ')':
			if depth--; depth < 0 {
				return text[:i]
			}
		}
	}
	return text
}

// withoutBackslashes takes those away that stand before a sign.
func withoutBackslashes(s string) string {
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		if s[i] == '\\' && i+1 < len(s) && unicode.IsPunct(rune(s[i+1])) {
			i++
		}
		b.WriteByte(s[i])
	}
	return b.String()
}

// plain finds the paths that stand in a text.
func plain(f *finder, text, dir string) []mention { return f.between(nil, text, dir) }

// between adds the paths that stand in a text beside those that were found already,
// which are in order.
func (f *finder) between(known []mention, text, dir string) (list []mention) {
	before := ' '
	for i := 0; i < len(text); {
		if len(known) > 0 && i >= known[0].start {
			list, i, before = append(list, known[0]), known[0].end, ' '
			known = known[1:]
			continue
		}
		if begins(before) {
			if m, is := f.path(text, i, dir); is && (len(known) == 0 || m.end <= known[0].start) {
				list, i = append(list, m), m.end
				before, _ = utf8.DecodeLastRuneInString(text[:i])
				continue
			}
		}
		r, size := utf8.DecodeRuneInString(text[i:])
		before, i = r, i+size
	}
	return append(list, known...)
}

// begins reports whether a path can begin behind a character.
func begins(before rune) bool {
	return !unicode.IsLetter(before) && !unicode.IsDigit(before) && !strings.ContainsRune(`_-./\%@~#:`, before)
}

// ends reports whether a path can end in front of a text.
func ends(rest string) bool {
	r, size := utf8.DecodeRuneInString(rest)
	switch {
	case rest == "":
		return true
	case r == '.': // a full stop, but no ending
		next, _ := utf8.DecodeRuneInString(rest[size:])
		return !unicode.IsLetter(next) && !unicode.IsDigit(next)
	}
	return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !strings.ContainsRune(`_-/\%@~`, r)
}

func isSeparator(text string, at int) bool {
	return at < len(text) && (text[at] == '/' || text[at] == '\\')
}

// path reads a path from the names that are there: one with a separator in it, or the
// whole name of a file with an ending.
func (f *finder) path(text string, at int, dir string) (m mention, is bool) {
	i, cur, separated, backslash := at, dir, false, false
	for {
		if rest := text[i:]; len(rest) > 2 && rest[:2] == ".." && isSeparator(rest, 2) {
			cur, i = path.Dir(cur), i+3
		} else if len(rest) > 1 && rest[0] == '.' && isSeparator(rest, 1) {
			i += 2
		} else {
			break
		}
		separated, backslash = true, backslash || text[i-1] == '\\'
	}
	var last *tree.Node
	for last == nil || last.Kind == tree.Folder {
		n, length := f.name(cur, text[i:])
		if n == nil {
			break
		}
		last, cur, i = n, path.Join(cur, n.Name), i+length
		if !isSeparator(text, i) {
			break
		}
		separated, backslash = true, backslash || text[i] == '\\'
		i++
	}
	if last == nil || !ends(text[i:]) || !separated && (last.Kind == tree.Folder || path.Ext(last.Name) == "") {
		return m, false
	}
	m = mention{start: at, end: i, target: cur, says: text[at:i], write: same}
	if backslash {
		m.says = strings.ReplaceAll(m.says, `\`, "/")
		m.write = func(to string) string { return strings.ReplaceAll(to, "/", `\`) }
	}
	return m, true
}

// name finds the longest name in a folder that a text begins with.
func (f *finder) name(dir, text string) (n *tree.Node, length int) {
	names := f.names(dir)
	if len(names.nodes) == 0 {
		return nil, 0
	}
	for _, n := range names.byRun[runOf(text)] {
		for _, name := range []string{n.Name, norm.NFC.String(n.Name)} {
			if strings.HasPrefix(text, name) && (isSeparator(text, len(name)) && n.Kind == tree.Folder || ends(text[len(name):])) {
				return n, len(name)
			}
		}
	}
	return nil, 0
}
