package template

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"vestibula/core/tree"
	"vestibula/core/value"
)

// maxGuide is how many lines of the tree a guide shows.
const maxGuide = 300

// guides gives the files with `guide` what they hold, when the tree is whole.
func (x *expander) guides(root *tree.Node) {
	if len(x.guiding) == 0 {
		return
	}
	_, own := x.t.Own(root)
	text := tree.Bytes(x.t.guide(own, x.env))
	for _, n := range x.guiding {
		n.Content = text
	}
}

// guide writes the page of a template for those who join, in Markdown: what goes where,
// how files are named, and what codes mean.
func (t *Template) guide(own *tree.Node, env []value.Value) string {
	var b strings.Builder
	fmt.Fprintf(&b, "# %s\n", plainText(t.Heading()))
	if t.About != "" {
		fmt.Fprintf(&b, "\n%s\n", plainText(t.About))
	}
	b.WriteString("\n## What goes where\n\n```text\n")
	t.guideTree(&b, own)
	b.WriteString("```\n")
	t.guideNames(&b, env)
	t.guideCodes(&b)
	return b.String()
}

// guideTree draws what lies in the project, with what each thing is for.
func (t *Template) guideTree(b *strings.Builder, own *tree.Node) {
	type line struct{ name, note string }
	var lines []line
	told := map[int32]bool{}
	var walk func(n *tree.Node, indent string)
	walk = func(n *tree.Node, indent string) {
		for _, c := range n.Children {
			name, note := indent+c.Name, ""
			if c.Kind == tree.Folder {
				name += "/"
			}
			if l := t.LineOf(c); l != nil && !told[c.From] {
				told[c.From] = true
				note = t.guideNote(l, c)
			}
			lines = append(lines, line{name, note})
			walk(c, indent+"    ")
		}
	}
	walk(own, "")
	wide := 0
	for _, l := range lines[:min(len(lines), maxGuide)] {
		wide = max(wide, utf8.RuneCountInString(l.name))
	}
	for i, l := range lines {
		if i == maxGuide {
			fmt.Fprintf(b, "… and %d more\n", len(lines)-i)
			return
		}
		b.WriteString(l.name)
		if l.note != "" {
			b.WriteString(strings.Repeat(" ", wide-utf8.RuneCountInString(l.name)+3) + l.note)
		}
		b.WriteByte('\n')
	}
}

func (t *Template) guideNote(l *Line, n *tree.Node) string {
	var parts []string
	if l.Note != "" {
		parts = append(parts, l.Note)
	}
	if l.HoldsAnything() {
		parts = append(parts, "holds "+l.HoldsText())
	}
	if n.Marks&tree.Due != 0 {
		due := "to be delivered"
		if clause, _ := l.Syntax.Clause("due"); clause.Text != "" {
			due += " by " + clause.Text
		}
		if l.Worth > 0 {
			due += fmt.Sprintf(" (%d points)", l.Worth)
		}
		parts = append(parts, due)
	}
	if n.Marks&tree.Later != 0 {
		parts = append(parts, "made when it is needed")
	}
	return strings.Join(parts, "; ")
}

// guideNames writes how files are named, with an example for each convention.
func (t *Template) guideNames(b *strings.Builder, env []value.Value) {
	if len(t.Names) == 0 {
		return
	}
	b.WriteString("\n## How files are named\n\n| what | pattern | for example |\n|---|---|---|\n")
	for _, c := range t.Names {
		example, _, err := c.Pattern.Write(func(slot string) value.Value {
			for i, f := range t.Fields {
				if f.Name == slot && i < len(env) && env[i].Given() && !env[i].Empty() {
					return env[i]
				}
			}
			for _, f := range c.Fields {
				if f.Name == slot {
					return f.Type.Specimen(f.Name, value.OfDate(time.Date(2027, 3, 9, 0, 0, 0, 0, time.UTC)))
				}
			}
			return value.Value{}
		}, 2)
		if err != nil {
			example = ""
		}
		if len(c.For) > 0 {
			example += "." + c.For[0]
		}
		fmt.Fprintf(b, "| %s | `%s` | `%s` |\n", c.Name, cell(c.Pattern.Pattern.Source), cell(example))
	}
}

// guideCodes writes what the codes of fields mean.
func (t *Template) guideCodes(b *strings.Builder) {
	fields := slices.Clone(t.Fields)
	for _, c := range t.Names {
		for _, f := range c.Fields {
			if !slices.Contains(fields, f) {
				fields = append(fields, f)
			}
		}
	}
	begun := false
	for _, f := range fields {
		for _, o := range f.Type.Of {
			if o.Meaning == "" || f.Borrowed {
				continue
			}
			if !begun {
				begun = true
				b.WriteString("\n## What the codes mean\n\n| where | code | meaning |\n|---|---|---|\n")
			}
			fmt.Fprintf(b, "| %s | `%s` | %s |\n", f.Name, cell(o.Code), cell(o.Meaning))
		}
	}
}

// cell makes a text fit for a cell of a Markdown table.
func cell(s string) string { return strings.ReplaceAll(plainText(s), "|", `\|`) }

// plainText makes a text one line.
func plainText(s string) string { return strings.Join(strings.Fields(s), " ") }
