package template

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"

	"vestibula/core/outline"
	"vestibula/core/pattern"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// DefaultLimit is how many folders and files a build may make unless the user
// allows more: far above what a person means, far below what hurts.
const DefaultLimit = 20_000

// maxErrors is how many errors of one tree are told.
const maxErrors = 30

// A LimitError says that values would make more folders and files than allowed.
type LimitError struct {
	Limit int
	Count int // math.MaxInt where it is beyond counting
}

// Error returns how many were asked for, and how many are allowed.
func (e *LimitError) Error() string {
	count := strconv.Itoa(e.Count)
	if e.Count == math.MaxInt {
		count = "more than can be counted"
	}
	return fmt.Sprintf("this would make %s folders and files; at most %d are made unless you allow more", count, e.Limit)
}

// A Change is a text that could not stand in a name as it was given.
type Change struct {
	Field, Was, Is string
}

// An Expansion is the tree that a template and values make.
type Expansion struct {
	Root    *tree.Node
	Changes []Change                   // each once, in the order in which they were met
	Due     map[*tree.Node]value.Value // the dates by which files are due, where there are any
	Was     map[*tree.Node][]string    // former names, or paths with a slash, where there are any
	Items   map[*tree.Node]value.Value // of a line with each, the item that a node is made for; see [Template.TreeOfItems]
}

// Tree makes the tree for values. A slot whose value is missing is written as
// itself, and its node is marked [tree.Open]. The error is an [outline.Errors]
// with places in the template, or a [LimitError].
func (t *Template) Tree(values Values, limit int) (*Expansion, error) {
	return t.tree(values, limit, nil)
}

// TreeOfItems is as [Template.Tree], and says also for which item each node is made.
func (t *Template) TreeOfItems(values Values, limit int) (*Expansion, error) {
	return t.tree(values, limit, map[*tree.Node]value.Value{})
}

func (t *Template) tree(values Values, limit int, items map[*tree.Node]value.Value) (*Expansion, error) {
	x, _ := t.spare.Get().(*expander)
	if x == nil {
		x = &expander{}
	}
	defer t.spare.Put(x)
	env, err := t.env(x.env, values)
	if err != nil {
		return nil, outline.Errors{{Pos: outline.Pos{Line: 1, Column: 1}, Width: 1, Message: err.Error()}}
	}
	*x = expander{t: t, env: env, limit: limit, items: items, buf: x.buf, recent: x.recent}
	x.filling = pattern.Filling{Values: env, Changed: x.changed}
	if x.expected = x.count(t.top); x.expected > limit {
		return nil, &LimitError{limit, x.expected}
	}
	root := &tree.Node{}
	err = x.block(root, t.top)
	if err == nil {
		x.connect(root)
		x.guides(root)
	}
	switch {
	case len(x.errs) > 0:
		return nil, x.errs.Sorted()
	case err != nil:
		return nil, err
	}
	return &Expansion{root, x.changes, x.due, x.was, items}, nil
}

type expander struct {
	t       *Template
	env     []value.Value
	filling pattern.Filling
	limit   int
	made    int
	// expected is how many nodes there will be, or nearly so.
	expected int
	slab     []tree.Node // nodes to give out: one by one they would cost more
	buf      []byte
	recent   *[256]string // names that are likely to come again
	errs     outline.Errors
	seen     map[Change]bool
	changes  []Change
	due      map[*tree.Node]value.Value
	was      map[*tree.Node][]string
	items    map[*tree.Node]value.Value // nil where nobody asks
	links    []linked
	guiding  []*tree.Node
	room     int // how many lines the block has that is being made
}

var errStop = errors.New("too many errors")

func (x *expander) changed(field, was, is string) {
	c := Change{field, was, is}
	if !x.seen[c] {
		if x.seen == nil {
			x.seen = map[Change]bool{}
		}
		x.seen[c] = true
		x.changes = append(x.changes, c)
	}
}

func (x *expander) failAt(at outline.Pos, width int, message string) {
	x.errs = append(x.errs, &outline.Error{Pos: at, Width: max(width, 1), Message: message})
}

func (x *expander) failLine(e *Line, message string) error {
	x.failAt(e.Syntax.Pos(), len([]rune(e.Syntax.Name)), message)
	if len(x.errs) >= maxErrors {
		return errStop
	}
	return nil
}

// count says how many nodes a block makes, without making them. Lines inside a
// loop are counted for its first item, unless their number depends on it.
func (x *expander) count(b *block) int {
	total := 0
	for _, e := range b.entries {
		if e.Each == nil {
			if e.When.Holds(x.env) {
				total = plus(total, plus(len(e.Names), x.count(e.inside)))
			}
			continue
		}
		it, err := e.Each.items(x.env)
		if err != nil || it.count == 0 {
			continue // told when the tree is made
		}
		if !e.varied {
			x.env[e.Each.index] = it.at(0, value.Value{})
			total = plus(total, times(it.count, plus(len(e.Names), x.count(e.inside))))
			continue
		}
		var item value.Value
		for i := 0; i < it.count && total <= x.limit; i++ {
			item = it.at(i, item)
			x.env[e.Each.index] = item
			total = plus(total, plus(len(e.Names), x.count(e.inside)))
		}
	}
	return total
}

