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

// mistake finds what a person who has not met YAML most likely did wrong in a text that
// cannot be read, from the top; nil where it is none of that. Its line counts from 1.
func mistake(text string) *outline.Error {
	fail := func(line, column int, marked, message, help string) *outline.Error {
		return &outline.Error{Pos: outline.Pos{Line: line, Column: column}, Width: max(1, utf8.RuneCountInString(marked)), Message: message, Help: help}
	}
	levels := []int{}      // how far the lines around are indented
	block := -1            // a text over several lines belongs to a key that is indented so far
	flow, flowAt := 0, 0   // brackets that are open, and the line of the first
	last, lastKey := 0, "" // the line above: its indent, and its key if nothing stands behind it
	number := 0
	for line := range strings.Lines(text) {
		number++
		line = strings.TrimRight(line, " \t\r\n")
		trimmed := strings.TrimLeft(line, " \t")
		lead := line[:len(line)-len(trimmed)]
		indent := len(lead)
		if trimmed == "" || strings.HasPrefix(trimmed, "#") {
			continue
		}
		if strings.HasPrefix(trimmed, "//") && block < 0 {
			return fail(number, indent+1, "//", "a remark in a header begins with #", "write "+lead+"#"+strings.TrimLeft(trimmed, "/"))
		}
		if tab := strings.IndexByte(lead, '\t'); tab >= 0 {
			return fail(number, tab+1, "\t", "a tab stands at the begin of this line", "a header is indented with spaces: write two for each step")
		}
		if block >= 0 && indent > block {
			continue
		}
		block = -1
		if flow > 0 { // within brackets lines may stand as they like
			flow += brackets(trimmed)
			continue
		}
		for len(levels) > 0 && levels[len(levels)-1] > indent {
			levels = levels[:len(levels)-1]
		}
		switch {
		case len(levels) > 0 && levels[len(levels)-1] == indent:
		case len(levels) > 0 && (indent < last || lastKey == "" && !strings.HasPrefix(trimmed, "- ")):
			return fail(number, 1, lead, fmt.Sprintf("this line is indented by %s, and its neighbours are not", spaces(indent)), "give it as many spaces as the line that it stands beside")
		default:
			levels = append(levels, indent)
		}
		last, lastKey = indent, ""
		if m := stuck().FindStringSubmatch(line); m != nil && keyLine().FindString(line) == "" {
			return fail(number, len(m[1])+1, m[2]+":", "a space is missing behind the colon", fmt.Sprintf("write %s: %s", m[2], m[3]))
		}
		m := keyLine().FindStringSubmatch(line)
		if m == nil {
			if strings.HasPrefix(trimmed, "- ") || strings.ContainsAny(trimmed[:1], `"'{[]}`) {
				flow, flowAt = flow+brackets(trimmed), number
				continue
			}
			help := "each line is a key, a colon and a value, as in client: Who is it for?"
			if b := bareKey().FindStringSubmatch(line); b != nil {
				help = fmt.Sprintf("write %s: %s", b[2], b[3])
			}
			return fail(number, indent+1, trimmed, "a colon is missing in this line", help)
		}
		key, value := m[2], strings.TrimSpace(m[3])
		if at := strings.Index(value, " #"); at >= 0 {
			value = strings.TrimSpace(value[:at])
		}
		column := 1 + utf8.RuneCountInString(line[:len(line)-len(strings.TrimLeft(m[3], " "))])
		quoted := fmt.Sprintf("write %s: \"%s\"", key, strings.ReplaceAll(value, `"`, `\"`))
		switch {
		case value == "":
			lastKey = key
		case strings.ContainsAny(value[:1], "|>"):
			block = indent
		case value[0] == '"' || value[0] == '\'':
			end := closing(value)
			switch {
			case end < 0:
				return fail(number, column, value, fmt.Sprintf("the quotation mark %c at the begin of this text has no second one", value[0]), fmt.Sprintf("write %s: %s%c", key, value, value[0]))
			case end < len(value)-1:
				return fail(number, column+utf8.RuneCountInString(value[:end+1]), value[end+1:], "something stands behind the second quotation mark", "put the quotation marks around the whole text, with \\\" for one within it")
			}
		case strings.ContainsAny(value[:1], "{["):
			flow, flowAt = brackets(value), number
		case strings.ContainsAny(value[:1], "@`%*&!,]}"):
			return fail(number, column, value[:1], fmt.Sprintf("a text that begins with %c needs quotes", value[0]), quoted)
		case strings.Contains(value, ": ") || strings.HasSuffix(value, ":"):
			at := strings.Index(value+" ", ": ")
			return fail(number, column+utf8.RuneCountInString(value[:at]), ":", "a text that holds a colon needs quotes", quoted)
		}
	}
	if flow > 0 {
		return fail(flowAt, 1, "", "a bracket in this line is not closed", "each { needs a }, and each [ a ]; put a text that holds one of them in quotes")
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
