package guide

import (
	"fmt"
	"regexp"
	"strings"
	"sync"

	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// writeConventions writes each convention, with what its parts are.
func (p *Page) writeConventions(b *strings.Builder) {
	for i, c := range p.Conventions {
		if i > 0 {
			b.WriteByte('\n')
		}
		fmt.Fprintf(b, "**%s**: %s", plain(c.Name), code(c.Example))
		if len(c.Places) > 0 {
			var places []string
			for _, at := range c.Places {
				places = append(places, code(at))
			}
			fmt.Fprintf(b, " in %s", strings.Join(places, ", "))
		}
		fmt.Fprintf(b, "\n\n| %s | %s |\n|---|---|\n", p.Say("part"), p.Say("what it is"))
		for _, s := range c.Slots {
			if s.Slot != "" {
				fmt.Fprintf(b, "| %s | %s |\n", code(s.Text), cell(s.Meaning))
			}
		}
	}
}

// Markdown is several pages as one text, below a title; of one alone it is that.
func Markdown(title string, pages []*Page) string {
	if len(pages) == 1 {
		return pages[0].Markdown()
	}
	texts := []string{"# " + plain(title) + "\n"}
	for _, p := range pages {
		texts = append(texts, p.Markdown())
	}
	return strings.Join(texts, "\n")
}

// Markdown is the page as a text that also reads as it is.
func (p *Page) Markdown() string {
	var b strings.Builder
	section := func(title string) { fmt.Fprintf(&b, "\n## %s\n\n", p.Say(title)) }
	fmt.Fprintf(&b, "# %s\n", plain(p.Title))
	if p.About != "" {
		fmt.Fprintf(&b, "\n%s\n", plain(p.About))
	}
	section("What goes where")
	b.WriteString("```text\n" + p.Drawing() + "```\n")
	if len(p.Places) > 0 {
		fmt.Fprintf(&b, "\n| %s | %s |\n|---|---|\n", p.Say("what"), p.Say("goes to"))
		for _, x := range p.Places {
			note := ""
			if x.Note != "" {
				note = " (" + cell(x.Note) + ")"
			}
			fmt.Fprintf(&b, "| %s%s | %s |\n", cell(x.What), note, code(x.Where))
		}
	}
	if len(p.Conventions) > 0 {
		section("What to call it")
		p.writeConventions(&b)
	}
	if len(p.Codes) > 0 {
		section("What the codes mean")
		for i, c := range p.Codes {
			if i > 0 {
				b.WriteByte('\n')
			}
			fmt.Fprintf(&b, "| %s | %s |\n|---|---|\n", cell(c.Field), p.Say("meaning"))
			for _, o := range c.Codes {
				fmt.Fprintf(&b, "| %s | %s |\n", code(o[0]), cell(o[1]))
			}
		}
	}
	if len(p.Due) > 0 {
		section("What is to be delivered")
		fmt.Fprintf(&b, "| %s | %s | %s |\n|---|---|---|\n", p.Say("what"), p.Say("by"), p.Say("points"))
		for _, d := range p.Due {
			points := ""
			if d.Worth > 0 {
				points = fmt.Sprint(d.Worth)
			}
			fmt.Fprintf(&b, "| %s | %s | %s |\n", code(d.Path), cell(d.Day), points)
		}
	}
	if len(p.Rules) > 0 {
		section("What we keep to")
		for _, r := range p.Rules {
			fmt.Fprintf(&b, "- %s %s\n", plain(r.Says), plain(r.Why))
		}
	}
	if len(p.Fixed) > 0 {
		section("What is never renamed")
		for _, f := range p.Fixed {
			fmt.Fprintf(&b, "- %s\n", code(f))
		}
	}
	return b.String()
}

// Drawing is the tree as text, with what each thing is for beside it.
func (p *Page) Drawing() string {
	names, wide := make([]string, len(p.Tree)), 0
	for i, r := range p.Tree {
		names[i] = strings.Repeat("    ", r.Depth+1) + r.Name
		if r.Folder {
			names[i] += "/"
		}
		if r.More > 0 {
			names[i] = strings.Repeat("    ", r.Depth+1) + "… " + r.Name
		}
		wide = max(wide, min(len([]rune(names[i])), 44))
	}
	var b strings.Builder
	b.WriteString(p.Own + "/\n")
	for i, r := range p.Tree {
		b.WriteString(names[i])
		if note := p.Beside(r); note != "" {
			b.WriteString(strings.Repeat(" ", max(wide-len([]rune(names[i])), 0)+3) + note)
		}
		b.WriteByte('\n')
	}
	return b.String()
}

// Beside is what stands beside a line of the tree.
func (p *Page) Beside(r Row) string {
	var parts []string
	if r.More > 0 {
		return p.Say("and %d between, the same", r.More)
	}
	if r.Note != "" {
		parts = append(parts, r.Note)
	}
	if r.Holds != "" {
		parts = append(parts, p.Say("for %s", r.Holds))
	}
	if r.State != "" {
		parts = append(parts, r.State)
	}
	return strings.Join(parts, "; ")
}

// markdownSigns are the signs that mean something in Markdown, or as HTML in it, and in an address that a program
// makes a link of.
var markdownSigns = strings.NewReplacer(`\`, `\\`, "<", "&lt;", ">", "&gt;", "&", "&amp;", "*", `\*`, "_", `\_`, "`", "\\`", "[", `\[`, "]", `\]`, "#", `\#`, "|", `\|`, "~", `\~`, "!", `\!`, "://", `:\//`, "www.", `www\.`)

// leading is what makes a list, a quotation or a line of a text that begins with it.
var leading = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^(\d{0,9})([-+=.)])(\s|$)`) })

// plain is a text in Markdown that means nothing but itself.
func plain(s string) string {
	s = markdownSigns.Replace(oneLine(s))
	return leading().ReplaceAllString(s, `$1\$2$3`)
}

// cell is a text for a cell of a table.
func cell(s string) string { return plain(s) }

// code is a text as it is written, in Markdown.
func code(s string) string {
	s = strings.ReplaceAll(oneLine(s), "|", `\|`)
	if strings.Contains(s, "`") {
		return "`` " + s + " ``"
	}
	return "`" + s + "`"
}

// Text is the page as the files of a template with the clause hold it.
func Text(t *template.Template, own *tree.Node, values template.Values, due map[*tree.Node]value.Value) string {
	return Of(t, own, values, due).Markdown()
}
