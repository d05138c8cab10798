// Package order compares names the way that lists sort them. The same folder
// looks different in a file manager, in a web drive and in a terminal; these
// four orders cover them.
package order

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/collate"
	"golang.org/x/text/language"

	"vestibula/core/tree"
)

// An Order is one way in which lists sort names.
type Order uint8

// The orders. The three that know letters follow the Unicode Collation
// Algorithm (UTS #10) with the root table of CLDR.
const (
	// CodePoint compares characters by their code, capitals before small
	// letters: raw listings, servers, archives, "ls" in the C locale.
	CodePoint Order = iota
	// Alphabetical compares by letters first, digits one by one: many web
	// drives and cloud storages.
	Alphabetical
	// Natural is the same with runs of digits taken as numbers: the file
	// managers of Windows, macOS and most Linux desktops.
	Natural
	// Dictionary passes punctuation and blanks by unless all else is equal:
	// lists on Linux in most locales.
	Dictionary
)

var names = []string{"code-point", "alphabetical", "natural", "dictionary"}

// All returns the orders.
func All() []Order { return []Order{CodePoint, Alphabetical, Natural, Dictionary} }

// Names returns the names of the orders, as templates write them.
func Names() []string { return names }

// String returns the name of the order.
func (o Order) String() string { return names[o] }

// Lists says, for a person, which lists sort so.
func (o Order) Lists() string {
	return [...]string{"raw listings, servers and archives", "many web drives", "desktop file managers", "lists on Linux"}[o]
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
	collator *collate.Collator
	buffer   collate.Buffer
}

// Comparer returns a comparer of names in the order.
func (o Order) Comparer() *Comparer {
	c := &Comparer{order: o}
	switch o {
	case Alphabetical, Natural:
		c.collator = collate.New(language.Und)
	case Dictionary:
		c.collator = collate.New(language.MustParse("und-u-ka-shifted"))
	}
	return c
}

// Compare returns a negative number where a list shows a before b, a positive
// one where it shows b first. Only equal names give zero: what the order itself
// cannot tell apart is told apart by code.
func (c *Comparer) Compare(a, b string) int {
	d := 0
	switch c.order {
	case CodePoint:
	case Dictionary:
		// The collator's comparison does not shift punctuation as its keys do.
		x := c.key(a)
		y := c.key(b)
		d = bytes.Compare(x, y)
		c.buffer.Reset()
	default:
		d = c.collator.CompareString(c.spelled(a), c.spelled(b))
	}
	return cmp.Or(d, strings.Compare(a, b))
}

// key returns the collation key of a name, valid until the buffer is reset.
func (c *Comparer) key(name string) []byte {
	return c.collator.KeyFromString(&c.buffer, c.spelled(name))
}

// spelled returns what the collator compares for a name. In the natural order,
// a run of digits is spelled as how many digits it has, zeros in front aside,
// and then these: 2 as 0012, 10 as 00210, so that digit by digit the smaller
// number comes first. The collator's own way to compare numbers takes a run of
// zeros for nothing at all.
func (c *Comparer) spelled(name string) string {
	if c.order != Natural || strings.IndexFunc(name, unicode.IsDigit) < 0 {
		return name
	}
	var b strings.Builder
	var run []byte
	flush := func() {
		digits := bytes.TrimLeft(run, "0")
		if len(digits) == 0 {
			digits = run[:1]
		}
		fmt.Fprintf(&b, "%03d", min(len(digits), 999))
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
			rows[i].key = bytes.Clone(c.key(rows[i].name))
			c.buffer.Reset()
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
