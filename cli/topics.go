package cli

import (
	"cmp"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/label"
)

// topics are what help tells beside the commands.
var topics = map[string]func(*app){
	"language": (*app).helpLanguage,
	"places":   (*app).helpPlaces,
	"shells":   (*app).helpShells,
}

// lines prints rows of two columns under a heading.
func (a *app) lines(heading term.Shown, rows ...[2]string) {
	a.screen.Line()
	a.screen.Line(term.Title.Render(heading))
	var shown [][2]term.Shown
	for _, r := range rows {
		shown = append(shown, [2]term.Shown{term.Visible(r[0]), term.Visible(r[1])})
	}
	a.glossary(shown, 0)
}

// helpLanguage has all that can stand in a template, on a screen of 42 lines.
func (a *app) helpLanguage() {
	a.screen.Line(term.Title.Render("A template is a list of folders; what is indented lies inside the line above."))
	for line := range strings.SplitSeq(`  ---
  fields: { client: Who is it for?, received: { type: date },
            stages: { type: list, default: [survey, repair] } }
  ---
  <received:yyyy-mm> <client>
      <#> Agreement        | note: signed before any work begins
      <#> Work
          <#> <stage>      | each: stage in stages
      <#> Settled          | number: 90`, "\n") {
		a.screen.Line(term.Accent.Render(term.Visible(line)))
	}
	a.lines("In a name",
		[2]string{"<client>", "the value of a field; <client:like-this> says how it is to look"},
		[2]string{"<#>", "the line's own number; <#:000> with three digits"},
		[2]string{"Name/", "a folder, also where it looks like a file; // text is for people"},
		[2]string{"<n:00>", "forms are examples: 00 is a number, 07; yyyy-mm-dd a day; yyyy-mm"},
		[2]string{"", "a month, yyyy-Qq, yyyy-Www; like-this, Like This, LT texts"})
	a.lines("Behind a |",
		[2]string{"each: n in 1..12", "once for each; A..Z, 2027-01..2027-12, a list, words"},
		[2]string{"when: gilding", "only if it holds; not gilding, kind is BK, with and, or"},
		[2]string{"use: part", "what stands under the line “part:” lies here too"},
		[2]string{"copy: FILE", "starts as a copy; fill: FILE fills its slots; blank: empty"},
		[2]string{"holds: scan", "what lies here: a convention, pictures, documents …, *.wav"},
		[2]string{"due: DATE", "a person has to deliver it; worth: 5 for points"},
		[2]string{"later", "not built until it is needed: vestibula add"},
		[2]string{"carry", "goes along to the next period: vestibula next"},
		[2]string{"was: Old name", "what it was called before: vestibula upgrade"},
		[2]string{"number: 90", "fixes the number of <#>"},
		[2]string{"link: PATH", "a link; guide: the page for those who join"},
		[2]string{"keep, project", "somebody else named it; this is the project's own folder"},
		[2]string{"note: text", "what it is for; the last on a line"})
	a.lines("In the header, between two lines of ---",
		[2]string{"title:, about:", "what it is; language: de, of months, days, the guide"},
		[2]string{"fields:", "name: question; or name: { ask, type, default, example, of,"},
		[2]string{"", "is, min, max, next, per, without, within, months }"},
		[2]string{"type:", "text, number, date, month, quarter, week, year, term, choice,"},
		[2]string{"", "yes-no, list"},
		[2]string{"names:", `naming conventions: scan: "<day:yyyy-mm-dd> <side> <n:000>"`},
		[2]string{"rules:", "depth: 4, width: 20 …: vestibula check --explain depth"},
		[2]string{"ignore:, texts:", `what check skips: ["*.tmp"]; texts with links: [tex]`})
}

func (a *app) helpShells() {
	a.screen.Line(term.Title.Render("Quotes keep a value with spaces in one piece."))
	a.lines("Linux and macOS (bash, zsh, fish)",
		[2]string{`client="Oriel Pask"`, "a value with spaces"},
		[2]string{`people='Ann; Bo'`, "a list; the ; needs the quotes"},
		[2]string{`"<client>.pdf"`, "whatever has < > | $ & ( ) ' or ; in it"})
	a.lines("Windows, PowerShell",
		[2]string{`client="Oriel Pask"`, "a value with spaces"},
		[2]string{`'<client>.pdf'`, "single quotes around < > | $ & ( ) or ;"})
	a.lines("Windows, Command Prompt",
		[2]string{`client="Oriel Pask"`, "a value with spaces; only double quotes count"},
		[2]string{`"<client>.pdf"`, "around < > | & ( )"})
	a.lines("Without any of that",
		[2]string{"--values FILE", "values from a file, a line each: client: Oriel Pask"},
		[2]string{"on a terminal", "values that you leave out are asked for"})
}

// A surrounding is a variable or a place that the program reads, or writes.
type surrounding struct{ Name, Text string }

// Variables are all variables of the environment that are read.
var Variables = []surrounding{
	{"VESTIBULA_TEMPLATES", "folders with templates of yours, or of a team, joined as in PATH (with : and on Windows with ;)"},
	{"VESTIBULA_GROUND, COLORFGBG", "light or dark: what your terminal writes on, for colours that fit it; without it, COLORFGBG says so, or the terminal itself; else the colours can be read on both"},
	{"VESTIBULA_USER, VESTIBULA_PASSWORD, VESTIBULA_TOKEN", "who you are on drives, for scripts"},
	{"HTTPS_PROXY, NO_PROXY", "by which way drives are reached"},
	{"NO_COLOR", "if it holds anything, no colours"},
	{"COLORTERM, TERM", "which colours the terminal can show"},
	{"XDG_DATA_HOME, XDG_STATE_HOME", "other places than the usual ones for data and for what is remembered"},
}

// Places are all files and folders that the program knows by itself, as they are on Linux;
// help places shows them as they are on this machine.
var Places = []surrounding{
	{"NAME.folders, templates/NAME.folders", "where you are: templates that can be called by their name here"},
	{"~/.local/share/vestibula/templates/", "templates of yours, by their name from everywhere"},
	{"~/.local/state/vestibula/", "what was done, for history and undo, and what undo may need again"},
	{"~/.config/vestibula/drives.json", "the names of drives"},
	{"~/.local/share/vestibula/passwords.json", "their passwords, where the computer has no key store; only you can read it"},
	{label.FileName, "in each project, hidden: the template and values it was built from"},
	{".vestibula-*", "hidden, beside what is changed: of a run that is at work, or was cut short, and what undo may need again"},
}

func (a *app) helpPlaces() {
	a.screen.Line(term.Title.Render("Where files lie, and which variables are read"))
	var rows [][2]string
	here := map[int]string{1: a.ownTemplates(), 2: a.stateDir(), 3: drivesFile(), 4: keysFile()}
	for i, p := range Places {
		rows = append(rows, [2]string{cmp.Or(here[i], p.Name), p.Text})
	}
	a.lines("Files and folders", rows...)
	rows = nil
	for _, v := range Variables {
		rows = append(rows, [2]string{v.Name, v.Text})
	}
	a.lines("Variables of the environment", rows...)
}
