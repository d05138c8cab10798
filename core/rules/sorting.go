package rules

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"vestibula/core/naming"
	"vestibula/core/order"
	"vestibula/core/template"
	"vestibula/core/tree"
)

func sortingRules() []*rule {
	return []*rule{{
		name:  "sorting",
		about: "In each of these lists, siblings stand in the order in which the template has them.",
		why: "A list shows what its program thinks is first. One compares digit by digit and puts 10 before 2; one begins with signs and another passes them by; one takes capitals first. " +
			"Only digits of one width lead everywhere. Without a setting, numbered siblings are held to all of them: " + strings.Join(order.Names(), ", ") + ", " +
			"and so are folders with a sign in front that is to make them lead, and days in front of names. " +
			"Where no template says what is meant, a number that two folders share is told as well: it puts them into no order.",
		set:  "sorting: [natural, code-point]\nsorting: alphabetical",
		bad:  "Commission\n    Part <n:0>   | each: n in 1..12",
		good: "Commission\n    Part <n:00>   | each: n in 1..12",

		schema: map[string]any{"anyOf": []any{map[string]any{"enum": order.Names()},
			map[string]any{"type": "array", "items": map[string]any{"enum": order.Names()}, "minItems": 1}}},
		standard: "[code-point, alphabetical, natural, dictionary, desktop]", configure: sorting,
	}}
}

// A sorter holds the rule sorting against folders.
type sorter struct {
	severity  Severity
	orders    []order.Order
	comparers []*order.Comparer
	all       bool // all siblings, not only numbered ones
	markers   *template.Markers
}

func sorting(c *context) (check, error) {
	s := &sorter{severity: c.severity, all: c.given}
	names := c.setting.Texts()
	for _, name := range names {
		o, ok := order.Named(name)
		if !ok {
			return check{}, unknown("order", name, order.Names())
		}
		s.orders, s.comparers = append(s.orders, o), append(s.comparers, o.Comparer())
	}
	if len(names) == 0 {
		return check{}, fmt.Errorf("needs a list of %s", strings.Join(order.Names(), ", "))
	}
	if c.template != nil {
		s.markers = c.template.Markers()
	}
	return check{folder: s.folder}, nil
}

func (s *sorter) folder(f *Folder, report func(Finding)) {
	if len(f.Node.Children) < 2 {
		return
	}
	for _, kind := range []tree.Kind{tree.Folder, tree.File} {
		if s.all && !f.Real {
			var row []member
			for _, n := range f.Node.Children {
				if n.Kind == kind {
					row = append(row, member{node: n})
				}
			}
			s.row(f, row, report)
			continue
		}
		if quiet(f.Node.Children) {
			continue
		}
		if f.Bare && kind == tree.Folder {
			for _, row := range seriesOf(f, kind, true) {
				if row[0].Front == "" { // “Part 1 notes” and “Part 1 letters” go together
					s.twice(f, row, report)
				}
			}
		}
		if kind == tree.Folder {
			s.marks(f, report)
		}
		dated := s.days(f, kind, report)
		for _, row := range seriesOf(f, kind, false) {
			row = slices.DeleteFunc(row, func(m member) bool { return dated[m.node] })
			if f.Real {
				slices.SortStableFunc(row, func(a, b member) int { return a.Value - b.Value })
			}
			s.row(f, row, report)
		}
	}
}

// marks looks at folders with a sign in front that is to make them lead: it does so in some lists
// and not in others.
func (s *sorter) marks(f *Folder, report func(Finding)) {
	marked := func(n *tree.Node) bool { return strings.IndexByte("_!#~", n.Name[0]) >= 0 }
	for _, n := range f.Node.Children {
		if n.Kind != tree.Folder || !marked(n) || n.Marks&tree.Keep != 0 || s.markers != nil && s.markers.In(n.Name) {
			continue
		}
		var leads, behind []order.Order
		var first *tree.Node
		for i, c := range s.comparers {
			var before *tree.Node
			for _, o := range f.Node.Children {
				if o.Kind == tree.Folder && !marked(o) && (s.markers == nil || !s.markers.In(o.Name)) && c.Compare(o.Name, n.Name) < 0 {
					before = o
					break
				}
			}
			if before == nil {
				leads = append(leads, s.orders[i])
			} else if behind = append(behind, s.orders[i]); first == nil {
				first = before
			}
		}
		if len(leads) == 0 || first == nil {
			continue
		}
		finding := f.finding("sorting", s.severity, n)
		finding.Message = say("%s leads in %s, and stands behind others, such as %s, in %s", shown(n.Name), lists(leads), shown(first.Name), lists(behind))
		finding.Help = signInFront(n)
		report(finding)
	}
}

