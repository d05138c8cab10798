package outline

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"
)

// HeaderKeys are the keys of a header.
func HeaderKeys() []string {
	return []string{"title", "about", "fields", "names", "rules", "ignore", "texts", "language"}
}

const fence = "---"

var (
	// keyed is a line of a header at the left edge, and inKeyed one further in.
	keyed   = lazily(`^(title|about|fields|names|rules|ignore|texts|language)[ \t]*:(.*)$`)
	inKeyed = lazily(`^[ \t]+[^|<>]*:([ \t]|$)`)
	// hyphens are what was most likely meant to be three of them.
	hyphens = lazily(`^[ \t]*([-–—=_*~.][ \t]*){1,}$`)
	// anyKey begins a line at the left edge that can stand in a header.
	anyKey = lazily(`^[\w-]+[ \t]*:([ \t]|$)`)
)

// header finds the header among the lines of a file, also where it is not written as it
// should be, so that what stands in it is not read as an outline. It returns the number of
// lines that are no outline, from the first.
func (p *parser) header(lines []string) int {
	bare := make([]string, len(lines))
	for i, l := range lines {
		bare[i] = strings.TrimRight(l, " \t\r\n")
	}
	if len(lines) == 0 || bare[0] != fence {
		p.astray(lines, bare)
		return 0
	}
	end := slices.Index(bare[1:], fence) + 1
	h := &Header{open: lines[0], Line: 2}
	p.file.Header = h
	closed := end > 0
	if !closed {
		end = p.unclosed(bare)
	}
	h.Text = strings.Join(lines[1:end], "")
	if !closed && (end == len(lines) || !hyphens().MatchString(bare[end])) {
		return end
	}
	h.close = lines[end]
	for i := end + 1; closed && i < len(lines); i++ {
		if bare[i] == fence {
			p.fail(Pos{i + 1, 1}, 3, "the header has ended already, in line %d", "take this line away", end+1)
		}
		if bare[i] != "" {
			break
		}
	}
	return end + 1
}

// unclosed says where the second line of hyphens is missing, and where the header ends.
func (p *parser) unclosed(bare []string) int {
	for i := 1; i < len(bare); i++ {
		line := bare[i]
		switch {
		case hyphens().MatchString(line) && len([]rune(line)) > 1:
			p.fail(Pos{i + 1, 1}, width(line), "the header ends with three hyphens", "write --- and nothing else in this line")
			return i
		case line == "" || strings.HasPrefix(line, "#") || strings.HasPrefix(line, "- "):
		case strings.ContainsAny(line[:1], " \t]}") || anyKey().MatchString(line):
		default:
			p.fail(Pos{i + 1, 1}, width(line), "this header has no end", "write a line of three hyphens, ---, above this line")
			return i
		}
	}
	p.fail(Pos{1, 1}, 3, "this header has no end", "write a line of three hyphens, ---, below the header")
	return len(bare)
}

// astray finds a header that does not begin in the first line.
func (p *parser) astray(lines, bare []string) {
	first := slices.IndexFunc(bare, func(l string) bool { return l != "" && !strings.HasPrefix(l, "//") })
	if first < 0 {
		return
	}
	next := func(from int, is func(string) bool) int {
		if i := slices.IndexFunc(bare[from:], is); i >= 0 {
			return from + i
		}
		return -1
	}
	isFence := func(l string) bool { return l == fence }
	begins := func(at int) bool { // a header's first line, and no part of an outline
		m := keyed().FindStringSubmatch(bare[at])
		return m != nil && (strings.TrimSpace(m[2]) != "" || at+1 < len(bare) && inKeyed().MatchString(bare[at+1]))
	}
	found := func(from, begin, end, to int) {
		p.file.Header = &Header{Text: strings.Join(lines[begin:end], ""), Line: begin + 1, astray: true, from: from + 1, to: to}
	}
	if begins(first) {
		if end := next(first, isFence); end >= 0 {
			p.fail(Pos{first + 1, 1}, width(bare[first]), "a header begins with three hyphens", "write a line of three hyphens, ---, above this line")
			found(first, first, end, end+1)
			return
		}
		end := next(first, func(l string) bool {
			return l != "" && !strings.ContainsAny(l[:1], " \t#]}") && !anyKey().MatchString(l)
		})
		help := "write --- above this line, and below the header"
		if end > 0 {
			help = fmt.Sprintf("write --- above this line, and again above line %d", end+1)
		} else {
			end = len(bare)
		}
		p.fail(Pos{first + 1, 1}, width(bare[first]), "a header stands between two lines of three hyphens", help)
		found(first, first, end, end)
		return
	}
	open := next(0, isFence)
	if open < 0 {
		return
	}
	end := next(open+1, isFence)
	begin := next(open+1, func(l string) bool { return l != "" })
	if end < 0 || begin >= end || !begins(begin) {
		return
	}
	help := fmt.Sprintf("move the lines %d to %d above all others", open+1, end+1)
	if first == open {
		help = "take away what stands above it"
	}
	p.fail(Pos{open + 1, 1}, 3, "a header stands at the top of a template", help)
	found(open, open+1, end, end+1)
}

// lazily compiles an expression when it is needed: most runs need none.
func lazily(expression string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(expression) })
}
