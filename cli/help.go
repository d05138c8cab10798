package cli

import (
	"errors"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"vestibula/cli/term"
	"vestibula/core/outline"
	"vestibula/core/place"
)

// A job is what a person wants to get done, and the commands for it.
type job struct {
	name     string
	commands []string
}

// jobs are in the order in which a template lives.
var jobs = []job{
	{"Begin", []string{"demo", "drive", "help", "completion"}},
	{"Design a template", []string{"draft", "show", "check", "compare", "guide", "templates"}},
	{"Build from it", []string{"build", "add"}},
	{"Keep what was built true", []string{"projects", "upgrade", "put", "tick", "do"}},
	{"Names of files", []string{"name", "read", "rename"}},
	{"As time passes", []string{"next", "archive", "backup"}},
	{"Take back", []string{"undo", "history"}},
}

// inBrief says in a few words what a command is for, so that all of them fit on one screen.
var inBrief = map[string]string{
	"demo": "the main job, end to end", "drive": "a short name for one", "help": "what a command does", "completion": "for your shell",
	"draft": "write a new template", "show": "the tree that it makes", "check": "find what is wrong", "compare": "tell what differs", "guide": "a page for those who join", "templates": "those that have a name",
	"build": "make the folders", "add": "make what was for later",
	"projects": "how all of them stand", "upgrade": "bring them up to date", "put": "files to where they belong", "tick": "note what was delivered", "do": "carry out a table",
	"name": "make a file's name", "read": "read and find file names", "rename": "bring names to one form",
	"next": "begin the next period", "archive": "put finished ones away", "backup": "set a dated copy aside",
	"undo": "take back what was done", "history": "list what was done",
}

// leftJobs is how many of the jobs stand in the first column.
const leftJobs = 3

// brief prints all commands on one screen of 24 lines and 80 columns.
func (a *app) brief(root *cobra.Command) {
	column := func(jobs []job) (lines []term.Shown) {
		for _, j := range jobs {
			lines = append(lines, term.Title.Render(term.Visible(j.name)))
			for _, name := range j.commands {
				lines = append(lines, term.Sprintf("  %-12s%s", name, inBrief[name]))
			}
		}
		return lines
	}
	left, right := column(jobs[:leftJobs]), column(jobs[leftJobs:])
	if a.textWidth() < 76 { // there is no room for two
		left, right = append(left, right...), nil
	}
	a.screen.Line(term.Title.Render(term.Visible(root.Short)))
	a.screen.Line()
	for i := range max(len(left), len(right)) {
		var l, r term.Shown
		if i < len(left) {
			l = left[i]
		}
		if i < len(right) {
			r = right[i]
		}
		a.screen.Line(l, term.Spaces(40-term.Columns(l)), r)
	}
	a.screen.Line()
	a.screen.Text(advise("more about one of them", "help", "build").line())
	a.screen.Text(advise("all that can stand in a template", "help", "language").line())
}

// alsoCalled are words by which people ask for a command.
var alsoCalled = map[string]string{
	"list": "templates", "ls": "templates", "new": "draft", "init": "draft", "learn": "draft", "design": "draft",
	"create": "build", "make": "build", "generate": "build", "mkdir": "build",
	"view": "show", "preview": "show", "tree": "show", "print": "show", "sort": "show", "watch": "show",
	"validate": "check", "verify": "check", "test": "check", "lint": "check", "fix": "check", "repair": "check",
	"diff": "compare", "update": "upgrade", "sync": "upgrade", "migrate": "upgrade",
	"status": "projects", "overview": "projects", "report": "projects", "dashboard": "projects",
	"move": "put", "import": "put", "file": "put", "tidy": "put", "find": "read", "search": "read",
	"open": "add", "later": "add", "done": "tick", "deliver": "tick", "apply": "do", "run": "do", "execute": "do", "explain": "guide", "doc": "guide",
	"forward": "next", "rollover": "next", "close": "archive", "copy": "backup", "zip": "archive", "restore": "backup", "clean": "put", "organise": "put", "organize": "put", "sort-out": "put", "export": "projects", "calendar": "projects", "adopt": "upgrade", "take": "upgrade", "finish": "history", "continue": "history", "resume": "history", "save": "backup",
	"revert": "undo", "rollback": "undo", "remove": "undo", "delete": "undo", "redo": "undo", "log": "history",
	"example": "demo", "tour": "demo", "man": "help",
}