// signInFront is what to do about a sign that is to sort a name.
func signInFront(n *tree.Node) string {
	return fmt.Sprintf("a sign in front, as in %s, stands in a different place in each list: only digits lead everywhere, 00 for the first and 90 for the last", shown(n.Name))
}

// twice tells where two folders have one number, which puts them into no order. A
// template would say which of them is meant, and its own rules tell that.
func (s *sorter) twice(f *Folder, row []member, report func(Finding)) {
	first := map[int]member{}
	for _, m := range row {
		before, twice := first[m.Value]
		if !twice {
			first[m.Value] = m
			continue
		}
		finding := f.finding("sorting", s.severity, m.node)
		finding.Message = say("the number %s stands twice: %s and %s", m.Digits, shown(before.node.Name), shown(m.node.Name))
		finding.Help = "give one of them the next free number"
		report(finding)
	}
}

// quiet reports, for the frequent case, that all children begin with digits of
// one width, which rise: no list can disagree with that.
func quiet(children []*tree.Node) bool {
	before := ""
	for _, n := range children {
		i := 0
		for i < len(n.Name) && isDigit(n.Name[i]) {
			i++
		}
		if i == 0 || i == len(n.Name) || before != "" && (len(before) != i || before >= n.Name[:i]) || n.Name[i] >= 0x80 {
			return false
		}
		before = n.Name[:i]
	}
	return true
}

// row looks at siblings in the order in which they are meant. It tells each
// place where a list turns two neighbours around once, with all lists that do.
func (s *sorter) row(f *Folder, row []member, report func(Finding)) {
	for i := 1; i < len(row); i++ {
		a, b := row[i-1].node, row[i].node
		if a.Marks&b.Marks&tree.Keep != 0 {
			continue // somebody else named both
		}
		if !s.all && sameNumber(a, b) {
			continue // their numbers put them into no order
		}
		if (s.markers == nil || !s.markers.In(a.Name) && !s.markers.In(b.Name)) && decidedByFirst(a.Name, b.Name) || f.Real && !s.all && row[i-1].Value == row[i].Value {
			continue
		}
		if finding, wrong := s.pair(f, s.overtaken(row[:i], b), b); wrong {
			report(finding)
			if a.From == b.From {
				return // one series, one finding
			}
		}
	}
}

// sameNumber reports whether two names have the same number or date in front.
func sameNumber(a, b *tree.Node) bool {
	front := func(n *tree.Node) string {
		before, _, _ := strings.Cut(n.Name, tree.Bare(n))
		return before
	}
	return front(a) != "" && front(a) == front(b)
}

// overtaken returns the first of the siblings before b that most lists show
// behind it: Part 10 comes before Part 9, but what people see is that it comes
// before Part 2. Where there is none, it is the one directly before.
func (s *sorter) overtaken(before []member, b *tree.Node) *tree.Node {
	best, most := before[len(before)-1].node, 0
	if s.markers != nil && s.markers.In(b.Name) {
		return best
	}
	for _, m := range before[max(0, len(before)-100):] {
		if m.node.Marks&b.Marks&tree.Keep != 0 || s.markers != nil && s.markers.In(m.node.Name) {
			continue
		}
		lists := 0
		for _, c := range s.comparers {
			if c.Compare(m.node.Name, b.Name) > 0 {
				lists++
			}
		}
		if lists > most {
			best, most = m.node, lists
		}
	}
	return best
}

