package rules

import (
	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/value"
)

// Schema returns the JSON Schema (draft 2020-12) of a template's header, by
// which an editor completes and checks it.
func Schema() map[string]any {
	type m = map[string]any
	text := m{"type": "string"}
	scalar := m{"type": []string{"string", "number", "boolean"}}
	list := m{"type": "array", "items": scalar}
	field := func(description string) m {
		properties := m{
			"ask":      m{"type": "string", "description": "The question that is asked for the value."},
			"type":     m{"enum": value.KindNames(), "description": "What kind of value it is; text where none is given."},
			"default":  m{"anyOf": []m{scalar, list, {"type": "null"}}, "description": "Used where no value is given; an empty one makes the field optional."},
			"example":  m{"anyOf": []m{scalar, list}, "description": "Shows and checks the template before there are real values."},
			"of":       m{"anyOf": []m{list, {"type": "object", "additionalProperties": scalar}}, "description": "The values that are allowed; as a map, a code and what it means."},
			"is":       m{"type": "string", "description": "Made from other fields: a pattern of text and slots."},
			"min":      m{"type": "integer", "minimum": 0, "description": "The smallest number; of a text, its fewest characters."},
			"max":      m{"type": "integer", "minimum": 0, "description": "The largest number; of a text, its most characters."},
			"without":  m{"anyOf": []m{text, list}, "description": "What a text cannot hold, also not with a space put before and behind it."},
			"within":   m{"type": "string", "description": "The field, or the item, of a longer time that this one must lie in."},
			"next":     m{"enum": []any{true, false, "yes", "no", "project", "everywhere"}, "description": "Where no value is given, one more than the highest number: among its siblings, in the whole project, or in all projects of a place."},
			"new-year": m{"type": "string", "description": "Of terms that cross the new year, the first one of the next calendar year."},
			"per":      m{"type": "string", "description": "What a number that counts on counts apart for: a pattern of text and slots."},
			"months":   m{"type": "array", "items": text, "minItems": 12, "maxItems": 12, "description": "The names of the twelve months in another language."},
		}
		return m{"description": description, "anyOf": []m{text, {"type": "null"}, {"type": "object", "additionalProperties": false, "properties": properties}}}
	}
	own := field("A field of this convention alone.")
	settings := m{}
	for _, name := range Names() {
		settings[name] = m{"description": all()[name].about, "anyOf": []any{all()[name].schema, m{"enum": []any{"off", "no", false}}}}
	}
	word := `^\p{L}[\p{L}\p{Nd}_-]*$`
	return m{
		"$schema":     "https://json-schema.org/draft/2020-12/schema",
		"title":       "The header of a Vestibula template",
		"description": "The YAML text between the two lines of hyphens of a " + template.Ending + " file.",
		"type":        "object", "additionalProperties": false,
		"properties": m{
			"title":  m{"type": "string", "description": "What the template is called."},
			"about":  m{"type": "string", "description": "What it is for, in a sentence."},
			"fields": m{"type": "object", "propertyNames": m{"pattern": word}, "additionalProperties": field("A field: what must be known to build. A text alone is the question to ask."), "description": "What must be known to build."},
			"names": m{"type": "object", "propertyNames": m{"pattern": word}, "description": "Naming conventions for files.", "additionalProperties": m{"anyOf": []m{
				{"type": "string", "description": "The pattern: text and slots. Forms of texts are " + pattern.TextForms()[0] + ", …"},
				{"type": "object", "additionalProperties": false, "required": []string{"pattern"}, "properties": m{
					"pattern": m{"type": "string", "description": "Text and slots; the ending of the file stands outside."},
					"fields":  m{"type": "object", "additionalProperties": own, "description": "Fields of this convention alone."},
					"for":     m{"anyOf": []m{text, list}, "description": "The endings of the files it is for."},
					"was":     m{"anyOf": []m{text, list}, "description": "Patterns by which older names are read, and brought to this one."},
				}},
			}}},
			"rules":    m{"type": "object", "additionalProperties": false, "properties": settings, "description": "What must hold for every tree of the template."},
			"language": m{"enum": pattern.Languages(), "description": "Of the guide, and of the names of months and days."},
			"texts":    m{"anyOf": []any{text, list}, "description": "Endings of further texts in which links are looked for."},
			"ignore":   m{"anyOf": []m{text, list}, "description": "Paths that checks of real folders skip."},
		},
	}
}
