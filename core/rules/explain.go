package rules

import (
	"fmt"
	"strings"
)

// A Page explains a rule.
type Page struct {
	Name     string
	About    string // one sentence: what must hold
	Why      string
	Setting  string // one example in each line
	Bad      string // a template that breaks the rule
	Good     string // and one that keeps it
	Standard string // the setting where a template has none, or empty
	Real     bool   // it is about real folders alone: Bad is one, and Good its template
}

// always are the pages of what is checked without being a rule that can be set.
var always = map[string]Page{
	"same-name": {
		Name: "same-name", About: "No two neighbours have one name, not even in other capitals or accents written with other codes.",
		Why: "Windows and macOS take Notes and notes for one name, and some drives é for é: one of two folders would vanish in the other.",
		Bad: "Commission\n    Notes\n    notes", Good: "Commission\n    Notes\n    Letters",
	},
	"names": {
		Name: "names", About: "A name of a naming convention can be read in one way only, fits no other convention of its folder, sorts by its first date or number, and is not too long.",
		Why: "What can be read in two ways is found under neither, and what does not sort has to be searched. It is proven for all values, not tried with some.",
		Bad: "---\nnames: { note: \"<client> <topic>\" }\n---\nNotes    | holds: note", Good: "---\nnames: { note: \"<client:like-this> <topic>\" }\n---\nNotes    | holds: note",
	},
	"language": {
		Name: "language", About: "The text of the template can be read, and nothing in it looks like a mistake.",
		Why: "An unknown field or clause would be left out of every folder that is built, and nobody would see it.",
		Bad: "Notes <clint>", Good: "---\nfields: { client: Who is it for? }\n---\nNotes <client>",
	},
}

// Explain returns the page of a rule, and whether there is one.
func Explain(name string) (Page, bool) {
	if page, ok := always[name]; ok {
		return page, true
	}
	r := all()[name]
	if r == nil {
		return Page{}, false
	}
	if r.real {
		return Page{r.name, r.about, r.why, r.set, r.bad, r.example(r.good), r.standard, true}, true
	}
	return Page{r.name, r.about, r.why, r.set, r.example(r.bad), r.example(r.good), r.standard, false}, true
}

// example makes a whole template of an example: its first line, behind a #, is
// what stands in the header.
func (r *rule) example(text string) string {
	settings := r.name + ": " + strings.TrimPrefix(strings.SplitN(r.set, "\n", 2)[0], r.name+": ")
	head, rest, _ := strings.Cut(text, "\n")
	head, commented := strings.CutPrefix(head, "# ")
	switch {
	case commented && strings.HasPrefix(head, "names:"):
		return "---\n" + head + "\n---\n" + rest
	case commented:
		return "---\nrules: { " + head + " }\n---\n" + rest
	case r.standard == "" && !r.real:
		return "---\nrules: { " + settings + " }\n---\n" + text
	}
	return text
}

// An Example is a template, or a folder, with its heading.
type Example struct{ Title, Text string }

// Examples are both examples, in the order in which they are read.
func (p *Page) Examples() []Example {
	if p.Real {
		return []Example{{"A template", p.Good}, {"A folder that breaks it", p.Bad}}
	}
	return []Example{{"What breaks it", p.Bad}, {"What keeps it", p.Good}}
}

// Markdown writes the page as a document.
func (p *Page) Markdown() string {
	var b strings.Builder
	block := func(title, kind, text string) {
		fmt.Fprintf(&b, "## %s\n\n```%s\n%s\n```\n\n", title, kind, text)
	}
	fmt.Fprintf(&b, "# %s\n\n%s\n\n%s\n\n", p.Name, p.About, p.Why)
	block("How to set it", "yaml", "rules:\n  "+strings.ReplaceAll(p.Setting, "\n", "\n  "))
	for _, e := range p.Examples() {
		block(e.Title, "text", e.Text)
	}
	if p.Standard != "" {
		fmt.Fprintf(&b, "Unless the template sets it, this rule holds with the setting `%s`. ", p.Standard)
	}
	fmt.Fprintf(&b, "Turn it off with `%s: off`.\n", p.Name)
	return b.String()
}
