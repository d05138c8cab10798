// Package order compares names the way that lists sort them. The same folder
// looks different in a file manager, in a web drive and in a terminal; these
// five orders cover them.
package order

import (
	"bytes"
	"cmp"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"vestibula/core/collation"
	"vestibula/core/tree"
)

// An Order is one way in which lists sort names.
type Order uint8

// The orders. Each is held against a program that sorts so: see testdata.
const (
	// CodePoint compares characters by their code, capitals before small
	// letters: raw listings, servers, archives, "ls" in the C locale.
	CodePoint Order = iota
	// Alphabetical is the Unicode Collation Algorithm with the root table of
	// CLDR: by letters first, digits one by one. Many web drives and cloud
	// storages sort so.
	Alphabetical
	// Natural is the same with runs of digits taken as numbers.
	Natural
	// Dictionary is what the C library does in en_US.UTF-8 and most other
	// locales: signs and spaces are passed by unless all else is equal.
	// Terminals and many programs on Linux sort so.
	Dictionary
	// Desktop is what the file managers of several Linux desktops do: numbers by
	// value, before all else, and the texts between them as in Dictionary.
	Desktop
)

var names = []string{"code-point", "alphabetical", "natural", "dictionary", "desktop"}

// All returns the orders.
func All() []Order { return []Order{CodePoint, Alphabetical, Natural, Dictionary, Desktop} }

// Names returns the names of the orders, as templates write them.
func Names() []string { return names }

// String returns the name of the order.
func (o Order) String() string { return names[o] }

// Lists says, for a person, which lists sort so.
func (o Order) Lists() string {
	return [...]string{"raw listings, servers and archives", "many web drives", "lists that take numbers by value", "lists on Linux", "desktops on Linux"}[o]
}

// Known is the name by which people know the lists that sort so.
func (o Order) Known() string {
	return [...]string{"servers, archives", "web drives", "numbers by value", "Linux terminal", "Linux desktop"}[o]
}

// Named returns the order with that name, and whether there is one.
func Named(name string) (Order, bool) {
	i := slices.Index(names, name)
	return Order(max(i, 0)), i >= 0
}

// A Comparer compares names in one order. It must not be shared between
// goroutines.
type Comparer struct {
	order    Order
	collator *collation.Collator
	a, b     []byte
}

// Comparer returns a comparer of names in the order.
func (o Order) Comparer() *Comparer {
	c := &Comparer{order: o}
	switch o {
	case Alphabetical, Natural:
		c.collator = collation.Root().Collator()
	case Dictionary, Desktop:
		c.collator = collation.CLibrary().Collator()
	}
	return c
}

// Compare returns a negative number where a list shows a before b, a positive
// one where it shows b first. Only equal names give zero: what the order itself
// cannot tell apart is told apart by code.
func (c *Comparer) Compare(a, b string) int {
	switch c.order {
	case CodePoint:
		return strings.Compare(a, b)
	case Alphabetical, Dictionary:
		return cmp.Or(c.collator.Compare(a, b), strings.Compare(a, b))
	case Natural:
		return cmp.Or(c.collator.Compare(spelled(a), spelled(b)), strings.Compare(a, b))
	}
	c.a, c.b = c.AppendKey(c.a[:0], a), c.AppendKey(c.b[:0], b)
	return cmp.Or(bytes.Compare(c.a, c.b), strings.Compare(a, b))
}

// AppendKey appends the key of a name: names compare as their keys do, byte by byte, and
// by code where these are equal.
func (c *Comparer) AppendKey(key []byte, name string) []byte {
	switch c.order {
	case CodePoint:
		return append(key, name...)
	case Natural:
		return c.collator.AppendKey(key, spelled(name))
	case Desktop:
		return c.desktopKey(key, name)
	}
	return c.collator.AppendKey(key, name)
}