// decidedByFirst reports whether a stands before b in every list, because they
// first differ in a digit of runs of one length, or in ASCII letters of one case.
func decidedByFirst(a, b string) bool {
	i := 0
	for i < len(a) && i < len(b) && a[i] == b[i] {
		if a[i] >= 0x80 {
			return false
		}
		i++
	}
	if i == len(a) || i == len(b) || a[i] > b[i] {
		return false
	}
	if a[i] >= 'a' && b[i] <= 'z' || a[i] >= 'A' && b[i] <= 'Z' {
		return true
	}
	if !isDigit(a[i]) || !isDigit(b[i]) {
		return false
	}
	runA, runB := i, i
	for runA < len(a) && isDigit(a[runA]) {
		runA++
	}
	for runB < len(b) && isDigit(b[runB]) {
		runB++
	}
	return runA == runB
}

// pair says in which lists b stands before a, although a is meant to come first.
func (s *sorter) pair(f *Folder, a, b *tree.Node) (Finding, bool) {
	finding := f.finding("sorting", s.severity, b)
	if s.markers != nil && (s.markers.In(a.Name) || s.markers.In(b.Name)) {
		return s.symbolic(finding, a, b)
	}
	var wrong []order.Order
	for i, c := range s.comparers {
		if c.Compare(a.Name, b.Name) > 0 {
			wrong = append(wrong, s.orders[i])
		}
	}
	if len(wrong) == 0 {
		return finding, false
	}
	stands := "would stand"
	if f.Real {
		stands = "stands"
	}
	finding.Message = say("%s %s before %s in %s", shown(b.Name), stands, shown(a.Name), lists(wrong))
	finding.Help = s.remedy(f, a, b)
	return finding, true
}

// lists names orders with what sorts so.
func lists(orders []order.Order) string {
	if len(orders) == len(order.All()) {
		return "every list"
	}
	parts := make([]string, len(orders))
	for i, o := range orders {
		parts[i] = fmt.Sprintf("%s (%s)", o.Lists(), o)
	}
	if n := len(parts); n > 1 {
		return strings.Join(parts[:n-1], ", ") + " and " + parts[n-1]
	}
	return parts[0]
}

// remedy says what to write so that a comes before b everywhere.
func (s *sorter) remedy(f *Folder, a, b *tree.Node) string {
	long, _ := dayIn(a.Name)
	short, _ := dayIn(b.Name)
	if long != "" && short != "" && (long != short || !long.rises()) {
		return "these are days in two forms: " + oneDayForm
	}
	x, okA := naming.NumberIn(a.Name)
	y, okB := naming.NumberIn(b.Name)
	if okA && okB && x.Front == y.Front && len(x.Digits) != len(y.Digits) {
		width := max(len(strconv.Itoa(x.Value)), len(strconv.Itoa(y.Value)), 2)
		padded := func(n naming.Number) string { return fmt.Sprintf("%s%0*d%s", n.Front, width, n.Value, n.Rest) }
		for _, c := range s.comparers {
			if c.Compare(padded(x), padded(y)) > 0 { // what is behind the number would not stand so either
				return f.advice("write <#> in front of each, and they stay in this order everywhere", "give each a number in front, 01 and so on, and they stay in this order everywhere")
			}
		}
		zeros := strings.Repeat("0", width)
		help := fmt.Sprintf("give all of them %d digits, as in %s", width, padded(x))
		if f.Real {
			return help
		}
		if a.From == b.From {
			return help + fmt.Sprintf(": write :%s behind the slot's name, such as <n:%s> or <#:%s>", zeros, zeros, zeros)
		}
		return help + ", or write <#> instead of the number"
	}
	for _, n := range []*tree.Node{a, b} {
		if strings.IndexAny(n.Name[:1], "_!#~@$-+.(") == 0 || strings.HasPrefix(n.Name, "z_") {
			return signInFront(n)
		}
	}
	return f.advice("write <#> in front of each, and they stay in this order everywhere", "give each a number in front, 01 and so on, and they stay in this order everywhere")
}

// trials are the texts that every slot is tried with: first and last among signs,
// digits, letters of both cases, accents and other scripts. Beside these, a slot
// is tried with what stands in the other name, and with texts that come just
// before and just behind it: where the order changes with the value, it changes
// there.
var trials = []string{"Aa", "Zz", "aa", "zz", "3M", "Éé", "aA", "Aa Zz", "zz aa", "0", "1", "9", "10", "99", "a1", "a 1", "1a", "_a", "!a", "(a)", "本"}

