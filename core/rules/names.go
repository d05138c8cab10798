package rules

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/value"
)

// usualText is how long a text without a `max` is taken to be, in characters,
// when the longest name of a convention is worked out.
const usualText = 80

// Conventions proves what holds for the naming conventions of a template, for
// all values: that a name can be read in one way only, that no name fits two
// conventions of one folder, that names sort by their first date or number, and
// that they cannot become too long. The findings are of the rule "names".
func Conventions(t *template.Template) []Finding {
	var found []Finding
	budget := pattern.NewBudget()
	var open []*template.Convention // of which it was not decided, for the budget was used up
	for _, c := range t.Names {
		report := func(severity Severity, message Message, help string) {
			found = append(found, Finding{Rule: "names", Severity: severity, Line: c.Pos.Line, Column: c.Pos.Column, Width: c.Width, Message: message, Help: help})
		}
		if !ambiguity(c, budget, &found) {
			open = append(open, c)
		}
		if order := c.Pattern.Sorts(func(name string) bool { return t.Field(name) != nil }); order != nil {
			severity := Warning
			if order.Grouped {
				severity = Advice
			}
			report(severity, say("%s", order.Message), order.Help)
		}
		if n := c.Pattern.Longest(usualText); n > 255 {
			report(Warning, say("a name of “%s” can have %d characters; systems take 255", c.Name, n), "give the long texts a `max`")
		}
	}
	for _, row := range t.Shared() {
		for i, c := range row {
			for _, d := range row[i+1:] {
				if !overlap(c, d, budget, func(f Finding) { found = append(found, f) }) && !slices.Contains(open, d) {
					open = append(open, d)
				}
			}
		}
	}
	if len(open) > 0 {
		names := "“" + open[0].Name + "”"
		if n := len(open) - 1; n > 0 {
			names += fmt.Sprintf(" and of %d more", n)
		}
		found = append(found, Finding{Rule: "names", Severity: Warning, Line: open[0].Pos.Line, Column: open[0].Pos.Column, Width: open[0].Width,
			Message: say("not decided: whether names of %s can be read in one way only, and as one convention; so many texts side by side can be split in too many ways", names),
			Help:    "give the texts in them forms without spaces, such as <what:like-this>, or fewer of them"})
	}
	return found
}

// ambiguity proves that names of a convention can be read in one way only; it reports false where
// the budget was used up before.
func ambiguity(c *template.Convention, budget *pattern.Budget, found *[]Finding) (decided bool) {
	at := Finding{Rule: "names", Line: c.Pos.Line, Column: c.Pos.Column, Width: c.Width}
	report := func(severity Severity, message Message, help string) {
		f := at
		f.Severity, f.Message, f.Help = severity, message, help
		*found = append(*found, f)
	}
	proof := c.Pattern.Unambiguous(budget)
	switch proof.Verdict {
	case pattern.Fails:
		one, other, fields := readings(c, proof)
		source := c.Pattern.Pattern.Source
		for _, name := range fields {
			if i := strings.Index(source, "<"+name); i >= 0 {
				width := strings.IndexByte(source[i:], '>') + 1
				at.Marks = append(at.Marks, Mark{c.Pos.Column + utf8.RuneCountInString(source[:i]), utf8.RuneCountInString(source[i : i+width])})
			}
		}
		slices.SortFunc(at.Marks, func(a, b Mark) int { return a.Column - b.Column })
		at.Proof = fmt.Sprintf("%s\n  is %s\n  or %s", proof.Name, one, other)
		report(Error, say("names of “%s” can be read in two ways", c.Name), remedy(c, proof))
		at.Marks, at.Proof = nil, ""
	case pattern.Unproven:
		if budget.Spent() {
			return false
		}
		if twice := c.Pattern.Twice(); twice != "" {
			report(Error, say("names of “%s” can be split in two ways, and whether <%s>, which stands twice, tells them apart is not decided", c.Name, twice),
				fmt.Sprintf("let <%s> stand once, or give it a form without spaces, such as <%s:like-this>, with a space behind it", twice, twice))
			return true
		}
		report(Warning, say("it could not be decided whether names of “%s” can be read in one way only", c.Name), "let each text stand once, or give it a form")
	}
	return true
}

