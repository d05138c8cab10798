package rules

import (
	"fmt"
	"slices"
	"strings"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
)

func nameStyleRules() []*rule {
	forms := map[string]any{"enum": pattern.TextForms()}
	return []*rule{{
		name:  "name-style",
		about: "Names look like this form, numbering and sort marks aside.",
		why:   "One style is easier to type, to search and to guess; a web address wants small letters and hyphens.",
		set:   "name-style: like-this\nname-style: { folders: Like this, files: like-this }",
		bad:   "# name-style: like-this\nthistlewick\n    01-Case Binding",
		good:  "# name-style: like-this\nthistlewick\n    01-case-binding",

		schema: map[string]any{"anyOf": []any{forms, map[string]any{
			"type": "object", "additionalProperties": false, "properties": map[string]any{"folders": forms, "files": forms},
		}}},
		configure: nameStyle,
	}}
}

// styles reads the forms for folders and for files; "" means any.
func styles(n *template.Node) (folders, files string, err error) {
	known := pattern.TextForms()
	read := func(n *template.Node) (string, error) {
		if n.Kind == template.Scalar && slices.Contains(known, n.Text) && n.Text != "LT" && n.Text != "L" {
			return n.Text, nil
		}
		return "", unknown("style", n.Text, known[:len(known)-1])
	}
	if n.Kind != template.Mapping {
		folders, err = read(n)
		return folders, folders, err
	}
	for _, p := range n.Pairs {
		style, readErr := read(p.Value)
		switch {
		case readErr != nil:
			return "", "", readErr
		case p.Key == "folders":
			folders = style
		case p.Key == "files":
			files = style
		default:
			return "", "", fmt.Errorf("has styles for folders and for files, not for \"%s\"", p.Key)
		}
	}
	return folders, files, nil
}

func nameStyle(c *context) (check, error) {
	folders, files, err := styles(c.setting)
	return check{folder: func(f *Folder, report func(Finding)) {
		eachName(f, func(n *tree.Node) {
			if n.Marks&tree.Conforms != 0 {
				return // its convention says how it looks
			}
			style := folders
			if n.Kind == tree.File {
				style = files
			}
			name := tree.Bare(n)
			if style == "" || pattern.Looks(name, style) || strings.Trim(name, "0123456789-. ") == "" {
				return
			}
			finding := f.finding("name-style", c.severity, n)
			finding.Message = say("%s is not written %s", shown(n.Name), style)
			if fixed := restyled(n, style); fixed != n.Name {
				finding.Help = f.advice("write ", "rename it to ") + fixed
				finding.Fix = f.renaming(n, fixed, true)
			}
			report(finding)
		})
	}}, err
}

// restyled returns the name of a node in a style; its numbering and ending stay.
func restyled(n *tree.Node, style string) string {
	name := tree.Bare(n)
	at := strings.LastIndex(n.Name, name)
	return n.Name[:at] + pattern.Restyle(name, style) + n.Name[at+len(name):]
}
