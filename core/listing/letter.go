package listing

import (
	"errors"
	"regexp"
	"strconv"
	"strings"
	"sync"
)

// ErrDiagram says that a text is a drawing of something else.
var ErrDiagram = errors.New("this is a drawing of boxes and arrows, and no tree: write each folder in a line of its own, and what lies in it indented below")

var (
	corners = lazily(`[┐┘╮╯╗╝┓┛]|\+-{2,}\+|\+={2,}\+`)
	comment = lazily(`^\s*(//+|#+|--|;+|%+|\*)(?:\s|$)`)
)

// diagram reports whether a text is a drawing of boxes: trees have no right corners.
func diagram(lines []string) bool {
	n := 0
	for _, line := range lines {
		if corners().MatchString(line) {
			n++
		}
	}
	return n >= 2
}

// uncommented takes the marks off by which a tree stands in a comment of a program: the same in front of
// each line, and a drawing behind most.
func uncommented(lines []string) []string {
	out, mark, drawn := make([]string, len(lines)), "", 0
	for i, line := range lines {
		found := comment().FindStringSubmatchIndex(line)
		if found == nil || i > 0 && line[found[2]:found[3]] != mark {
			return lines
		}
		mark = line[found[2]:found[3]]
		if out[i] = strings.TrimPrefix(line[found[3]:], " "); boxes().MatchString(out[i]) || typed().MatchString(out[i]) {
			drawn++
		}
	}
	if drawn == 0 || 2*drawn < len(lines) {
		return lines
	}
	return out
}

// said is how sentences end, and what greets.
var said = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`[.,!?;:…]$`) })

// letterly reports whether a paragraph is one of a letter: no line of it is marked or indented, and it is
// said in sentences.
func letterly(block []string) bool {
	speaks := false
	for _, line := range block {
		bare := strings.TrimSpace(line)
		if columnOf(line) > 0 || marked(bare) || boxes().MatchString(line) || typed().MatchString(line) || strings.Contains(bare, "\t") {
			return false
		}
		words := len(strings.Fields(bare))
		speaks = speaks || words > 6 || said().MatchString(bare) && (words > 3 || strings.HasSuffix(bare, ","))
	}
	return speaks
}

func marked(bare string) bool {
	return bullet().MatchString(bare) || ordinal().MatchString(bare) || chapters().MatchString(bare) || heading().MatchString(bare)
}

// withoutLetter leaves out what stands before and after a list in a mail, in paragraphs of its own or
// right above the first mark. Blocks are the numbers of the lines behind an empty one.
func withoutLetter(lines []string, blocks []int) (list, left []string) {
	var parts [][]string
	from := 0
	for _, at := range append(blocks, len(lines)) {
		if at > from {
			parts = append(parts, lines[from:at])
			from = at
		}
	}
	first, last := 0, len(parts)
	for first < last && letterly(parts[first]) {
		first++
	}
	for n := last; n > first; n-- {
		if letterly(parts[n-1]) {
			last = n - 1 // and who has signed below it
		} else if n < last || len(parts[n-1]) > 2 || marked(strings.TrimSpace(parts[n-1][0])) || n < len(parts) {
			break
		}
	}
	for _, part := range parts[:first] {
		left = append(left, part...)
	}
	for _, part := range parts[first:last] {
		list = append(list, part...)
	}
	for _, part := range parts[last:] {
		left = append(left, part...)
	}
	// What leads to the first mark without an empty line: “here they are:”
	for len(list) > 1 && columnOf(list[0]) == 0 && !marked(strings.TrimSpace(list[0])) && letterly(list[:1]) && marked(strings.TrimSpace(list[1])) && len(strings.Fields(list[0])) > 3 {
		left, list = append(left, list[0]), list[1:]
	}
	if len(list) < 2 {
		return lines, nil
	}
	return list, left
}

// number settles whether the numbers in front of names say more than the order of the lines: where more
// than one level has some, or one is skipped.
func (l *Listing) number() {
	levels := map[int]bool{}
	skips := false
	var walk func(list []*Entry, depth int)
	walk = func(list []*Entry, depth int) {
		before, alone := 0, 0
		for _, e := range list {
			if e.Number != "" {
				alone++
			}
		}
		for _, e := range list {
			if alone == 1 {
				e.Number = "" // it is no order
			}
			if e.Number != "" {
				levels[depth] = true
				n, err := strconv.Atoi(e.Number)
				if err != nil && len(e.Number) == 1 {
					n = int(e.Number[0]|0x20) - 'a' + 1
				}
				skips = skips || before > 0 && n > before+1
				before = n
			}
			walk(e.Inside, depth+1)
		}
	}
	walk(l.Entries, 0)
	l.Ordered, l.Numbered = len(levels) > 0, len(levels) > 1 || skips
}
