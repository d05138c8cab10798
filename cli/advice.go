package cli

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"vestibula/cli/term"
)

// An advice is a command that a person is told to type. It is printed so that it can be
// typed where the person is, on a line of its own or at the end of one; the tests of the
// built program follow each as it was printed, where it was printed.
type advice struct {
	good  string   // what it is good for: "to bring it back"; empty where that was just said
	words []string // behind the name of the program, as a person would write them
}

// advise is the advice to call a command with some words.
func advise(good string, words ...string) advice { return advice{good, words} }

// String is the advice as a line, or as the end of one.
func (d advice) String() string {
	command := "vestibula"
	for _, w := range d.words {
		command += " " + quoted(w)
	}
	if d.good == "" {
		return command
	}
	return d.good + ": " + command
}

// line is the advice as it is drawn behind or below what was told.
func (d advice) line() term.Shown { return term.Visible(d.String()) }

// sameCall is the advice to make the call at hand once more, with some words behind it: what
// only looked at it, and what asked for a program's reading, is left out.
func (a *app) sameCall(good string, more ...string) advice {
	var words []string
	for _, w := range a.call {
		switch name, _, _ := strings.Cut(w, "="); name {
		case "--preview", "--json", "--no-color":
		default:
			words = append(words, w)
		}
	}
	more = slices.DeleteFunc(slices.Clone(more), func(w string) bool { return (w == "--yes" || w == "--all") && slices.Contains(words, w) })
	if i := slices.Index(words, "--"); i >= 0 {
		return advise(good, slices.Concat(words[:i], more, words[i:])...)
	}
	return advise(good, append(words, more...)...)
}

// undoing is the advice that takes back what was done under a number.
func undoing(number int) advice { return advise("to take it back", "undo", fmt.Sprint(number)) }

// undoes is the advice that takes back what this run has done last, behind what is told of
// that.
func (a *app) undoes() advice { return advise("To take it back", "undo", fmt.Sprint(a.number)) }

// examplesOf is the advice to look at examples of a command.
func examplesOf(command string) string { return advise("examples", command, "--help").String() }

// typed is a path as it can stand among words: none is taken for an option.
func typed[P ~string](path P) string {
	if strings.HasPrefix(string(path), "-") {
		return string("./" + path)
	}
	return string(path)
}

// plainly are the signs, beside letters and digits, that mean nothing to a shell.
const plainly = "_./:=,+@%-…"

// quoted is a word as it is typed in a shell, whatever it holds. What nobody could see or
// type stands as its code, as POSIX writes it ($'…').
func quoted(word string) string {
	word = term.Called(word)
	unseen := !utf8.ValidString(word)
	plain := word != "" && word[0] != '~'
	for _, r := range word {
		unseen = unseen || !unicode.IsPrint(r)
		plain = plain && (unicode.IsLetter(r) || unicode.IsMark(r) || unicode.IsDigit(r) || strings.ContainsRune(plainly, r))
	}
	switch {
	case unseen:
		var b strings.Builder
		b.WriteString("$'")
		for i := 0; i < len(word); {
			r, n := utf8.DecodeRuneInString(word[i:])
			switch {
			case r == '\'' || r == '\\':
				b.WriteString("\\" + string(r))
			case r == utf8.RuneError && n == 1 || !unicode.IsPrint(r):
				for _, c := range []byte(word[i : i+n]) {
					fmt.Fprintf(&b, "\\%03o", c)
				}
			default:
				b.WriteRune(r)
			}
			i += n
		}
		return b.String() + "'"
	case plain:
		return word
	case strings.ContainsAny(word, "$`\\!\""):
		return "'" + strings.ReplaceAll(word, "'", `'\''`) + "'"
	}
	if name, value, is := strings.Cut(word, "="); is && value != "" && quoted(name) == name {
		return name + `="` + value + `"`
	}
	return `"` + word + `"`
}

// more tells that a list goes on, and how to see all of it.
func (a *app) more(n int, what term.Shown) {
	if what != "" {
		what = " " + what
	}
	all := a.sameCall("all of them", "--all")
	all.words = slices.DeleteFunc(all.words, func(w string) bool { return w == "--yes" || w == "-y" }) // it is to be looked at
	a.screen.Text(term.Dim.Render("… and " + term.Number(n) + " more" + what + "; " + all.line()))
}
