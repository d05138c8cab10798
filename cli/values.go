package cli

import (
	"maps"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/core/place"
	"vestibula/core/template"
	"vestibula/core/value"
)

// valueFlags are the flags of commands that fill a template.
type valueFlags struct {
	file  string
	limit int
}

func (v *valueFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&v.file, "values", "", "a `FILE` of values, YAML or JSON; values on the command line go first")
	c.Flags().IntVar(&v.limit, "limit", template.DefaultLimit, "`N` folders and files may be made")
}

// values reads `field=value` arguments and the file of values.
func (a *app) values(t *template.Template, args []string, file string) (template.Values, error) {
	raw := map[string]template.Raw{}
	if file != "" {
		if err := rawFile(raw, file); err != nil {
			return nil, err
		}
	}
	given, err := rawArgs(args)
	if err != nil {
		return nil, err
	}
	maps.Copy(raw, given)
	values, errs := t.ParseValues(raw, a.now)
	if len(errs) > 0 {
		return nil, badValues(errs)
	}
	return values, nil
}

// rawArgs reads `field=value` arguments.
func rawArgs(args []string) (map[string]template.Raw, error) {
	raw := map[string]template.Raw{}
	for _, arg := range args {
		name, text, found := strings.Cut(arg, "=")
		if !found {
			return nil, unclear(`write field=value, with quotes around a value that holds spaces: client="Oriel Pask"`, "\"%s\" is no value for a field", arg)
		}
		raw[strings.TrimSpace(name)] = template.Raw{Text: text}
	}
	return raw, nil
}

// wordsAndValues parts the arguments of a call: what gives a field a value, and all else. What lies there under
// such a name is meant itself.
func wordsAndValues(args []string) (words []string, raw map[string]template.Raw) {
	raw = map[string]template.Raw{}
	for _, arg := range args {
		name, text, is := strings.Cut(arg, "=")
		if is && name != "" && !strings.ContainsAny(name, `/\`) && !place.Exists(arg) {
			raw[strings.TrimSpace(name)] = template.Raw{Text: text}
			continue
		}
		words = append(words, arg)
	}
	return words, raw
}

// badValues is the stop for values that cannot be used.
func badValues(errs []*template.ValueError) error {
	lines := make([]string, len(errs))
	for i, e := range errs {
		lines[i] = e.Error()
	}
	return unclear(strings.Join(lines[1:], "\n"), "%s", lines[0])
}

// rawFile reads a file of values. JSON is read as the YAML that it also is.
func rawFile(raw map[string]template.Raw, path string) error {
	const maxFile = 4 << 20
	text, err := place.ReadFile(path, maxFile)
	if err != nil {
		return unclear("", "the file of values %s cannot be read: %s", path, place.Reason(err))
	}
	node, errs := template.ParseYAML(string(text), 1)
	if len(errs) > 0 {
		return unclear("write one `field: value` in each line", "%s:%s", path, errs[0].Error())
	}
	if node.Kind != template.Mapping {
		return unclear("write one `field: value` in each line", "%s holds no values", path)
	}
	for _, p := range node.Pairs {
		switch p.Value.Kind {
		case template.Null:
			raw[p.Key] = template.Raw{}
		case template.Mapping:
			return unclear("a value is a text, a number or a list", "%s:%d: \"%s\" cannot be a value", path, p.KeyPos.Line, p.Key)
		default:
			raw[p.Key] = template.Raw{Text: p.Value.Text, Items: p.Value.Texts(), List: p.Value.Kind == template.Sequence}
		}
	}
	return nil
}

// missing is the refusal to go on without values. Name is that of the template
// or convention that needs them.
func missing(name string, fields []*template.Field) error {
	var lines []string
	for _, f := range fields {
		line := f.Name + "=…"
		line += strings.Repeat(" ", max(0, 16-len([]rune(line)))) + " " + f.Ask
		if kind := kindHint(f); kind != "" {
			line += " (" + kind + ")"
		}
		lines = append(lines, line)
	}
	if len(fields) == 1 {
		return unclear(lines[0], "%s needs one value that is missing:", name)
	}
	return unclear(strings.Join(lines, "\n"), "%s needs %d values that are missing:", name, len(fields))
}

// kindHint says, where it is not plain text, how a value is written.
func kindHint(f *template.Field) string {
	switch f.Type.Kind {
	case value.Date:
		return "a date such as 2027-03-09, or today, tomorrow, next friday"
	case value.Month:
		return "a month such as 2027-03"
	case value.Quarter:
		return "a quarter such as 2027-Q1"
	case value.Week:
		return "a week such as 2027-W10"
	case value.Year:
		return "a year such as 2027"
	case value.Term:
		return "a year and one of " + f.Type.Allowed()
	case value.Number:
		return "a number"
	case value.Choice:
		return "one of " + f.Type.Allowed()
	case value.YesNo:
		return "yes or no"
	case value.List:
		return "a list: first; second; third"
	}
	return ""
}

// suggestions are values to offer for a field.
func suggestions(f *template.Field) []string {
	switch f.Type.Kind {
	case value.Choice:
		var codes []string
		for _, o := range f.Type.Of {
			codes = append(codes, o.Code)
		}
		return codes
	case value.YesNo:
		return []string{"yes", "no"}
	case value.Date:
		return []string{"today", "yesterday", "tomorrow"}
	}
	return nil
}
