// Package collation makes keys by which names are compared as two kinds of lists do: by
// the Unicode Collation Algorithm (UTS #10) with the root table of CLDR, and as the C
// library of Linux does in en_US.UTF-8 and most other locales (ISO/IEC 14651). It knows
// nothing of other languages, nor of numbers.
//
// The tables are made from the data of CLDR and of the C library, by docs/collation.
package collation

import (
	"bytes"
	_ "embed" // the tables
	"encoding/binary"
	"math"
	"slices"
	"sync"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

//go:embed root.bin
var rootData []byte

//go:embed clib.bin
var clibData []byte

// A Table knows what characters weigh on each level.
type Table struct {
	levels    int
	pages     [0x1100]*[256]int32 // numbers of entries, by characters; 0 for none
	entries   []entry
	weights   []uint32
	sequences map[string]int32 // of several characters
	longest   map[rune]int     // how long sequences that begin with a character are
	known     [0x300]bool      // characters that have an entry; none of so low a number is an accent
	begins    [0x300]bool      // those that begin a sequence
	clib      bool
	part      byte   // what stands between levels
	unknown   uint32 // the weight of a sign that the C library does not know
}

// An entry has its weights behind each other, those of the first level first: from the
// end of the level before to the end of its own.
type entry struct {
	first int32
	ends  [5]uint8 // from the second on; the first is 0
}

// Root returns the table of CLDR's root: letters first, then accents, then capitals; signs
// and spaces count like letters, and stand before them.
var Root = sync.OnceValue(func() *Table { return unpack(rootData, false) })

// CLibrary returns the table of the C library: as that of Unicode, but signs and spaces
// count only where all else is equal.
var CLibrary = sync.OnceValue(func() *Table { return unpack(clibData, true) })

// unpack reads a table as docs/collation has packed it.
func unpack(packed []byte, clib bool) *Table {
	at := 0
	next := func() int {
		if b := packed[at]; b < 0x80 {
			at++
			return int(b)
		}
		n, size := binary.Uvarint(packed[at:])
		at += size
		return int(n)
	}
	t := &Table{levels: next(), sequences: map[string]int32{}, longest: map[rune]int{}, clib: clib, unknown: math.MaxUint32}
	if clib {
		t.part = 1 // as in the keys of the C library, which others build upon
	}
	count := next()
	t.entries = make([]entry, 1, count+1)
	t.weights = make([]uint32, 0, 4*count)
	var last [4]int
	first := rune(0)
	var sequence []rune
	for range count {
		length := next()
		first += rune(next())
		sequence = append(sequence[:0], first)
		for len(sequence) < length {
			sequence = append(sequence, rune(next()))
		}
		e := entry{first: int32(len(t.weights))}
		for level := range t.levels {
			n := next()
			e.ends[level+1] = e.ends[level] + uint8(n)
			for range n {
				d := next() // a difference, its sign in the lowest bit
				last[level] += d>>1 ^ -(d & 1)
				t.weights = append(t.weights, uint32(last[level]))
				if level == 3 {
					t.unknown = min(t.unknown, uint32(last[level])-1)
				}
			}
		}
		number := int32(len(t.entries))
		t.entries = append(t.entries, e)
		if length == 1 {
			page := t.pages[first>>8]
			if page == nil {
				page = new([256]int32)
				t.pages[first>>8] = page
			}
			page[first&255] = number
			continue
		}
		t.sequences[string(sequence)] = number
		t.longest[first] = max(t.longest[first], length)
	}
	for r := range rune(len(t.known)) {
		t.known[r], t.begins[r] = t.single(r) != 0, t.longest[r] > 0
	}
	return t
}

// single returns the number of a character's entry, or 0.
func (t *Table) single(r rune) int32 {
	if r < 0 || r > unicode.MaxRune {
		r = utf8.RuneError
	}
	if page := t.pages[r>>8]; page != nil {
		return page[r&255]
	}
	return 0
}

// An item of a text is an entry or, where a table has none, a character that is weighed
// by its number.
type item struct {
	entry int32
	char  rune
}

// A Collator compares texts. It must not be shared between goroutines.
type Collator struct {
	table         *Table
	runes         []rune
	text          []byte
	items, others []item
	key, otherKey []byte
}

// Collator returns one for the table.
func (t *Table) Collator() *Collator { return &Collator{table: t} }

// AppendKey appends the key of a text: of two texts, the one with the smaller key, byte by
// byte, stands first. Texts with equal keys are one to the table.
func (c *Collator) AppendKey(key []byte, text string) []byte {
	c.items = c.split(c.items[:0], text)
	for level := range c.table.levels {
		if level > 0 {
			key = append(key, 0, c.table.part)
		}
		key = c.table.level(key, c.items, level)
	}
	return key
}

// Compare returns a negative number where a stands before b, a positive one where b stands
// first, and 0 where they are one to the table.
func (c *Collator) Compare(a, b string) int {
	c.items, c.others = c.split(c.items[:0], a), c.split(c.others[:0], b)
	same := 0 // what begins both weighs the same
	for same < len(c.items) && same < len(c.others) && c.items[same] == c.others[same] {
		same++
	}
	for level := range c.table.levels {
		c.key, c.otherKey = c.table.level(c.key[:0], c.items[same:], level), c.table.level(c.otherKey[:0], c.others[same:], level)
		if d := bytes.Compare(c.key, c.otherKey); d != 0 {
			return d
		}
	}
	return 0
}

// level appends the weights of items on a level.
func (t *Table) level(key []byte, items []item, level int) []byte {
	passed := uint32(1)
	for _, it := range items {
		if it.entry == 0 {
			key = t.unlisted(key, it.char, level)
			continue
		}
		e := &t.entries[it.entry]
		weights := t.weights[e.first+int32(e.ends[level]) : e.first+int32(e.ends[level+1])]
		if level == 3 { // where signs stand counts as well
			if len(weights) == 0 {
				passed++
				continue
			}
			key = weight(key, passed)
			passed = 1
		}
		for _, w := range weights {
			key = weight(key, w)
		}
	}
	return key
}

// weight appends a weight, in two bytes or four, so that keys compare as weights do.
func weight(key []byte, w uint32) []byte {
	if w < 0x8000 {
		return append(key, byte(w>>8), byte(w))
	}
	return append(key, 0x80|byte(w>>24), byte(w>>16), byte(w>>8), byte(w))
}

// split appends the items of a text.
func (c *Collator) split(items []item, text string) []item {
	t := c.table
	start := len(items)
	simple := true
	for i, r := range text {
		// No sequence goes on with a character of ASCII.
		if r >= rune(len(t.known)) || !t.known[r] || t.begins[r] && i+1 < len(text) && text[i+1] >= utf8.RuneSelf {
			simple = false
			break
		}
		items = append(items, item{entry: t.pages[r>>8][r&255]})
	}
	if simple {
		return items
	}
	items, c.runes = items[:start], c.runes[:0]
	if t.clib {
		for _, r := range text {
			c.runes = append(c.runes, r)
		}
	} else {
		c.text = norm.NFD.AppendString(c.text[:0], text)
		for i := 0; i < len(c.text); {
			r, size := utf8.DecodeRune(c.text[i:])
			c.runes = append(c.runes, r)
			i += size
		}
	}
	rest := c.runes
	for len(rest) > 0 {
		var it item
		it, rest = t.next(rest)
		items = append(items, it)
	}
	return items
}

// next takes the longest sequence off the runes that the table knows (UTS #10, S2.1).
func (t *Table) next(runes []rune) (it item, rest []rune) {
	first := runes[0]
	it = item{t.single(first), first}
	taken := 1
	most := t.longest[first]
	for n := min(most, len(runes)); n > 1; n-- {
		if e := t.sequences[string(runes[:n])]; e != 0 {
			it.entry, taken = e, n
			break
		}
	}
	if most == 0 || t.clib {
		return it, runes[taken:]
	}
	// Accents may stand in between (S2.1.1 to S2.1.3).
	sequence := slices.Clone(runes[:taken])
	before := uint8(0)
	for i := taken; i < len(runes); {
		class := classOf(runes[i])
		if class == 0 {
			break
		}
		if before < class {
			if e := t.sequences[string(append(sequence, runes[i]))]; e != 0 {
				it.entry = e
				sequence = append(sequence, runes[i])
				runes = slices.Delete(runes, i, i+1)
				continue
			}
		}
		before = class
		i++
	}
	return it, runes[taken:]
}

// classOf is the canonical combining class of a character.
func classOf(r rune) uint8 {
	var buf [utf8.UTFMax]byte
	return norm.NFD.Properties(buf[:utf8.EncodeRune(buf[:], r)]).CCC()
}

// unlisted appends the weight of a character that the table does not list.
func (t *Table) unlisted(key []byte, r rune, level int) []byte {
	if t.clib {
		return t.unlistedInC(key, r, level)
	}
	switch level { // UTS #10, 10.1.3
	case 0:
		base, second := implicit(r)
		return weight(weight(key, base), second)
	case 1:
		return weight(key, 0x20)
	}
	return weight(key, 2)
}

// implicit returns the two first weights of a character that no table lists: of an
// ideograph by its number, and of what is not assigned behind all others.
func implicit(r rune) (base, second uint32) {
	n := uint32(r)
	switch {
	case r >= 0x17000 && r <= 0x18AFF || r >= 0x18D00 && r <= 0x18D8F:
		return 0xFB00, (n - 0x17000) | 0x8000
	case r >= 0x1B170 && r <= 0x1B2FF:
		return 0xFB01, (n - 0x1B170) | 0x8000
	case r >= 0x18B00 && r <= 0x18CFF:
		return 0xFB02, (n - 0x18B00) | 0x8000
	case unicode.Is(unicode.Unified_Ideograph, r) && (r >= 0x4E00 && r <= 0x9FFF || r >= 0xF900 && r <= 0xFAFF):
		base = 0xFB40
	case unicode.Is(unicode.Unified_Ideograph, r):
		base = 0xFB80
	default:
		base = 0xFBC0
	}
	return base + n>>15, n&0x7FFF | 0x8000
}

// unlistedInC is the same for the C library: ideographs stand behind all else, by their
// numbers; what it does not know counts like the first of all signs.
func (t *Table) unlistedInC(key []byte, r rune, level int) []byte {
	switch han := r >= 0x4E00 && r <= 0x9FA5; {
	case han && level == 0:
		return weight(key, 0x100000+uint32(r))
	case !han && level == 3:
		return weight(weight(key, 1), t.unknown)
	}
	return key
}

// First returns what a character weighs on the first level, wherever it stands in front of
// one of ASCII or at the end; plain is false where that depends on what follows, or is not
// listed.
func (t *Table) First(r rune) (weights []uint32, plain bool) {
	if r < 0 || r >= rune(len(t.known)) || !t.known[r] {
		return nil, false
	}
	e := &t.entries[t.single(r)]
	return t.weights[e.first : e.first+int32(e.ends[1])], true
}

// Begins reports whether a character may be one with another that follows, which is never
// one of ASCII.
func (t *Table) Begins(r rune) bool { return r >= rune(len(t.begins)) || t.begins[r] }
