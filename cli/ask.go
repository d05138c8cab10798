package cli

import (
	"errors"
	"strings"

	"charm.land/huh/v2"

	"vestibula/core/template"
	"vestibula/core/value"
)

// ask asks a person for the values of all fields that are not given yet: first
// the question, then the default and what is allowed.
func (a *app) ask(t *template.Template, values template.Values) error {
	type answer struct {
		field *template.Field
		text  string
		yes   bool
	}
	var answers []*answer
	var questions []huh.Field
	for _, f := range t.Fields {
		if _, given := values[f.Name]; given || f.Made() {
			continue
		}
		ans := &answer{field: f}
		if f.Default != nil {
			ans.text = defaultText(f)
		}
		valid := func(s string) error {
			_, err := f.Parse(template.Raw{Text: s}, a.now)
			return err
		}
		switch f.Type.Kind {
		case value.YesNo:
			ans.yes = ans.text == "yes"
			questions = append(questions, huh.NewConfirm().Title(f.Ask).Value(&ans.yes))
		case value.Choice:
			var options []huh.Option[string]
			for _, o := range f.Type.Of {
				shown := o.Code
				if o.Meaning != "" {
					shown += "  " + o.Meaning
				}
				options = append(options, huh.NewOption(shown, o.Code))
			}
			if f.Optional {
				options = append(options, huh.NewOption("(nothing)", ""))
			}
			questions = append(questions, huh.NewSelect[string]().Title(f.Ask).Options(options...).Value(&ans.text))
		default:
			questions = append(questions, huh.NewInput().Title(f.Ask).Description(kindHint(f)).Validate(valid).Value(&ans.text))
		}
		answers = append(answers, ans)
	}
	if len(questions) == 0 {
		return nil
	}
	err := huh.NewForm(huh.NewGroup(questions...)).WithTheme(theme).WithInput(a.in).WithOutput(a.err).WithShowHelp(true).Run()
	if errors.Is(err, huh.ErrUserAborted) {
		return refused("", "Stopped. Nothing was changed.")
	}
	if err != nil {
		return err
	}
	for _, ans := range answers {
		if ans.field.Type.Kind == value.YesNo {
			values[ans.field.Name] = value.Bool(ans.yes)
			continue
		}
		v, err := ans.field.Parse(template.Raw{Text: ans.text}, a.now)
		if err != nil {
			return unclear("", "%s %v", ans.field.Name, err)
		}
		values[ans.field.Name] = v
	}
	return nil
}

// theme is the look of questions.
var theme = huh.ThemeFunc(huh.ThemeBase16)

func defaultText(f *template.Field) string {
	if f.Default.List {
		return strings.Join(f.Default.Items, "; ")
	}
	return f.Default.Text
}

// confirm asks for a yes.
func (a *app) confirm(question string) (bool, error) {
	yes := false
	field := huh.NewConfirm().Title(question).Affirmative("Yes").Negative("No").Value(&yes)
	err := huh.NewForm(huh.NewGroup(field)).WithTheme(theme).WithInput(a.in).WithOutput(a.err).WithShowHelp(false).Run()
	if errors.Is(err, huh.ErrUserAborted) {
		return false, nil
	}
	return yes, err
}
