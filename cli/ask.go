package cli

import (
	"cmp"
	"errors"
	"slices"
	"strings"

	"charm.land/bubbles/v2/key"
	tea "charm.land/bubbletea/v2"
	"charm.land/huh/v2"
	"charm.land/lipgloss/v2"
	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/template"
	"vestibula/core/value"
)

// ask asks a person for the values of all fields that are not given yet, one after the
// other.
func (a *app) ask(t *template.Template, values template.Values) error {
	var open []*template.Field
	for _, f := range t.Fields {
		if _, given := values[f.Name]; !given && !f.Made() && f.Next == template.Uncounted {
			open = append(open, f)
		}
	}
	return a.askFields(open, values)
}

// askFields asks for values. What was answered stays above, a line each; it is possible to
// go back to an earlier question. Without an answer the default is meant, or what was
// answered before where answers are changed.
func (a *app) askFields(fields []*template.Field, values template.Values) error {
	if !a.revising || a.answers == nil { // what was answered was for another project
		a.rounds++
		a.answers, a.answered = map[string]string{}, nil
	}
	for i := 0; i < len(fields); {
		f := fields[i]
		text, back, err := a.askField(f, i > 0)
		if err != nil {
			return err
		}
		if back {
			i--
			a.side.Erase(1)
			continue
		}
		v, err := f.Parse(template.Raw{Text: text}, a.now)
		if err != nil {
			return unclear("", "%s %v", f.Name, err)
		}
		if _, known := a.answers[f.Name]; !known {
			a.answered = append(a.answered, f.Name)
		}
		if values[f.Name], a.answers[f.Name] = v, text; f.Type.Kind != value.Text {
			a.answers[f.Name] = v.String() // today is another day tomorrow
		}
		a.side.Line(term.Dim.Render(term.Visible(f.Ask)), "  ", term.Strong.Render(cmp.Or(term.Visible(v.String()), "(nothing)")))
		i++
	}
	return nil
}

// checked returns what says whether a field takes an answer, which may stay out where something
// is kept then.
func (a *app) checked(f *template.Field, keeps bool) func(text string) error {
	return func(text string) error {
		switch text = strings.TrimSpace(text); {
		case text == "" && keeps:
			return nil
		case text == "":
			return errors.New("an answer is needed")
		}
		if _, err := f.Parse(template.Raw{Text: text}, a.now); err != nil {
			return errors.New(string(term.Visible(err.Error())))
		}
		return nil
	}
}

