package draft

import (
	"slices"
	"strings"
)

// A piece of several names is a text that all of them have, or what differs there.
type piece struct {
	literal string
	kind    string // of what differs; empty for a literal
	form    string
	of      []string // the codes of a choice
	values  []string // in each name, as a build takes them
	texts   []string // in each name, as they stand there
}

// A column is one token of each of several names.
type column struct {
	kind   string
	cells  []string // empty where a name has nothing there
	tokens []token
	has    map[string]bool // the texts of its cells
	isCode bool            // all of them are short, and in capitals
}

// put adds a token to a column.
func (c *column) put(t token) {
	c.cells, c.tokens = append(c.cells, t.text), append(c.tokens, t)
	c.isCode = c.isCode && (t.text == "" || code(t.text))
	c.has[t.text] = true
}

// code reports whether a text is short, and in capitals.
func code(text string) bool { return len(text) <= 4 && strings.ToUpper(text) == text }

// alike reports whether all names have the same in a column.
func (c *column) alike() bool {
	return !slices.ContainsFunc(c.cells, func(t string) bool { return t != c.cells[0] })
}

// fixed reports whether all names have something in a column, and all the same.
func (c *column) fixed() bool { return c.cells[0] != "" && c.alike() }

// varied reports whether all names have something in a column, and not all the same.
func (c *column) varied() bool { return !slices.Contains(c.cells, "") && !c.alike() }

// narrow reports whether a column is one of days, periods or numbers.
func (c *column) narrow() bool { return (calendar(c.kind) || c.kind == "number") && c.varied() }

// joined is the free text that columns are together.
func joined(columns []column) piece {
	p := piece{kind: "text", values: make([]string, len(columns[0].cells))}
	for k := range p.values {
		for _, c := range columns {
			p.values[k] += c.cells[k]
		}
	}
	p.texts = p.values
	return p
}

// infer finds what several names have in common, and what differs: narrow kinds where all
// have such a one in the same place.
func infer(names []string) []piece {
	var columns []column
	for i, name := range names {
		columns = align(columns, tokens(name), i)
	}
	n := len(names)
	for i := range columns {
		for len(columns[i].cells) < n {
			columns[i].cells = append(columns[i].cells, "")
			columns[i].tokens = append(columns[i].tokens, token{})
		}
	}
	code := func(i int) bool { return codes(&columns[i]) && columns[i].varied() }
	var pieces []piece
	for i := 0; i < len(columns); {
		c := &columns[i]
		switch {
		case c.fixed():
			pieces = append(pieces, piece{literal: c.cells[0]})
			i++
			continue
		case c.narrow():
			pieces = append(pieces, typed(c))
			i++
			continue
		case code(i) && mixedCase(columns, i) && apart(distinct(c.cells)):
			p := piece{kind: "choice", values: c.cells, texts: c.cells, of: distinct(c.cells)}
			pieces = append(pieces, p)
			i++
			continue
		}
		// A text goes on to the last column that belongs to no other piece.
		end := i + 1
		for j := end; j < len(columns); j++ {
			d := &columns[j]
			if d.narrow() || code(j) && mixedCase(columns, j) || d.fixed() && d.kind != sign {
				break
			}
			if !d.fixed() {
				end = j + 1
			}
		}
		pieces = append(pieces, joined(columns[i:end]))
		i = end
	}
	return trimmed(merged(bared(pieces)))
}

// bared moves the signs that all texts of a piece begin or end with out of it.
func bared(list []piece) (out []piece) {
	edge := func(p *piece, cut func(s string) (sign, rest string)) string {
		all := ""
		for i, v := range p.values {
			sign, _ := cut(v)
			if i > 0 && sign != all || sign == "" {
				return ""
			}
			all = sign
		}
		for i, v := range p.values {
			_, p.values[i] = cut(v)
		}
		return all
	}
	isSign := func(r rune) bool { return !isLetter(r) && !isDigit(r) && r != '(' && r != ')' }
	for _, p := range list {
		if p.kind != "text" {
			out = append(out, p)
			continue
		}
		p.values = slices.Clone(p.values)
		before := edge(&p, func(s string) (string, string) {
			rest := strings.TrimLeftFunc(s, isSign)
			return s[:len(s)-len(rest)], rest
		})
		after := edge(&p, func(s string) (string, string) {
			rest := strings.TrimRightFunc(s, isSign)
			return s[len(rest):], rest
		})
		out = append(out, piece{literal: before}, p, piece{literal: after})
	}
	return slices.DeleteFunc(out, func(p piece) bool { return p.kind == "" && p.literal == "" })
}

