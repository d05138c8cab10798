package cli

import (
	"errors"
	"fmt"
	"strings"

	"charm.land/huh/v2"
	"charm.land/lipgloss/v2"

	"vestibula/cli/term"
	"vestibula/core/template"
	"vestibula/core/value"
)

// ask asks a person for the values of all fields that are not given yet, one
// after the other: the question, what is allowed, and the default to begin
// with. What was answered stays above.
func (a *app) ask(t *template.Template, values template.Values) error {
	var open []*template.Field
	for _, f := range t.Fields {
		if _, given := values[f.Name]; !given && !f.Made() && f.Next == template.Uncounted {
			open = append(open, f)
		}
	}
	return a.askFields(open, values)
}

func (a *app) askFields(fields []*template.Field, values template.Values) error {
	for _, f := range fields {
		text, yes, asked := "", false, string(term.Visible(f.Ask))
		if f.Default != nil {
			text = defaultText(f)
		}
		var question huh.Field
		switch f.Type.Kind {
		case value.YesNo:
			yes = text == "yes"
			question = huh.NewConfirm().Title(asked).Value(&yes)
		case value.Choice:
			question = huh.NewSelect[string]().Title(asked).Options(choices(f)...).Value(&text)
		default:
			question = huh.NewInput().Title(asked).Description(string(term.Visible(kindHint(f)))).Value(&text).Validate(func(s string) error {
				if _, err := f.Parse(template.Raw{Text: s}, a.now); err != nil {
					return errors.New(string(term.Visible(err.Error())))
				}
				return nil
			})
		}
		if err := a.form(question); err != nil {
			return err
		}
		v, err := f.Parse(template.Raw{Text: text}, a.now)
		if f.Type.Kind == value.YesNo {
			v, err = value.Bool(yes), nil
		}
		if err != nil {
			return unclear("", "%s %v", f.Name, err)
		}
		values[f.Name] = v
		a.side.Line(term.Dim.Render(term.Visible(f.Ask)), " ", term.Strong.Render(term.Visible(v.String())))
	}
	return nil
}

func choices(f *template.Field) []huh.Option[string] {
	var list []huh.Option[string]
	for _, o := range f.Type.Of {
		shown := o.Code
		if o.Meaning != "" {
			shown += "  " + o.Meaning
		}
		list = append(list, huh.NewOption(string(term.Visible(shown)), o.Code))
	}
	if f.Optional {
		list = append(list, huh.NewOption("(nothing)", ""))
	}
	return list
}

// form runs one question, and clears it away: the library leaves all of it but
// the last line on the screen.
func (a *app) form(question huh.Field) error {
	err := huh.NewForm(huh.NewGroup(question)).WithTheme(theme).WithInput(a.in).WithOutput(a.err).WithShowHelp(false).Run()
	if lines := lipgloss.Height(question.View()) - 1; lines > 0 {
		fmt.Fprintf(a.err, "\x1b[%dA\r\x1b[J", lines)
	}
	if errors.Is(err, huh.ErrUserAborted) {
		return refused("", "Stopped. Nothing was changed.")
	}
	return err
}

// theme is the look of questions: that of all other screens.
var theme = huh.ThemeFunc(func(dark bool) *huh.Styles {
	t := huh.ThemeBase(dark)
	plain := lipgloss.NewStyle()
	for _, f := range []*huh.FieldStyles{&t.Focused, &t.Blurred} {
		f.Title, f.Description = term.Strong.Style, term.Dim.Style
		f.ErrorIndicator, f.ErrorMessage = term.Bad.SetString(" !"), term.Bad.Style
		f.SelectSelector = term.Accent.SetString("› ")
		f.SelectedOption, f.UnselectedOption, f.Option = term.Strong.Style, plain, plain
		f.TextInput.Prompt, f.TextInput.Text, f.TextInput.Placeholder = term.Accent.Style, plain, term.Dim.Style
		f.FocusedButton = term.Title.Reverse(true).Padding(0, 2)
		f.BlurredButton = term.Dim.Padding(0, 2)
	}
	t.Focused.Title = term.Title.Style
	t.Focused.Base = t.Focused.Base.BorderForeground(term.Accent.GetForeground())
	return t
})

func defaultText(f *template.Field) string {
	if f.Default.List {
		return strings.Join(f.Default.Items, "; ")
	}
	return f.Default.Text
}

// confirm asks for a yes.
func (a *app) confirm(question string) (bool, error) {
	yes := false
	err := a.form(huh.NewConfirm().Title(string(term.Visible(question))).Affirmative("Yes").Negative("No").Value(&yes))
	return yes, err
}
