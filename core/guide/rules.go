package guide

import (
	"strings"

	"vestibula/core/template"
	"vestibula/core/value"
)

// rules says in a sentence what each rule asks that the template sets.
func (p *Page) rules(t *template.Template) {
	for _, s := range t.Rules {
		one, known := languages()[p.Language].Rules[s.Name]
		if !known || s.Off() {
			continue
		}
		main, more := p.setting(s.Name, s.Value)
		p.Rules = append(p.Rules, Rule{s.Name, p.sentence(one.Says, main, more), one.Why})
	}
}

// sentence is what a rule asks with the setting that stands in it, and what else is set.
func (p *Page) sentence(says, main string, more []string) string {
	in := main != "" && strings.Contains(says, "{}")
	if in {
		says, main = strings.Replace(says, "{}", main, 1), ""
	}
	says = strings.TrimSuffix(says, ".")
	if main != "" {
		more = append([]string{main}, more...)
	}
	switch {
	case len(more) == 0:
		return says + "."
	case in:
		return says + " (" + strings.Join(more, "; ") + ")."
	}
	return p.Say("%s: %s", says, strings.Join(more, "; ")) + "."
}

// setting says in words what a rule is set to: the number or name that stands in its sentence, and what else is set.
func (p *Page) setting(rule string, n *template.Node) (main string, more []string) {
	switch {
	case n == nil:
		return "", nil
	case n.Kind == template.Scalar:
		if text := n.Text; text != "on" && text != "warn" {
			return text, nil
		}
		return "", nil
	case len(n.List) > 0:
		return strings.Join(n.Texts(), ", "), nil
	}
	for _, pair := range n.Pairs {
		v, inner := p.setting(rule, pair.Value)
		switch {
		case pair.Key == "limit" || pair.Key == "at-most":
			main = v
		case pair.Key == "as":
			more = append(more, p.Say("counted as in a web address"))
		case pair.Key == "under":
			more = append(more, p.Say("below %s", v))
		case pair.Key == "digits":
			more = append(more, p.Say("%s digits", v))
		case pair.Key == "gaps":
			if _, no := value.Says(v); no {
				more = append(more, p.Say("no gaps"))
			}
		case pair.Key == "reserved" || pair.Key == "in":
			for _, r := range pair.Value.Pairs {
				text, _ := p.setting(rule, r.Value)
				if pair.Key == "in" {
					more = append(more, p.Say("in %s at most %s", r.Key, text))
				} else {
					more = append(more, p.Say("%s is kept for %s", r.Key, text))
				}
			}
		case rule == "waiting":
			for _, r := range pair.Value.Pairs {
				if text, _ := p.setting("", r.Value); r.Key == "days" {
					v = text
				}
			}
			if main = v; len(n.Pairs) == 1 {
				more = append(more, pair.Key)
			} else {
				more = append(more, pair.Key+" "+v)
			}
		case rule == "levels":
			more = append(more, p.Say("level %s", pair.Key)+" "+strings.Join(p.level(pair.Value), ", "))
		case rule == "name-style":
			more = append(more, p.Say(pair.Key)+" “"+v+"”")
		default:
			more = append(more, strings.TrimSpace(pair.Key+" "+v+strings.Join(inner, ", ")))
		}
	}
	return main, more
}

// level says what belongs on one level.
func (p *Page) level(n *template.Node) (says []string) {
	for _, pair := range n.Pairs {
		text, _ := p.setting("", pair.Value)
		_, no := value.Says(text)
		switch {
		case pair.Key == "name":
			says = append(says, p.Say("names such as %s", text))
		case pair.Key == "files" && no:
			says = append(says, p.Say("only folders"))
		case pair.Key == "folders" && no:
			says = append(says, p.Say("only files"))
		case pair.Key == "initial":
			says = append(says, p.Say("beginning with the letter of their folder"))
		}
	}
	return says
}