// A series is the numbering of siblings with the same text in front of <#>.
type series struct {
	last, most int
	// The numbers that are taken, where some line has one of its own: a bit for each
	// below 128, since they are mostly small, and the others.
	low  [2]uint64
	high map[int]bool
}

// take takes a number, and reports whether it was free.
func (s *series) take(n int) bool {
	if n < 128 {
		bit := uint64(1) << (n % 64)
		free := s.low[n/64]&bit == 0
		s.low[n/64] |= bit
		return free
	}
	if s.high[n] {
		return false
	}
	if s.high == nil {
		s.high = map[int]bool{}
	}
	s.high[n] = true
	return true
}

// block makes the lines of a block in parent.
func (x *expander) block(parent *tree.Node, b *block) error {
	var numbers map[string]*series
	if b.numbered {
		numbers = map[string]*series{}
		if b.bare {
			// A bare <#> is as wide as the largest number needs, so that all are
			// counted before the first is written.
			for _, e := range b.entries {
				if err := x.repeat(e, func(first bool) error { return x.advance(numbers, e, first, b.fixed) }); err != nil {
					return err
				}
			}
			for _, s := range numbers {
				s.last, s.low, s.high = 0, [2]uint64{}, nil
			}
		}
	}
	var byName map[string]*tree.Node
	if b.chained {
		byName = map[string]*tree.Node{}
	}
	for _, e := range b.entries {
		x.room = len(b.entries)
		err := x.repeat(e, func(first bool) error {
			if numbers != nil {
				if err := x.advance(numbers, e, first, b.fixed); err != nil {
					return err
				}
			}
			if !e.When.Holds(x.env) {
				return nil
			}
			return x.entry(parent, e, byName)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// repeat calls do once, or once for each item of the line's loop.
func (x *expander) repeat(e *Line, do func(first bool) error) error {
	if e.Each == nil {
		return do(true)
	}
	it, err := e.Each.items(x.env)
	if err != nil {
		x.failAt(e.Each.at, e.Each.width, err.Error())
		return nil
	}
	var item value.Value
	for i := range it.count {
		item = it.at(i, item)
		x.env[e.Each.index] = item
		if err := do(i == 0); err != nil {
			return err
		}
	}
	return nil
}

// mark gives a node what its line says of it: the last one of a chain, or one on the way to that.
func (x *expander) mark(n *tree.Node, e *Line, last bool) {
	if !last {
		n.Marks |= tree.Way | e.Marks&tree.Later
		return
	}
	n.Kind = e.Kind
	n.Marks |= e.Marks
	if e.Each != nil && x.items != nil {
		x.items[n] = x.env[e.Each.index]
	}
}

// advance settles the number of the line that x stands at.
func (x *expander) advance(numbers map[string]*series, e *Line, first, fixed bool) error {
	if numbered, _ := e.last().Numbered(); !numbered {
		return nil
	}
	prefix, err := e.last().AppendPrefix(x.buf[:0], &x.filling)
	if err != nil {
		return x.failLine(e, err.Error())
	}
	s := numbers[string(prefix)]
	if s == nil {
		s = &series{}
		numbers[string(prefix)] = s
	}
	x.buf = prefix
	if s.last++; e.fixed && first {
		s.last = e.number
	}
	s.most = max(s.most, s.last)
	if fixed && !s.take(s.last) {
		return x.failLine(e, fmt.Sprintf("the number %d is that of an earlier line already", s.last))
	}
	x.env[len(x.t.Fields)] = value.OfNumber(s.last)
	x.filling.Width = max(2, len(strconv.Itoa(s.most)))
	return nil
}

// entry makes the nodes of one line, for the values that x holds now. A level of a line for later
// that may be left out, and of which nothing is known, waits both ways.
func (x *expander) entry(parent *tree.Node, e *Line, byName map[string]*tree.Node) error {
	if e.Marks&tree.Later != 0 && len(e.Names) > 1 {
		return x.eitherWay(parent, e, byName, x.leaveable(e))
	}
	return x.chain(parent, e, byName)
}

// chain makes the nodes of one line.
func (x *expander) chain(parent *tree.Node, e *Line, byName map[string]*tree.Node) error {
	for i, name := range e.Names {
		last := i == len(e.Names)-1
		x.filling.Open = false
		out, err := name.Append(x.buf[:0], &x.filling)
		if x.buf = out; err != nil {
			return x.failLine(e, err.Error())
		}
		if len(bytes.TrimSpace(out)) == 0 && e.leaves(last) {
			if last {
				if parent.Marks |= e.Marks & tree.Own; parent.From == 0 && e.Marks&tree.Own != 0 {
					return x.failLine(e, "this name would be empty, and it is the project's own folder")
				}
				return x.block(parent, e.inside)
			}
			continue
		}
		if err := unfit(out); err != nil {
			return x.failLine(e, err.Error())
		}
		if byName != nil && i == 0 {
			// Chains that begin alike meet in one folder.
			if known := byName[string(out)]; known != nil && known.Kind == tree.Folder && (!last || known.Marks&tree.Way != 0) {
				parent = known
				if last {
					known.Marks = known.Marks&^(tree.Way|tree.Later) | e.Marks
				}
				continue
			}
		} else if i > 0 && !last {
			if known := parent.Child(string(out)); known != nil && known.Kind == tree.Folder {
				parent = known
				continue
			}
		}
		n := x.node()
		n.From, n.Nth = e.From, uint8(i)
		if name.Constant() {
			n.Name = name.Pattern.Source // shared by all that are called so
		} else {
			n.Name = x.text(out, e.Syntax.Number+i)
		}
		if x.filling.Open {
			n.Marks |= tree.Open
		}
		x.mark(n, e, last)
		if byName != nil && i == 0 {
			byName[n.Name] = n
		}
		if err := x.add(parent, n); err != nil {
			return err
		}
		parent = n
	}
	x.note(e, parent)
	return x.block(parent, e.inside)
}

// note notes what has to be done with the last node of a line when the tree stands.
func (x *expander) note(e *Line, parent *tree.Node) {
	if e.starter != nil {
		x.begin(e, parent)
	}
	if e.link != nil {
		x.remember(e, parent)
	}
	if e.guide {
		x.guiding = append(x.guiding, parent)
	}
	if e.due != nil {
		v, err := e.due.from.value(x.env, e.due.typ)
		if err != nil {
			x.failAt(e.due.at, e.due.width, err.Error())
		}
		if v.Given() {
			if x.due == nil {
				x.due = map[*tree.Node]value.Value{}
			}
			x.due[parent] = v
		}
	}
	if len(e.Was) > 0 {
		x.former(e, parent)
	}
}

// leaves reports whether a level of the line, the last of them or one before, is left out
// where its name comes out empty, so that what it holds lies one level higher. Only what
// may be empty comes out so.
func (e *Line) leaves(last bool) bool {
	return !last || e.Kind == tree.Folder && len(e.inside.entries) > 0 && e.starter == nil && e.link == nil && e.due == nil
}

// former notes what a node was called before.
func (x *expander) former(e *Line, n *tree.Node) {
	for _, f := range e.Was {
		var path []string
		x.filling.Open = false
		for _, name := range f.Names {
			out, err := name.Append(nil, &x.filling)
			if err != nil {
				x.failLine(e, err.Error())
				return
			}
			path = append(path, string(out))
		}
		if x.filling.Open {
			continue // nothing can have been called so
		}
		was := strings.Join(path, "/")
		if f.Path && len(path) == 1 {
			was += "/"
		}
		if x.was == nil {
			x.was = map[*tree.Node][]string{}
		}
		x.was[n] = append(x.was[n], was)
	}
}

func (x *expander) node() *tree.Node {
	if len(x.slab) == 0 {
		x.slab = make([]tree.Node, min(256, max(4, x.expected-x.made)))
	}
	n := &x.slab[0]
	x.slab = x.slab[1:]
	return n
}

// text returns a name as a text. Projects of one template hold the same names
// again and again, and need not hold them each on its own.
func (x *expander) text(name []byte, line int) string {
	if x.recent == nil {
		x.recent = new([256]string)
	}
	known := &x.recent[(line*7+len(name)+int(name[0])+int(name[min(1, len(name)-1)])*3)%len(x.recent)]
	if *known != string(name) {
		*known = string(name)
	}
	return *known
}

func (x *expander) add(parent, n *tree.Node) error {
	if x.made++; x.made > x.limit {
		return &LimitError{x.limit, x.made}
	}
	if parent.Children == nil {
		parent.Children = make([]*tree.Node, 0, x.room)
	}
	parent.Children = append(parent.Children, n)
	return nil
}

// unfit says why a name can stand on no system. What only some systems refuse
// is a matter of the rules.
func unfit(name []byte) error {
	switch {
	case len(bytes.TrimSpace(name)) == 0:
		return errors.New("this name would be empty")
	case len(bytes.Trim(name, ".")) == 0:
		return fmt.Errorf("\"%s\" cannot be a name: it is only dots", name)
	case len(name) > 255:
		r := []rune(string(name))
		return fmt.Errorf("this name would have %d characters (%d bytes): “%s…”; no system takes more than 255 bytes", len(r), len(name), string(r[:min(40, len(r))]))
	}
	return nil
}
