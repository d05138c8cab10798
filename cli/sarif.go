package cli

import (
	"net/url"
	"path/filepath"

	"vestibula/core/rules"
)

// sarif returns the result of a check in the Static Analysis Results
// Interchange Format, OASIS standard 2.1.0.
func sarif(r *checkResult, version string) any {
	type m = map[string]any
	message := func(text string) m { return m{"text": text} }
	var described []m
	at := map[string]int{}
	describe := func(rule string) int {
		i, ok := at[rule]
		if !ok {
			i = len(described)
			at[rule] = i
			d := m{"id": rule}
			if page, ok := rules.Explain(rule); ok {
				d["shortDescription"], d["fullDescription"] = message(page.About), message(page.Why)
			}
			described = append(described, d)
		}
		return i
	}
	results := []m{}
	for _, f := range r.Findings {
		level := map[string]string{"error": "error", "warning": "warning", "advice": "note"}[f.Severity]
		text := f.Message
		if f.Help != "" {
			text += "\n" + f.Help
		}
		location := m{"artifactLocation": m{"uri": uri(r, f)}}
		if f.Line > 0 {
			location["region"] = m{"startLine": f.Line, "startColumn": max(f.Column, 1), "endColumn": max(f.Column, 1) + max(f.Width, 1)}
		}
		results = append(results, m{"ruleId": f.Rule, "ruleIndex": describe(f.Rule), "level": level, "message": message(text),
			"locations": []m{{"physicalLocation": location}}})
	}
	if described == nil {
		described = []m{}
	}
	return m{
		"$schema": "https://json.schemastore.org/sarif-2.1.0.json",
		"version": "2.1.0",
		"runs": []m{{
			"tool":       m{"driver": m{"name": "Vestibula", "version": version, "rules": described}},
			"columnKind": "unicodeCodePoints",
			"results":    results,
		}},
	}
}

// uri returns where a finding lies, as a relative reference.
func uri(r *checkResult, f finding) string {
	path := r.Subject
	switch {
	case r.real && f.Path != "":
		path = filepath.Join(r.Subject, f.Path)
	case r.path != "":
		path = r.path
	}
	return (&url.URL{Path: filepath.ToSlash(path)}).String()
}