// bordering returns texts that sort directly around the words of a name.
func bordering(name string) []string {
	var list []string
	words := strings.Fields(name)
	for i, w := range words {
		head := string([]rune(w)[:1])
		list = append(list, strings.Join(words[i:], " "), w, w+"0", w+"z", w+" 0", w+" z", head, head+"0", head+"0 0", head+"z", head+"Z")
	}
	return list
}

// symbolic decides the order of two names that hold slots whose texts can be
// anything. Only what is proven is called so; an example holds in just the lists that are
// named with it.
func (s *sorter) symbolic(finding Finding, a, b *tree.Node) (Finding, bool) {
	pieces := func(n *tree.Node) (list []order.Piece) {
		for _, p := range s.markers.Parts(n.Name) {
			list = append(list, order.Piece{Text: p.Text, Slot: p.Slot})
		}
		return list
	}
	x, y := pieces(a), pieces(b)
	var never, open []int
	for i, o := range s.orders {
		switch o.Decide(x, y) {
		case order.After:
			never = append(never, i)
		case order.Undecided:
			open = append(open, i)
		}
	}
	if len(never)+len(open) == 0 {
		return finding, false
	}
	named := func(list []int) string {
		orders := make([]order.Order, len(list))
		for k, i := range list {
			orders[k] = s.orders[i]
		}
		return lists(orders)
	}
	first, second := shown(s.markers.Show(a.Name)), shown(s.markers.Show(b.Name))
	finding.Path = s.markers.Show(finding.Path)
	finding.Help = "write <#> in front of each, and they stay in this order everywhere"
	switch broken, example := s.breaks(a, b, open); {
	case len(never) > 0:
		finding.Message = say("%s would stand before %s in %s, whatever the values are", second, first, named(never))
	case len(broken) > 0:
		finding.Message = say("whether %s stands before %s depends on the values: with %s it does not, in %s", first, second, example, named(broken))
	default:
		finding.Message = say("whether %s stands before %s depends on the values, in %s", first, second, named(open))
	}
	return finding, true
}

// maxTrials is how many sets of values are tried for an example.
const maxTrials = 10_000

// breaks looks for values that fields take with which b stands before a in some of the
// lists, in as many as can be; they are given by their numbers.
func (s *sorter) breaks(a, b *tree.Node, open []int) (broken []int, example string) {
	slots := s.markers.Of(a.Name, b.Name)
	texts := make([][]string, len(slots))
	all := slices.Concat(trials, bordering(s.markers.Fill(a.Name, nil)), bordering(s.markers.Fill(b.Name, nil)))
	combinations := 1
	for k, slot := range slots {
		for _, text := range all {
			if !slices.Contains(texts[k], text) && s.markers.Takes(slot, text, a.Name, b.Name) {
				texts[k] = append(texts[k], text)
			}
		}
		if len(texts[k]) == 0 {
			return nil, ""
		}
		combinations = min(combinations*len(texts[k]), maxTrials*maxTrials)
	}
	values := map[int]string{}
	for n := range min(combinations, maxTrials) {
		at := n
		if combinations > maxTrials { // spread over all of them
			at = int(uint64(n) * uint64(combinations) / maxTrials)
		}
		for k, slot := range slots {
			values[slot] = texts[k][at%len(texts[k])]
			at /= len(texts[k])
		}
		x, y := s.markers.Fill(a.Name, values), s.markers.Fill(b.Name, values)
		if x == y {
			continue
		}
		var wrong []int
		for _, i := range open {
			if s.comparers[i].Compare(x, y) > 0 {
				wrong = append(wrong, i)
			}
		}
		if len(wrong) > len(broken) {
			broken, example = wrong, s.example(slots, values)
			if len(broken) == len(open) {
				break
			}
		}
	}
	return broken, example
}

func (s *sorter) example(slots []int, values map[int]string) string {
	parts := make([]string, len(slots))
	for i, r := range slots {
		parts[i] = s.markers.Name(r) + " = " + shown(values[r])
	}
	return strings.Join(parts, " and ")
}