// merged joins literals that follow each other.
func merged(list []piece) (out []piece) {
	for _, p := range list {
		if last := len(out) - 1; p.kind == "" && last >= 0 && out[last].kind == "" {
			out[last].literal += p.literal
			continue
		}
		out = append(out, p)
	}
	return out
}

// trimmed puts apart two pieces that are texts and would meet, which could not be read back,
// and takes from a text what is empty or the space at its end.
func trimmed(list []piece) []piece {
	for i := range list {
		p := &list[i]
		if p.kind != "text" {
			continue
		}
		p.values = slices.Clone(p.values)
		for k := range p.values {
			p.values[k] = strings.TrimSpace(p.values[k])
		}
	}
	return list
}

// typed is a piece of a narrow kind.
func typed(c *column) piece {
	p := piece{kind: c.kind, texts: c.cells}
	if c.kind == "number" {
		p.form = widthOf(c.cells)
		for _, t := range c.cells {
			p.values = append(p.values, unpadded(t))
		}
		return p
	}
	p.form = c.tokens[0].form
	for _, t := range c.tokens {
		if t.form != p.form {
			return piece{kind: "text", values: c.cells, texts: c.cells}
		}
		p.values = append(p.values, t.value)
	}
	return p
}

func unpadded(t string) string {
	if t = strings.TrimLeft(t, "0"); t == "" {
		return "0"
	}
	return t
}

// widthOf is the form of numbers that are written such.
func widthOf(texts []string) string {
	least := len(texts[0])
	padded := false
	for _, t := range texts {
		least = min(least, len(t))
		padded = padded || len(t) > 1 && t[0] == '0'
	}
	if !padded {
		return "0"
	}
	return strings.Repeat("0", least)
}

// codes reports whether all cells are short words in capitals.
func codes(c *column) bool {
	for _, t := range c.cells {
		if len(t) < 1 || len(t) > 4 || strings.ToUpper(t) != t || c.kind != word {
			return false
		}
	}
	return true
}

// mixedCase reports whether the words beside a column of codes are no codes.
func mixedCase(columns []column, i int) bool {
	for j := range columns {
		if j != i && columns[j].kind == word && !codes(&columns[j]) {
			return true
		}
	}
	return len(columns) == 1 || !slices.ContainsFunc(columns, func(c column) bool { return c.kind == word && !codes(&c) })
}

func distinct(list []string) []string {
	list = slices.Clone(list)
	slices.Sort(list)
	return slices.Compact(list)
}

// align puts the tokens of one more name into columns: the best way by what they are
// alike in (Needleman and Wunsch, 1970).
func align(columns []column, list []token, n int) []column {
	fresh := func(t token) column {
		c := column{kind: t.kind, cells: make([]string, n, n+1), tokens: make([]token, n, n+1), has: map[string]bool{}, isCode: true}
		c.put(t)
		return c
	}
	if n == 0 {
		for _, t := range list {
			columns = append(columns, fresh(t))
		}
		return columns
	}
	rows, cols := len(columns)+1, len(list)+1
	best := make([]int, rows*cols)
	for i := 1; i < rows; i++ {
		best[i*cols] = -i
	}
	for j := 1; j < cols; j++ {
		best[j] = -j
	}
	for i := 1; i < rows; i++ {
		for j := 1; j < cols; j++ {
			best[i*cols+j] = max(best[(i-1)*cols+j-1]+alike(&columns[i-1], list[j-1]), best[(i-1)*cols+j]-1, best[i*cols+j-1]-1)
		}
	}
	var out []column
	for i, j := rows-1, cols-1; i > 0 || j > 0; {
		switch {
		case i > 0 && j > 0 && best[i*cols+j] == best[(i-1)*cols+j-1]+alike(&columns[i-1], list[j-1]):
			c := columns[i-1]
			for len(c.cells) < n {
				c.put(token{})
			}
			c.put(list[j-1])
			if c.kind != list[j-1].kind {
				c.kind = mixed
			}
			out = append(out, c)
			i, j = i-1, j-1
		case i > 0 && best[i*cols+j] == best[(i-1)*cols+j]-1:
			c := columns[i-1]
			for len(c.cells) <= n {
				c.put(token{})
			}
			out = append(out, c)
			i--
		default:
			out = append(out, fresh(list[j-1]))
			j--
		}
	}
	slices.Reverse(out)
	return out
}

// alike is how well a token fits into a column.
func alike(c *column, t token) int {
	switch {
	case c.has[t.text] && c.kind == t.kind:
		if t.kind == sign {
			return 2
		}
		return 5
	case c.kind != t.kind:
		return -3
	case calendar(t.kind):
		return 4
	case t.kind == "number":
		return 3
	case t.kind == word && c.isCode == code(t.text):
		return 2
	case t.kind == word:
		return 0
	}
	return -3
}
