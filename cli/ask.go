package cli

import (
	"cmp"
	"errors"
	"slices"
	"strings"

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
	keys := func(first ...string) string {
		if canGoBack {
			first = append(first, "shift+tab goes back")
		}
		return strings.Join(append(first, "ctrl+c stops"), " · ")
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
	q := &question{title: term.Visible(f.Ask), canBack: canGoBack}
	if answered && f.Type.Kind != value.List {
		q.text = known // a change begins with what was answered
	}
	switch f.Type.Kind {
	case value.YesNo:
		q.hint, q.letters = keys(), []letter{{'y', "yes"}, {'n', "no"}}
		if known != "yes" {
			q.at = 1
		}
		back, err = a.answerTo(q)
		return []string{"yes", "no"}[q.at], back, err
	case value.Choice:
		var codes []string
		q.list, codes = choices(f)
		q.hint, q.at = keys("↑ ↓ choose", "Return takes it"), max(0, slices.Index(codes, known))
		back, err = a.answerTo(q)
		return codes[q.at], back, err
	case value.List:
		q.hint, q.lines, q.check = hint(keys("an empty line ends")), true, check
		back, err = a.answerTo(q)
		text = strings.Join(slices.DeleteFunc(strings.Split(q.text, "\n"), func(l string) bool { return strings.TrimSpace(l) == "" }), ";")
	default:
		q.hint, q.check = hint(keys("Return goes on")), check
		back, err = a.answerTo(q)
		text = q.text
	}
	if text = strings.TrimSpace(text); text == "" {
		text = known
	}
	return text, back, err
}

// choices are the values of a field as they are shown, and as they are written.
func choices(f *template.Field) (shown, codes []string) {
	for _, o := range f.Type.Of {
		text := o.Code
		if o.Meaning != "" {
			text += "  " + o.Meaning
		}
		shown, codes = append(shown, text), append(codes, o.Code)
	}
	if f.Optional {
		shown, codes = append(shown, "(nothing)"), append(codes, "")
	}
	return shown, codes
}

func defaultText(f *template.Field) string {
	if f.Default.List {
		return strings.Join(f.Default.Items, "; ")
	}
	return f.Default.Text
}

// confirm asks for a yes.
func (a *app) confirm(title string) (bool, error) {
	q := &question{title: term.Visible(title), letters: []letter{{'y', "yes"}, {'n', "no"}}, at: 1}
	_, err := a.answerTo(q)
	return q.at == 0, err
}

// errRevise is what a person says who wants to change an answer.
var errRevise = errors.New("an answer is to be changed")

// confirmOrRevise asks for a yes where answers can still be changed.
func (a *app) confirmOrRevise(title string) (bool, error) {
	q := &question{title: term.Visible(title), letters: []letter{{'y', "yes, do it"}, {'n', "no: nothing is changed"}, {'c', "change an answer"}}, at: 1}
	_, err := a.answerTo(q)
	if err == nil && q.at == 2 {
		err = errRevise
	}
	return q.at == 0, err
}

// tellSame tells how to call a command so that it need not ask again.
func (a *app) tellSame(c *cobra.Command) {
	words := a.answeredCall()
	if words == nil {
		return
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

// answeredCall is the call with what was answered; nil where nothing was.
func (a *app) answeredCall() []string {
	if len(a.answered) == 0 || a.rounds > 1 { // no one call says it of several
		return nil
	}
	words := slices.Clone(a.call)
	for _, name := range a.answered {
		words = append(words, name+"="+a.answers[name])
	}
	return words
}
