package rules

import (
	"fmt"
	"strings"

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
	for _, c := range t.Names {
		report := func(severity Severity, message, help string) {
			found = append(found, Finding{Rule: "names", Severity: severity, Line: c.Pos.Line, Column: c.Pos.Column, Width: c.Width, Message: message, Help: help})
		}
		ambiguity(c, report)
		if order := c.Pattern.Sorts(func(name string) bool { return t.Field(name) != nil }); order != nil {
			severity := Warning
			if order.Grouped {
				severity = Advice
			}
			report(severity, order.Message, order.Help)
		}
		if n := c.Pattern.Longest(usualText); n > 255 {
			report(Warning, fmt.Sprintf("a name of “%s” can have %d characters; systems take 255", c.Name, n), "give the long texts a `max`")
		}
	}
	for _, row := range t.Shared() {
		for i, c := range row {
			for _, d := range row[i+1:] {
				overlap(c, d, func(f Finding) { found = append(found, f) })
			}
		}
	}
	return found
}

func ambiguity(c *template.Convention, report func(Severity, string, string)) {
	proof := c.Pattern.Unambiguous()
	switch proof.Verdict {
	case pattern.Fails:
		first, second := spans(proof.Spans[0]), spans(proof.Spans[1])
		if first == second { // the slots end in the same places, and yet say two things
			first, second = values(c, proof.First), values(c, proof.Second)
		}
		report(Error, fmt.Sprintf("names of “%s” can be read in two ways", c.Name),
			fmt.Sprintf("“%s” is %s\nor it is %s\n%s", proof.Name, first, second, remedy(c, proof)))
	case pattern.Unproven:
		if twice := c.Pattern.Twice(); twice != "" {
			report(Error, fmt.Sprintf("names of “%s” can be split in two ways, and whether <%s>, which stands twice, tells them apart is not decided", c.Name, twice),
				fmt.Sprintf("let <%s> stand once, or give it a picture without spaces, such as <%s:like-this>, with a space behind it", twice, twice))
			return
		}
		report(Warning, fmt.Sprintf("it could not be decided whether names of “%s” can be read in one way only", c.Name), "let each text stand once, or give it a picture")
	}
}

// spans writes a reading: client = “a”, topic = “b c”.
func spans(list []pattern.Span) string {
	parts := make([]string, len(list))
	for i, s := range list {
		parts[i] = fmt.Sprintf("%s = “%s”", s.Field, s.Text)
	}
	return strings.Join(parts, ", ")
}

func values(c *template.Convention, list []value.Value) string {
	parts := make([]string, len(list))
	for i, v := range list {
		parts[i] = fmt.Sprintf("%s = “%s”", c.Fields[i].Name, v)
	}
	return strings.Join(parts, ", ")
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
		return fmt.Sprintf("between <%s> and <%s> stands nothing that <%s> cannot hold: write <%s:like-this>, which holds no space, with a space behind it; or give it a list of values with `of`", field, next, field, field)
	}
	return "let each slot have a fixed width, such as <day:yyyy-mm-dd>, or put a sign between its parts"
}

func overlap(c, d *template.Convention, report func(Finding)) {
	if len(c.For) > 0 && len(d.For) > 0 {
		common := false
		for _, e := range c.For {
			for _, f := range d.For {
				common = common || e == f
			}
		}
		if !common {
			return
		}
	}
	proof := c.Pattern.Disjoint(d.Pattern)
	switch proof.Verdict {
	case pattern.Holds:
		return
	case pattern.Unproven:
		report(Finding{Rule: "names", Severity: Warning, Line: d.Pos.Line, Column: d.Pos.Column, Width: d.Width,
			Message: fmt.Sprintf("it could not be decided whether a name can fit both “%s” and “%s”, which lie in one folder", c.Name, d.Name),
			Help:    "begin each with a word of its own, or keep them in different folders"})
		return
	}
	report(Finding{Rule: "names", Severity: Error, Line: d.Pos.Line, Column: d.Pos.Column, Width: d.Width,
		Message: fmt.Sprintf("“%s” fits both “%s” and “%s”, which lie in one folder", proof.Name, c.Name, d.Name),
		Help:    "begin each with a word of its own, or keep them in different folders"})
}
