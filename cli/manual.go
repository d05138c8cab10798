package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"
)

// Manual is the page of the manual for a command, or for the whole, as the Markdown from
// which pages for man are made.
func Manual(c *cobra.Command) string {
	var b strings.Builder
	name := strings.ReplaceAll(c.CommandPath(), " ", "-")
	fmt.Fprintf(&b, "%% \"%s\" \"1\"\n\n# NAME\n\n%s - %s\n\n# SYNOPSIS\n\n    %s\n\n# DESCRIPTION\n\n%s\n", strings.ToUpper(name), name, strings.TrimSuffix(c.Short, "."), usage(c), escaped(c.Long))
	if !c.HasParent() {
		b.WriteString("\n# COMMANDS\n")
		for _, j := range jobs {
			fmt.Fprintf(&b, "\n### %s\n\n", j.name)
			for _, name := range j.commands {
				if sub, _, err := c.Find([]string{name}); err == nil && sub != c {
					fmt.Fprintf(&b, "**%s**\n: %s\n\n", name, escaped(sub.Short))
				}
			}
		}
	}
	b.WriteString("\n# OPTIONS\n\n")
	for _, f := range options(c) {
		row := option(f)
		fmt.Fprintf(&b, "**%s**\n: %s\n\n", strings.TrimSpace(string(row[0])), escaped(string(row[1])))
	}
	fmt.Fprintf(&b, "# EXAMPLES\n\n%s\n", indented(c.Example))
	if !c.HasParent() {
		b.WriteString("\n# FILES\n\n")
		for _, p := range Places {
			fmt.Fprintf(&b, "**%s**\n: %s\n\n", p.Name, escaped(p.Text))
		}
		b.WriteString("# ENVIRONMENT\n\n")
		for _, v := range Variables {
			fmt.Fprintf(&b, "**%s**\n: %s\n\n", v.Name, escaped(v.Text))
		}
	}
	b.WriteString("# EXIT STATUS\n\n**0**\n: done, nothing found, or merely shown\n\n**1**\n: findings, conflicts, refused; errors that check --fix or projects leaves; done with a question or something asked for by name left\n\n**2**\n: a call or an input that cannot be read, or a result that could not be written\n\n")
	others := "**vestibula**(1), **vestibula-language**(7)"
	if !c.HasParent() {
		others = "**vestibula-language**(7)"
		for _, sub := range c.Commands() {
			others += ", **vestibula-" + sub.Name() + "**(1)"
		}
	}
	b.WriteString("# SEE ALSO\n\n" + others + "\n")
	return b.String()
}

func indented(text string) string {
	var b strings.Builder
	for line := range strings.SplitSeq(text, "\n") {
		b.WriteString("    " + strings.TrimPrefix(line, "  ") + "\n")
	}
	return b.String()
}

// escaped is a text in which no sign means anything to Markdown.
func escaped(text string) string {
	return strings.NewReplacer("<", `\<`, "*", `\*`, "_", `\_`, "`", "").Replace(text)
}