// helpCommand is help of the whole, of one command, or of a topic.
func (a *app) helpCommand(root *cobra.Command) *cobra.Command {
	c := &cobra.Command{
		Use:   "help [COMMAND | TOPIC]",
		Short: "Say what there is, what a command does, or how to write a template.",
		Long: `Say what there is, what a command does, or how to write a template. The topics are
“language”, all that can stand in a template on one screen; “shells”, how values are
quoted; and “places”, where files lie and which variables are read.`,
		Example: `  vestibula help build
  vestibula help language`,
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			names := []string{"language", "places", "shells"}
			for _, c := range root.Commands() {
				if !c.Hidden {
					names = append(names, c.Name())
				}
			}
			return names, cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				a.help(root)
				return nil
			}
			if topic := topics[args[0]]; topic != nil {
				topic(a)
				return nil
			}
			for _, c := range root.Commands() {
				if c.Name() == args[0] {
					a.help(c)
					return nil
				}
			}
			return a.unknownCommand(root, args[0])
		},
	}
	return c
}

// unknownCommand is the stop for a first word that is no command.
func (a *app) unknownCommand(root *cobra.Command, word string) error {
	var names []string
	for _, c := range root.Commands() {
		if !c.Hidden {
			names = append(names, c.Name())
		}
	}
	meant := alsoCalled[strings.ToLower(word)]
	if meant == "" {
		meant = outline.Nearest(strings.ToLower(word), names)
	}
	switch {
	case meant != "":
		return unclear("did you mean "+meant+"?\n"+examplesOf(meant), "there is no command \"%s\"", word)
	case place.Exists(word) || slices.ContainsFunc(a.templates(), func(l listed) bool { return l.Name == word }):
		by := "show"
		if _, err := a.load(word); err != nil {
			by = "check"
		}
		return unclear(advise("to look at it", by, typed(word)).String()+"\n"+advise("the commands", "--help").String(), "what is to be done with \"%s\"?", word)
	}
	return unclear(advise("the commands", "--help").String(), "there is no command \"%s\"", word)
}

// badOption is the stop for an option that cannot be read.
func badOption(c *cobra.Command, err error) error {
	more := strings.TrimPrefix(c.CommandPath(), "vestibula ")
	if more == c.CommandPath() {
		more = ""
	}
	lists := advise("what there is", append(strings.Fields(more), "--help")...).String()
	var unknown *pflag.NotExistError
	var bare *pflag.ValueRequiredError
	var bad *pflag.InvalidValueError
	var garbled *pflag.InvalidSyntaxError
	switch {
	case errors.As(err, &unknown):
		name := unknown.GetSpecifiedName()
		dashed := "--" + name
		if unknown.GetSpecifiedShortnames() != "" {
			dashed = "-" + unknown.GetSpecifiedShortnames()
		}
		var known []string
		c.Flags().VisitAll(func(f *pflag.Flag) { known = append(known, f.Name) })
		// What begins alike was most likely meant; short words come near to much.
		near := ""
		for _, k := range known {
			if near == "" && len(name) > 1 && strings.HasPrefix(k, name) {
				near = k
			}
		}
		if near == "" && len(name) > 2 {
			near = outline.Nearest(name, known)
		}
		if near != "" {
			lists = "did you mean --" + near + "?  " + lists
		}
		return unclear(lists, "there is no option %s", dashed)
	case errors.As(err, &bare):
		f := bare.GetFlag()
		name, usage := pflag.UnquoteUsage(f)
		return unclear("for example: --"+f.Name+" "+name+"\n"+lists, "--%s needs something behind it: %s", f.Name, usage)
	case errors.As(err, &bad):
		f := bad.GetFlag()
		_, usage := pflag.UnquoteUsage(f)
		kind := "cannot be read there"
		switch f.Value.Type() {
		case "int":
			kind = "is no whole number"
		case "bool":
			kind = "is too much: it stands alone"
		}
		return unclear(lists, "--%s (%s): \"%s\" %s", f.Name, usage, bad.GetValue(), kind)
	case errors.As(err, &garbled):
		return unclear(lists, "\"%s\" is no option", garbled.GetSpecifiedFlag())
	}
	return unclear(lists, "%s", err)
}

// atMost is the check for commands that take so many words and no more.
func atMost(n int) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		if len(args) > n {
			return unclear("quotes keep words together: \"Oriel Pask\"\n"+examplesOf(c.Name()), "\"%s\" is one word too many", args[n])
		}
		return nil
	}
}

// help prints the help of a command.
func (a *app) help(c *cobra.Command) {
	if !c.HasParent() {
		a.brief(c)
		return
	}
	s := a.screen
	for i, p := range strings.Split(c.Long, "\n\n") {
		text := strings.Join(strings.Fields(p), " ")
		if i == 0 {
			first, rest, more := strings.Cut(text, ". ")
			for _, line := range term.Wrapped(term.Visible(strings.TrimSuffix(first, ".")+"."), a.textWidth()) {
				s.Line(term.Title.Render(line))
			}
			s.Line()
			s.Text("  " + term.Strong.Render(term.Visible(usage(c))))
			if text = rest; !more {
				continue
			}
		}
		s.Line()
		a.paragraph(text)
	}
	s.Line()
	s.Line(term.Title.Render("For example"))
	for line := range strings.SplitSeq(c.Example, "\n") {
		s.Text(term.Accent.Render(term.Visible(line)))
	}
	a.helpOptions(options(c))
}