// desktopKey makes keys as GLib's g_utf8_collate_key_for_filename does: the texts between
// dots and numbers are compared one after the other, each on all its levels; a dot stands
// before everything, a number before all but that, the one with fewer digits first; and
// zeros in front count at the very end.
func (c *Comparer) desktopKey(key []byte, name string) []byte {
	const dot, number = 1, 2
	var zeros []byte
	text := func(s string) {
		if s != "" {
			key = c.collator.AppendKey(key, norm.NFKC.String(s))
		}
	}
	sentinel := func(kind byte) { key = append(key, 0, 1, 0, 1, 0, 1, 0, kind) } // three ends of levels
	from := 0
	for i := 0; i < len(name); i++ {
		switch b := name[i]; {
		case b == '.':
			text(name[from:i])
			sentinel(dot)
			from = i + 1
		case isDigit(b):
			text(name[from:i])
			sentinel(number)
			from = i
			leading, digits := 0, 0
			for ; i < len(name) && isDigit(name[i]); i++ {
				if name[i] == '0' && digits == 0 {
					leading++
				} else {
					digits++
				}
			}
			if digits == 0 && i < len(name) { // zeros alone are one digit, but at the end
				digits, leading = 1, leading-1
			}
			for range digits - 1 {
				key = append(key, ':') // more than any digit
			}
			if leading > 0 {
				zeros = append(zeros, 0, byte(min(leading, 255)))
				from += leading
			}
			key = append(key, name[from:i]...)
			from = i
			i--
		}
	}
	text(name[from:])
	return append(key, zeros...)
}

func isDigit(b byte) bool { return b >= '0' && b <= '9' }

// spelled returns what the collator compares for a name. In the natural order,
// a run of digits is spelled as how many digits it has, zeros in front aside,
// and then these: 2 as 0012, 10 as 00210, so that digit by digit the smaller
// number comes first.
func spelled(name string) string {
	if strings.IndexFunc(name, unicode.IsDigit) < 0 {
		return name
	}
	var b strings.Builder
	var run []byte
	flush := func() {
		digits := bytes.TrimLeft(run, "0")
		if len(digits) == 0 {
			digits = run[:1]
		}
		n := min(len(digits), 999)
		b.Write([]byte{'0' + byte(n/100), '0' + byte(n/10%10), '0' + byte(n%10)})
		b.Write(digits)
		run = run[:0]
	}
	for _, r := range name {
		if unicode.IsDigit(r) {
			run = append(run, '0'+digitValue(r))
			continue
		}
		if len(run) > 0 {
			flush()
		}
		b.WriteRune(r)
	}
	if len(run) > 0 {
		flush()
	}
	return b.String()
}

// digitValue returns the value of a decimal digit of any script: Unicode keeps
// each script's ten digits together, in order.
func digitValue(r rune) byte {
	if r <= '9' {
		return byte(r - '0')
	}
	n := byte(0)
	for n < 9 && unicode.IsDigit(r-rune(n)-1) {
		n++
	}
	return n
}

// Sort sorts a list of any things by their names. It computes the key of each
// name once, which pays from a few dozen names on.
func Sort[T any](o Order, list []T, name func(T) string) {
	type keyed struct {
		key  []byte
		name string
		item T
	}
	c := o.Comparer()
	rows := make([]keyed, len(list))
	for i, item := range list {
		rows[i] = keyed{name: name(item), item: item}
		if c.collator != nil {
			c.a = c.AppendKey(c.a[:0], rows[i].name)
			rows[i].key = bytes.Clone(c.a)
		}
	}
	slices.SortStableFunc(rows, func(a, b keyed) int {
		return cmp.Or(bytes.Compare(a.key, b.key), strings.Compare(a.name, b.name))
	})
	for i := range rows {
		list[i] = rows[i].item
	}
}

// Tree sorts what lies in each folder of a tree, as a list of the order shows
// it: folders first, then files.
func Tree(o Order, root *tree.Node) {
	Siblings(o, root.Children)
	for _, n := range root.Children {
		Tree(o, n)
	}
}

// Siblings sorts the nodes that lie in one folder: folders first, then files.
func Siblings(o Order, list []*tree.Node) {
	Sort(o, list, func(n *tree.Node) string { return n.Name })
	slices.SortStableFunc(list, func(a, b *tree.Node) int { return int(a.Kind) - int(b.Kind) })
}
