package draft

import (
	"slices"
	"strings"
	"unicode"

	"vestibula/core/outline"
	"vestibula/core/tree"
)

// A shared branch is a part of the outline that several lines use.
type shared struct {
	name string
	kids []*line
}

// leastPart is how many lines a branch has that is worth a part.
const leastPart = 2

// parts makes one part of branches that lie in several places, of the largest first.
func (l *learner) parts(root *line) (list []shared) {
	for {
		places := map[string][]*line{}
		size := map[string]int{}
		var walk func(ln *line) int
		walk = func(ln *line) int {
			n := 0
			for _, k := range ln.kids {
				n += 1 + walk(k)
			}
			if n >= leastPart && ln != root {
				var b strings.Builder
				body(&b, ln.kids, 0)
				places[b.String()] = append(places[b.String()], ln)
				size[b.String()] = n
			}
			return n
		}
		walk(root)
		best := ""
		for _, text := range sortedKeys(places) {
			if len(places[text]) > 1 && (best == "" || size[text] > size[best]) {
				best = text
			}
		}
		if best == "" {
			return list
		}
		name := l.free(singular(slugOf(places[best][0].name)))
		list = append(list, shared{name, places[best][0].kids})
		for _, ln := range places[best] {
			ln.kids = nil
			ln.clauses = append(ln.clauses, "use: "+name)
		}
	}
}

// write is the text of the template.
func (l *learner) write(title string, root *line, parts []shared) string {
	var b strings.Builder
	b.WriteString("---\ntitle: " + outline.Quoted(title) + "\n")
	if len(l.fields) > 0 {
		b.WriteString("fields:\n")
		for _, f := range l.fields {
			b.WriteString("  " + f.name + ": " + l.declared(f) + "\n")
		}
	}
	if len(l.names) > 0 {
		b.WriteString("names:\n")
		for _, c := range l.names {
			b.WriteString("  " + c.name + ": " + c.declared() + "\n")
		}
	}
	b.WriteString("---\n")
	for _, d := range l.doubts {
		b.WriteString("// " + remark(d) + "\n")
	}
	for _, p := range parts {
		b.WriteString(p.name + ":\n")
		body(&b, p.kids, 1)
		b.WriteByte('\n')
	}
	body(&b, []*line{root}, 0)
	return b.String()
}

// body writes lines, indented, their clauses one below the other.
func body(b *strings.Builder, list []*line, depth int) {
	indent := strings.Repeat("    ", depth)
	names, widest := make([]string, len(list)), 0
	for i, ln := range list {
		names[i] = ln.written()
		if len(ln.clauses) > 0 {
			widest = max(widest, min(len([]rune(names[i])), 40))
		}
	}
	for i, ln := range list {
		b.WriteString(indent + names[i])
		if len(ln.clauses) > 0 {
			b.WriteString(strings.Repeat(" ", max(0, widest-len([]rune(names[i])))))
		}
		for _, c := range ln.clauses {
			b.WriteString(" | " + c)
		}
		b.WriteByte('\n')
		body(b, ln.kids, depth+1)
	}
}

// written is the name of a line as it stands in the outline: a folder is one for everybody
// who reads it, and a file without an ending as well.
func (ln *line) written() string {
	ending := tree.Extension(strings.ReplaceAll(ln.name, "\x00", ""))
	switch {
	case ln.folder && ln.name == "---": // would be the fence of a header
		return ln.name + "/"
	case ln.folder && (len(ln.kids) == 0 && !slices.ContainsFunc(ln.clauses, func(c string) bool { return strings.HasPrefix(c, "use:") }) && (ending != "" || ambiguous(ln.name))):
		return ln.name + "/"
	case !ln.folder && ending == "" && !slices.Contains(ln.clauses, "blank"):
		ln.clauses = append(ln.clauses, "blank")
	}
	return ln.name
}

// ambiguous reports whether a name could be a part's, at the top of an outline.
func ambiguous(name string) bool { return strings.Contains(name, ".") }

// declared is what the header says of a field.
func (l *learner) declared(f *field) string {
	ask := outline.Question(f.name)
	example := ""
	if i := slices.IndexFunc(f.values, func(v string) bool { return v != "" && !strings.ContainsAny(v, "{}[]") }); i >= 0 {
		example = ", example: " + outline.Quoted(f.values[i])
	}
	switch f.kind {
	case "text":
		return "{ ask: " + outline.Quoted(ask) + example + " }"
	case "choice":
		return "{ ask: " + outline.Quoted(ask) + ", of: [" + quotedList(f.of) + "] }"
	case "term":
		return "{ ask: " + outline.Quoted(ask) + ", type: term, of: [" + quotedList(f.of) + "]" + strings.ReplaceAll(example, `"`, "") + " }"
	case "yes-no":
		return "{ ask: " + outline.Quoted(ask) + ", type: yes-no, default: no }"
	case "list":
		example = ""
		if i := slices.IndexFunc(f.lists, func(v []string) bool { return len(v) > 0 && !strings.ContainsAny(strings.Join(v, ""), "{}[]") }); i >= 0 {
			example = ", example: [" + quotedList(f.lists[i]) + "]"
		}
		return "{ ask: " + outline.Quoted(ask) + ", type: list" + example + " }"
	case "number":
		return "{ ask: " + outline.Quoted(ask) + ", type: number, min: 0" + strings.ReplaceAll(example, `"`, "") + " }"
	}
	return "{ ask: " + outline.Quoted(ask) + ", type: " + f.kind + strings.ReplaceAll(example, `"`, "") + " }"
}

// declared is what the header says of a convention.
func (c *convention) declared() string {
	if len(c.own) == 0 && len(c.endings) == 0 {
		return outline.Quoted(c.pattern)
	}
	text := "{ pattern: " + outline.Quoted(c.pattern)
	if len(c.own) > 0 {
		var own []string
		for _, f := range c.own {
			switch {
			case len(f.of) > 0:
				own = append(own, f.name+": { of: ["+quotedList(f.of)+"] }")
			case f.none:
				own = append(own, f.name+": { default: \"\" }")
			case f.next:
				own = append(own, f.name+": { type: number, next: yes }")
			default:
				own = append(own, f.name+": { type: number }")
			}
		}
		text += ", fields: { " + strings.Join(own, ", ") + " }"
	}
	if len(c.endings) > 0 {
		text += ", for: [" + quotedList(c.endings) + "]"
	}
	return text + " }"
}

func quotedList(list []string) string {
	var out []string
	for _, s := range list {
		out = append(out, outline.Quoted(s))
	}
	return strings.Join(out, ", ")
}

// remark is a text that holds names from a disk, as it can stand in a line of a template.
func remark(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || r == unicode.ReplacementChar {
			return '-'
		}
		return r
	}, strings.ToValidUTF8(text, "-"))
}