// manyOptions is how many a command has at least whose options stand in groups.
const manyOptions = 8

// optionGroups are the groups of options, in the order in which they are told: what is meant is all that stands
// in no other.
var optionGroups = []struct {
	title term.Shown
	names []string
}{
	{"What is meant", nil},
	{"Where", []string{"into", "in", "out", "links", "archive", "button", "report", "older-into", "back", "dated", "zip", "bag"}},
	{"Before it is done", []string{"yes", "preview", "plan", "fix", "fix-links", "addresses", "accept", "why", "no-journal", "no-label", "mark"}},
	{"How it is shown", []string{"json", "csv", "all", "no-color", "sort", "by", "sorted", "watch", "explain", "list", "strict"}},
}

// helpOptions lists options, in groups where they are many.
func (a *app) helpOptions(list []*pflag.Flag) {
	groups := make([][][2]term.Shown, len(optionGroups))
	widest := 0
	for _, f := range list {
		at := 0
		for i, g := range optionGroups {
			if len(list) >= manyOptions && slices.Contains(g.names, f.Name) {
				at = i
			}
		}
		row := option(f)
		groups[at] = append(groups[at], row)
		widest = max(widest, min(term.Columns(row[0]), 26))
	}
	for i, rows := range groups {
		if len(rows) == 0 {
			continue
		}
		title := optionGroups[i].title
		if len(list) < manyOptions {
			title = "Options"
		}
		a.screen.Line()
		a.screen.Line(term.Title.Render(title))
		a.glossary(rows, widest)
	}
}

// usage is how a command is called.
func usage(c *cobra.Command) string {
	if !c.HasParent() {
		return "vestibula COMMAND …"
	}
	own := false
	c.LocalFlags().VisitAll(func(f *pflag.Flag) { own = own || f.Name != "help" })
	if own {
		return "vestibula " + c.Use + " [--options]"
	}
	return "vestibula " + c.Use
}

// options are those of a command, and those of all commands, by their names.
func options(c *cobra.Command) (list []*pflag.Flag) {
	add := func(f *pflag.Flag) {
		if f.Name != "help" || !c.HasParent() {
			list = append(list, f)
		}
	}
	c.LocalFlags().VisitAll(add)
	c.InheritedFlags().VisitAll(add)
	slices.SortFunc(list, func(a, b *pflag.Flag) int { return strings.Compare(a.Name, b.Name) })
	return list
}

// option is how an option is written, and what it does.
func option(f *pflag.Flag) [2]term.Shown {
	name, text := pflag.UnquoteUsage(f)
	written := "    --" + f.Name
	if f.Shorthand != "" {
		written = "-" + f.Shorthand + ", --" + f.Name
	}
	if name != "" {
		written += " " + name
	}
	if f.DefValue != "" && f.DefValue != "0" && f.DefValue != "1" && f.DefValue != "false" && f.DefValue != "[]" && f.DefValue != "." {
		text += " (" + f.DefValue + " if you name none)"
	}
	return [2]term.Shown{term.Visible(written), term.Visible(text)}
}

// glossary prints names and what they mean, side by side, each text broken into lines of
// its own column.
func (a *app) glossary(rows [][2]term.Shown, widest int) {
	for _, r := range rows {
		widest = max(widest, min(term.Columns(r[0]), 26))
	}
	room := max(24, a.textWidth()-widest-4)
	for _, r := range rows {
		lead := term.Spaces(widest + 2)
		if n := term.Columns(r[0]); n > widest {
			a.screen.Line("  ", term.Strong.Render(r[0]))
		} else {
			lead = term.Strong.Render(r[0]) + term.Spaces(widest+2-n)
		}
		for _, line := range term.Wrapped(r[1], room) {
			a.screen.Line("  ", lead, line)
			lead = term.Spaces(widest + 2)
		}
	}
}

// textWidth is how wide texts are set: as the window, and no wider than can be read.
func (a *app) textWidth() int {
	const readable = 96
	if a.screen.Width == 0 {
		return readable
	}
	return min(a.screen.Width, readable)
}

func (a *app) paragraph(text string) {
	for _, line := range term.Wrapped(term.Visible(text), a.textWidth()) {
		a.screen.Line(line)
	}
}