// readings writes what two readings say otherwise, client “a”, topic “b c”, below each other,
// and names the slots.
func readings(c *template.Convention, proof pattern.Proof) (one, other string, fields []string) {
	write := func(field, a, b string) {
		if a == b {
			return
		}
		width := max(utf8.RuneCountInString(a), utf8.RuneCountInString(b))
		if one != "" {
			one, other = one+"   ", other+"   "
		}
		one += fmt.Sprintf("%s %-*s", field, width+2, "“"+a+"”")
		other += fmt.Sprintf("%s %-*s", field, width+2, "“"+b+"”")
		if !slices.Contains(fields, field) {
			fields = append(fields, field)
		}
	}
	if a, b := proof.Spans[0], proof.Spans[1]; len(a) == len(b) {
		for i := range a {
			write(a[i].Field, a[i].Text, b[i].Text)
		}
	}
	if len(fields) == 0 { // the slots end in the same places, and yet say two things
		for i := range min(len(proof.First), len(proof.Second)) {
			write(c.Fields[i].Name, proof.First[i].String(), proof.Second[i].String())
		}
	}
	return strings.TrimRight(one, " "), strings.TrimRight(other, " "), fields
}

// remedy says what would make the convention unambiguous: it looks at the first
// slot that the two readings end in different places.
func remedy(c *template.Convention, proof pattern.Proof) string {
	a, b := proof.Spans[0], proof.Spans[1]
	for i := range min(len(a), len(b)) {
		if a[i] == b[i] {
			continue
		}
		field, next := a[i].Field, ""
		if i+1 < len(a) {
			next = a[i+1].Field
		}
		for _, f := range c.Fields {
			if f.Name == field && f.Type.Kind == value.Number {
				return fmt.Sprintf("put a sign such as a hyphen between <%s> and <%s>, or give <%s> a fixed width with `max`: two digits for 00 and max: 99", field, next, field)
			}
		}
		if next == "" {
			break
		}
		return fmt.Sprintf("nothing shows where <%s> ends and <%s> begins: write <%s:like-this>, which holds no space, with a space behind it; or list its values with `of`", field, next, field)
	}
	return "let each slot have a fixed width, such as <day:yyyy-mm-dd>, or put a sign between its parts"
}

// overlap proves that no name fits both of two conventions; it reports false where the budget was
// used up before.
func overlap(c, d *template.Convention, budget *pattern.Budget, report func(Finding)) (decided bool) {
	if len(c.For) > 0 && len(d.For) > 0 {
		common := false
		for _, e := range c.For {
			for _, f := range d.For {
				common = common || e == f
			}
		}
		if !common {
			return true
		}
	}
	proof := c.Pattern.Disjoint(d.Pattern, budget)
	switch proof.Verdict {
	case pattern.Holds:
		return true
	case pattern.Unproven:
		if budget.Spent() {
			return false
		}
		report(Finding{Rule: "names", Severity: Warning, Line: d.Pos.Line, Column: d.Pos.Column, Width: d.Width,
			Message: say("it could not be decided whether a name can fit both “%s” and “%s”, which lie in one folder", c.Name, d.Name),
			Help:    "begin each with a word of its own, or keep them in different folders"})
		return true
	}
	report(Finding{Rule: "names", Severity: Error, Line: d.Pos.Line, Column: d.Pos.Column, Width: d.Width,
		Message: say("“%s” fits both “%s” and “%s”, which lie in one folder", proof.Name, c.Name, d.Name),
		Help:    "begin each with a word of its own, or keep them in different folders"})
	return true
}
