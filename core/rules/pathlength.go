package rules

import (
	"fmt"
	"net/url"
	"strings"
	"unicode/utf8"

	"vestibula/core/template"
)

func pathLengthRules() []*rule {
	return []*rule{{
		name:  "path-length",
		about: "A whole path has at most so many characters.",
		why: "Windows and many programs stop at 260 characters, some sync services earlier, and a web address of more than 80 is cut in mails. " +
			"With `as: url`, a space or an accented letter counts as its code, such as %20.",
		set:  "path-length: 200\npath-length: { limit: 240, under: \"D:\\\\Work\" }\npath-length: { limit: 80, as: url }",
		bad:  "# path-length: 30\nCommission of Oriel Pask\n    Condition survey",
		good: "# path-length: 30\nOriel Pask\n    Condition survey",

		schema: map[string]any{"anyOf": []any{wholeSchema, map[string]any{
			"type": "object", "additionalProperties": false, "required": []string{"limit"},
			"properties": map[string]any{"limit": wholeSchema, "under": map[string]any{"type": "string"}, "as": map[string]any{"enum": []string{"url"}}},
		}}},
		configure: pathLength,
	}}
}

func pathLength(c *context) (check, error) {
	limit, under, measure, err := pathSetting(c.setting)
	if err != nil {
		return check{}, err
	}
	start := 0
	if under != "" {
		start = measure(strings.TrimRight(under, `/\`)) + 1
	}
	return check{around: true, folder: func(f *Folder, report func(Finding)) {
		f.length = start
		if f.Parent != nil {
			f.length = f.Parent.length + measure(f.Node.Name) + 1
		}
		for _, n := range f.Node.Children {
			length := f.length + measure(n.Name)
			// What lies in a folder that is too deep already is not told again.
			if length <= limit || f.length-1 > limit {
				continue
			}
			finding := f.finding("path-length", c.severity, n)
			finding.Message = say("the path of %s has %d characters; at most %d are allowed", shown(n.Name), length, limit)
			finding.Help = "shorten the names above it, or move it up"
			report(finding)
		}
	}}, nil
}

func pathSetting(n *template.Node) (limit int, under string, measure func(string) int, err error) {
	measure = utf8.RuneCountInString
	if n.Kind != template.Mapping {
		limit, err = whole(n)
		return limit, "", measure, err
	}
	for _, p := range n.Pairs {
		switch {
		case p.Key == "limit":
			if limit, err = whole(p.Value); err != nil {
				return 0, "", nil, err
			}
		case p.Key == "under" && p.Value.Kind == template.Scalar:
			under = p.Value.Text
		case p.Key == "as" && p.Value.Text == "url":
			measure = func(s string) int { return len(url.PathEscape(s)) }
		default:
			return 0, "", nil, fmt.Errorf("has no setting \"%s\"; it takes limit, under, and as: url", p.Key+": "+p.Value.Text)
		}
	}
	if limit == 0 {
		return 0, "", nil, fmt.Errorf("needs a limit, as in { limit: 240 }")
	}
	return limit, under, measure, nil
}
