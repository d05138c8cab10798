package template

import (
	"fmt"
	"regexp"
	"strings"
	"sync"
	"unicode/utf8"

	"vestibula/core/outline"
)

var (
	keyLine = lazily(`^([ ]*(?:- )?)([^:#'"{}\[\]|>]+?)[ ]*:(?:[ ]+(.*)|)$`)
	stuck   = lazily(`^([ ]*)([\pL\pN_-]+):([^ :/].*)$`)
	bareKey = lazily(`^([ ]*)([\pL\pN_-]+)[ ]+(.+)$`)
)

// mistaken is a mistake at a place, as wide as what is marked.
func mistaken(line, column int, marked, message, help string) *outline.Error {
	return &outline.Error{Pos: outline.Pos{Line: line, Column: column}, Width: max(1, utf8.RuneCountInString(marked)), Message: message, Help: help}
}

// withColon says how a line is written that has no colon.
func withColon(line string) string {
	if b := bareKey().FindStringSubmatch(line); b != nil {
		return fmt.Sprintf("write %s: %s", b[2], b[3])
	}
	return "each line is a key, a colon and a value, as in client: Who is it for?"
}

// unquoted finds what is wrong with the quotation marks of a value, or that it needs them; nil
// for nothing.
func unquoted(key, value string, line, column int) *outline.Error {
	quoted := fmt.Sprintf("write %s: \"%s\"", key, strings.ReplaceAll(value, `"`, `\"`))
	switch {
	case value[0] == '"' || value[0] == '\'':
		end := closing(value)
		switch {
		case end < 0:
			return mistaken(line, column, value, fmt.Sprintf("the quotation mark %c at the begin of this text has no second one", value[0]), fmt.Sprintf("write %s: %s%c", key, value, value[0]))
		case end < len(value)-1:
			return mistaken(line, column+utf8.RuneCountInString(value[:end+1]), value[end+1:], "something stands behind the second quotation mark", "put the quotation marks around the whole text, with \\\" for one within it")
		}
	case strings.ContainsAny(value[:1], "@`%*&!,]}"):
		return mistaken(line, column, value[:1], fmt.Sprintf("a text that begins with %c needs quotes", value[0]), quoted)
	case strings.Contains(value, ": ") || strings.HasSuffix(value, ":"):
		at := strings.Index(value+" ", ": ")
		return mistaken(line, column+utf8.RuneCountInString(value[:at]), ":", "a text that holds a colon needs quotes", quoted)
	}
	return nil
}

// mistake finds what a person who has not met YAML most likely did wrong in a text that
// cannot be read, from the top; nil where it is none of that. Its line counts from 1.
func mistake(text string) *outline.Error {
	l := &looking{block: -1}
	for line := range strings.Lines(text) {
		l.number++
		line = strings.TrimRight(line, " \t\r\n")
		trimmed := strings.TrimLeft(line, " \t")
		if trimmed == "" || strings.HasPrefix(trimmed, "#") {
			continue
		}
		if err := l.line(line, trimmed); err != nil {
			return err
		}
	}
	if l.flow > 0 {
		return mistaken(l.flowAt, 1, "", "a bracket in this line is not closed", "each { needs a }, and each [ a ]; put a text that holds one of them in quotes")
	}
	return nil
}

// A looking goes through a text that cannot be read, from the top.
type looking struct {
	number  int    // of the line
	levels  []int  // how far the lines around are indented
	block   int    // a text over several lines belongs to a key that is indented so far; -1 for none
	flow    int    // brackets that are open
	flowAt  int    // the line of the first of them
	last    int    // the indent of the line above
	lastKey string // its key, if nothing stands behind it
}

// line looks at a line that holds something.
func (l *looking) line(line, trimmed string) *outline.Error {
	lead := line[:len(line)-len(trimmed)]
	indent := len(lead)
	if strings.HasPrefix(trimmed, "//") && l.block < 0 {
		return mistaken(l.number, indent+1, "//", "a remark in a header begins with #", "write "+lead+"#"+strings.TrimLeft(trimmed, "/"))
	}
	if tab := strings.IndexByte(lead, '\t'); tab >= 0 {
		return mistaken(l.number, tab+1, "\t", "a tab stands at the begin of this line", "a header is indented with spaces: write two for each step")
	}
	if l.block >= 0 && indent > l.block {
		return nil
	}
	if l.block = -1; l.flow > 0 { // within brackets lines may stand as they like
		l.flow += brackets(trimmed)
		return nil
	}
	for len(l.levels) > 0 && l.levels[len(l.levels)-1] > indent {
		l.levels = l.levels[:len(l.levels)-1]
	}
	switch {
	case len(l.levels) > 0 && l.levels[len(l.levels)-1] == indent:
	case len(l.levels) > 0 && (indent < l.last || l.lastKey == "" && !strings.HasPrefix(trimmed, "- ")):
		return mistaken(l.number, 1, lead, fmt.Sprintf("this line is indented by %s, and its neighbours are not", spaces(indent)), "give it as many spaces as the line that it stands beside")
	default:
		l.levels = append(l.levels, indent)
	}
	l.last, l.lastKey = indent, ""
	return l.entry(line, trimmed, indent)
}

// entry looks at a key and its value.
func (l *looking) entry(line, trimmed string, indent int) *outline.Error {
	if m := stuck().FindStringSubmatch(line); m != nil && keyLine().FindString(line) == "" {
		return mistaken(l.number, len(m[1])+1, m[2]+":", "a space is missing behind the colon", fmt.Sprintf("write %s: %s", m[2], m[3]))
	}
	m := keyLine().FindStringSubmatch(line)
	if m == nil {
		if strings.HasPrefix(trimmed, "- ") || strings.ContainsAny(trimmed[:1], `"'{[]}`) {
			l.flow, l.flowAt = l.flow+brackets(trimmed), l.number
			return nil
		}
		return mistaken(l.number, indent+1, trimmed, "a colon is missing in this line", withColon(line))
	}
	key, value := m[2], strings.TrimSpace(m[3])
	if at := strings.Index(value, " #"); at >= 0 {
		value = strings.TrimSpace(value[:at])
	}
	column := 1 + utf8.RuneCountInString(line[:len(line)-len(strings.TrimLeft(m[3], " "))])
	switch {
	case value == "":
		l.lastKey = key
	case strings.ContainsAny(value[:1], "|>"):
		l.block = indent
	case strings.ContainsAny(value[:1], "{["):
		l.flow, l.flowAt = brackets(value), l.number
	default:
		return unquoted(key, value, l.number, column)
	}
	return nil
}

// brackets is by how many more brackets are open after a text than before it; those in
// quotes do not count.
func brackets(text string) (n int) {
	var quote rune
	for _, r := range text {
		switch {
		case quote != 0:
			if r == quote {
				quote = 0
			}
		case r == '"' || r == '\'':
			quote = r
		case r == '{' || r == '[':
			n++
		case r == '}' || r == ']':
			n--
		}
	}
	return n
}

// closing is where the text in quotes ends that a value begins with, or -1.
func closing(value string) int {
	for i := 1; i < len(value); i++ {
		switch {
		case value[i] == '\\' && value[0] == '"':
			i++
		case value[i] == value[0] && value[0] == '\'' && i+1 < len(value) && value[i+1] == '\'':
			i++
		case value[i] == value[0]:
			return i
		}
	}
	return -1
}

func spaces(n int) string {
	if n == 1 {
		return "1 space"
	}
	return fmt.Sprintf("%d spaces", n)
}

// lazily compiles an expression when it is needed: most runs need none.
func lazily(expression string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(expression) })
}