// askField asks for one value, and reports whether the person wants the question before
// instead.
func (a *app) askField(f *template.Field, canGoBack bool) (text string, back bool, err error) {
	known, answered := a.answers[f.Name]
	if !answered && f.Default != nil {
		known = defaultText(f)
	}
	check := a.checked(f, answered || f.Default != nil || f.Optional)
	asked := string(term.Visible(f.Ask))
	keys := func(first ...string) string {
		if canGoBack {
			first = append(first, "shift+tab back")
		}
		return strings.Join(append(first, "ctrl+c stop"), " · ")
	}
	// The hint says what is wanted, and the keys below what can be pressed.
	hint := func(keys string) string {
		what := kindHint(f)
		if f.Type.Kind == value.List {
			what = "one on each line"
		}
		switch {
		case known != "":
			what += "\nwithout an answer: " + known
		case f.Optional:
			what += "\nmay stay empty"
		}
		return string(term.Lines(strings.TrimPrefix(what+"\n"+keys, "\n")))
	}
	switch f.Type.Kind {
	case value.YesNo:
		yes := known == "yes"
		back, err = a.form(huh.NewConfirm().Title(asked).Description(keys("y or n", "enter the marked one")).Affirmative("Yes").Negative("No").Value(&yes), canGoBack)
		return map[bool]string{true: "yes", false: "no"}[yes], back, err
	case value.Choice:
		text = known
		back, err = a.form(huh.NewSelect[string]().Title(asked).Description(keys("↑ ↓ choose", "enter takes it")).Options(choices(f)...).Value(&text), canGoBack)
		return text, back, err
	case value.List:
		question := huh.NewText().Title(asked).Description(hint(keys("an empty line ends"))).Lines(6).ShowLineNumbers(false).ExternalEditor(false).Value(&text).Validate(check)
		back, err = a.form(question, canGoBack)
		text = strings.Join(slices.DeleteFunc(strings.Split(text, "\n"), func(l string) bool { return strings.TrimSpace(l) == "" }), ";")
	default:
		question := huh.NewInput().Title(asked).Description(hint(keys("enter goes on"))).Prompt("› ").Value(&text).Validate(check)
		back, err = a.form(question, canGoBack)
	}
	if text = strings.TrimSpace(text); text == "" {
		text = known
	}
	return text, back, err
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

// form runs one question, and clears it away whatever was typed. Where a person can go back,
// it reports whether they did.
func (a *app) form(question huh.Field, canGoBack bool) (back bool, err error) {
	keymap := huh.NewDefaultKeyMap()
	keymap.Text.NewLine = key.NewBinding(key.WithKeys("enter"))
	keymap.Text.Submit = key.NewBinding(key.WithKeys("tab"))
	q := &asking{form: huh.NewForm(huh.NewGroup(question)).WithTheme(theme).WithKeyMap(keymap).WithShowHelp(false), field: question, canGoBack: canGoBack, apart: term.Apart()}
	q.form.SubmitCmd, q.form.CancelCmd = tea.Quit, tea.Interrupt
	_, err = tea.NewProgram(q, tea.WithInput(a.in), tea.WithOutput(a.err)).Run()
	if n := lipgloss.Height(q.shown); q.shown != "" {
		a.side.Erase(n - 1)
	}
	if errors.Is(err, tea.ErrInterrupted) {
		err = refused("", "Stopped. Nothing was changed.")
	}
	return q.back, err
}

// asking is one question while it is asked. The library alone would leave a part of it on the
// screen, and knows no way back from the first question of a form.
type asking struct {
	form            *huh.Form
	field           huh.Field
	shown           string // as it was drawn last
	canGoBack, back bool
	apart           bool // an empty line stands above it
}

// Init begins the question.
func (q *asking) Init() tea.Cmd { return q.form.Init() }

// Update takes a key that was pressed, or what else happens.
func (q *asking) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	if pressed, ok := msg.(tea.KeyPressMsg); ok {
		_, list := q.field.(*huh.Text)
		text, _ := q.field.GetValue().(string)
		switch {
		case pressed.String() == "shift+tab" && q.canGoBack:
			q.back = true
			return q, tea.Quit
		case list && pressed.String() == "enter" && (text == "" || strings.HasSuffix(text, "\n")):
			msg = tea.KeyPressMsg{Code: tea.KeyTab} // a list ends where a line stays empty
		}
	}
	form, cmd := q.form.Update(msg)
	q.form = form.(*huh.Form)
	return q, cmd
}

// View draws it; the last drawing stays until it is cleared.
func (q *asking) View() tea.View {
	if text := q.form.View(); text != "" {
		// It never shrinks: then the cursor is in its last line at the end.
		if !q.apart {
			text = "\n" + text // one line apart from what stands above
		}
		q.shown = text + strings.Repeat("\n", max(0, lipgloss.Height(q.shown)-lipgloss.Height(text)))
	}
	return tea.NewView(q.shown)
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
	_, err := a.form(huh.NewConfirm().Title(string(term.Visible(question))).Affirmative("Yes").Negative("No").Value(&yes), false)
	return yes, err
}

// errRevise is what a person says who wants to change an answer.
var errRevise = errors.New("an answer is to be changed")

// confirmOrRevise asks for a yes where answers can still be changed. What is marked first
// loses nothing.
func (a *app) confirmOrRevise(question string) (bool, error) {
	answer := "stop"
	_, err := a.form(huh.NewSelect[string]().Title(string(term.Visible(question))).Description("↑ ↓ choose · enter takes it · ctrl+c stop").Options(
		huh.NewOption("No, stop here: nothing is changed", "stop"),
		huh.NewOption("Change an answer", "revise"),
		huh.NewOption("Yes, do it", "yes"),
	).Value(&answer), false)
	if err == nil && answer == "revise" {
		err = errRevise
	}
	return answer == "yes", err
}

// tellSame tells how to call a command so that it need not ask again.
func (a *app) tellSame(c *cobra.Command, args []string) {
	if len(a.answered) == 0 || a.rounds > 1 { // no one call says it of several
		return
	}
	words := slices.Clone(args)
	for _, name := range a.answered {
		words = append(words, name+"="+a.answers[name])
	}
	if c.Flags().Lookup("yes") != nil {
		words = append(words, "--yes")
	}
	if !term.Apart() {
		a.side.Line()
	}
	a.side.Text(term.Dim.Render("The same without questions:"))
	a.side.Whole("  " + term.Accent.Render(advise("", words...).line()))
}
