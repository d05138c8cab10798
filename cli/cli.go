// Package cli is the command line: one file for each command, which reads
// flags, calls the core and has the result drawn by package term.
package cli

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/signal"
	"slices"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	xterm "golang.org/x/term"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/journal"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/template"
)

// Version is the version of the program.
const Version = "0.1.0"

// The exit statuses.
const (
	statusDone    = 0 // done, or nothing found
	statusFound   = 1 // findings, conflicts, or refused
	statusUnclear = 2 // the call itself or an input cannot be read
)

// An app is one run of the program.
type app struct {
	projects *project.Store                // once somebody asks for it
	all      bool                          // nothing is left out of what is shown, and nothing put together
	behind   map[string]bool               // whether projects of a template are of an older one, by its name, text and place
	goesBy   map[*template.Template]string // the files that templates of today were read from
	meant    map[string]bool               // files that somebody has said are meant
	in       io.Reader
	out, err io.Writer
	env      []string
	now      time.Time
	version  string
	noColor  bool
	state    string            // where to remember what was done, if not in the usual place
	screen   *term.Screen      // results
	side     *term.Screen      // questions, progress and errors
	answers  map[string]string // what a person has answered, by the names of fields
	answered []string          // these, in order
	rounds   int               // for how many things answers were asked for
	revising bool              // the last answers are to be changed
	*interrupts
	told     map[string]bool // files that were said to be drawn, and no templates
	agreedTo string          // a folder that somebody wants to be made
	typed    *bufio.Reader   // what is typed at a terminal that knows no more than lines
	call     []string        // the words behind the name of the program
	number   int             // of what was done last, in the history
	record   *journal.Record // of that
	cut      []*cut          // the runs that were cut short, when the call began
	*reach
	hurried bool // a word is being completed: nobody is asked, and nobody waited for
	jsonRun
}

// interrupts are what is to be known when somebody stops the program.
type interrupts struct {
	catching atomic.Int32 // so many parts of the run handle an interrupt by themselves
	changed  atomic.Bool  // something was carried out already
	// scaffold is the folder that was asked for and is made with what lies in it; nil for none.
	scaffold atomic.Pointer[scaffold]
}

// A stop ends a command with a status. Its message, if it has one, is told on
// standard error.
type stop struct {
	status        int
	message, help string
}

func (s *stop) Error() string { return s.message }

// severalLines is a text of a message that is meant to be of more than one line.
type severalLines string

// message makes the text of a stop: what came from elsewhere stays in one line.
func message(format string, args []any) string {
	for i, arg := range args {
		switch arg := arg.(type) {
		case string:
			if strings.ContainsAny(arg, "\n\r") {
				args[i] = string(term.Visible(arg))
			}
		case error:
			args[i] = place.Plain(arg)
		}
	}
	return fmt.Sprintf(format, args...)
}

// unclear stops a command whose call or input cannot be read.
func unclear(help, format string, args ...any) error {
	return &stop{statusUnclear, message(format, args), help}
}

// refused stops a command that will not do what it was asked to.
func refused(help, format string, args ...any) error {
	return &stop{statusFound, message(format, args), help}
}

// found stops a command that has told its findings already.
var found = &stop{status: statusFound}

// Main runs the program with the arguments, streams and environment of the
// process, and returns its exit status.
func Main() int {
	// The version is asked for by other programs, often: it needs none of the
	// rest.
	if len(os.Args) == 2 && os.Args[1] == "--version" {
		if _, err := fmt.Println("vestibula " + Version); err != nil {
			return statusUnclear
		}
		return statusDone
	}
	// Who reads may go away: what is written then fails, and nothing else does.
	signal.Ignore(syscall.SIGPIPE)
	a := &app{in: os.Stdin, out: os.Stdout, err: os.Stderr, env: os.Environ(), now: time.Now(), version: Version}
	a.prepare()
	a.onInterrupt()
	return a.run(os.Args[1:])
}

// onInterrupt says what stands when somebody stops the program. While it changes a disk, that
// part of it handles the interrupt itself.
func (a *app) onInterrupt() {
	pressed := make(chan os.Signal, 1)
	signal.Notify(pressed, os.Interrupt)
	side := a.side
	go func() {
		for range pressed {
			if a.catching.Load() > 0 {
				continue
			}
			text := "Nothing was changed."
			if a.changed.Load() {
				text = "What was done until then is whole, and stays; " + a.undoes().String()
			}
			a.dropScaffold()
			side.Text("\n" + term.Bad.Render("vestibula:") + " Stopped. " + term.Visible(text))
			os.Exit(statusFound)
		}
	}()
}

// Command returns the whole command line, for writing its manual.
func Command() *cobra.Command {
	a := &app{in: os.Stdin, out: os.Stdout, err: os.Stderr, version: Version}
	a.prepare()
	return a.root(nil)
}

func (a *app) run(args []string) int {
	a.prepare()
	term.Names = a.shownIn
	place.Drives(func() place.Reaching { return a.reaching().drives })
	a.call = args
	err := a.settle()
	if err == nil && a.completesDrive(args) {
		return statusDone
	}
	if err == nil {
		args, err = a.addressed(args)
	}
	root := a.root(args)
	if len(args) > 0 && strings.HasPrefix(args[0], cobra.ShellCompRequestCmd) {
		plainDescriptions(root)
	}
	defer func() {
		a.dropScaffold()
	}()
	c := root
	if err == nil {
		c, err = root.ExecuteC()
	}
	if failed := a.screen.Err(); failed != nil && !errors.Is(failed, syscall.EPIPE) {
		err = unwritten(failed)
	}
	if err == nil {
		a.tellSame(c)
		return a.endJSON(nil)
	}
	var s *stop
	if !errors.As(err, &s) {
		// Cobra's own errors are about the call.
		s = &stop{statusUnclear, err.Error(), advise("the commands", "--help").String()}
	}
	if slices.Contains(args, "--json") { // also where the call could not be read that far
		a.inJSON()
	}
	if back := slices.Contains(args, "--back"); s.status == statusUnclear && !back {
		s = archivedInstead(s, args)
	}
	a.tellStop(s)
	return a.endJSON(s)
}

// archivedInstead is the stop for what is not there, where it was archived.
func archivedInstead(s *stop, args []string) *stop {
	for _, arg := range args {
		if p := project.Archived(arg); p != nil {
			s = &stop{s.status, p.Called() + " was archived: it is " + p.Where(), "connect that, and try again"}
			if place.Exists(p.Lies()) {
				s.help = advise("to bring it back", "archive", "--back", typed(arg)).String()
			}
		}
	}
	return s
}

// tellStop says why a command stops.
func (a *app) tellStop(s *stop) {
	if s.message != "" {
		if a.side.Terminal && !term.Apart() {
			a.side.Line()
		}
		lead := term.Bad.Render("vestibula:") + " "
		for line := range strings.SplitSeq(s.message, "\n") {
			a.side.Text(lead + term.Visible(line))
			lead = "  "
		}
		if s.help != "" {
			for line := range strings.Lines(s.help) {
				a.side.Text("  " + term.Accent.Render(term.Visible(strings.TrimRight(line, "\n"))))
			}
		}
	}
}

// unwritten is the stop for a result that could not be written; where the reader
// went away, nothing is said.
func unwritten(err error) error {
	if errors.Is(err, syscall.EPIPE) {
		return &stop{status: statusDone}
	}
	return unclear("", "the result could not be written: %s", place.Reason(err))
}

func (a *app) prepare() {
	if a.interrupts == nil {
		a.interrupts, a.reach = &interrupts{}, &reach{}
	}
	a.screen = term.NewScreen(a.out, a.env, a.noColor)
	a.side = term.NewScreen(a.err, a.env, a.noColor)
}

// root returns the command line that reads a call: with one command alone where the call
// begins with its name, else with all.
func (a *app) root(args []string) *cobra.Command {
	root := &cobra.Command{
		Use:   "vestibula",
		Short: "Design, check and build the folders that you set up again and again.",
		Long: `Design, check and build the folders that you set up again and again.

Write the structure down once, as an indented list. Look at the tree that it
makes, have it checked, and build it with your own values filled in. Nothing
that exists is ever overwritten or removed.`,
		Example: `  vestibula demo
  vestibula show commission client="Oriel Pask"
  vestibula build commission --into . client="Oriel Pask" received=2027-03-09`,
		Version:       a.version,
		SilenceUsage:  true,
		SilenceErrors: true,
		PersistentPreRun: func(c *cobra.Command, _ []string) {
			a.prepare()
			if f := c.Flags().Lookup("json"); f != nil && f.Changed {
				a.inJSON()
			}
		},
		CompletionOptions: cobra.CompletionOptions{DisableDefaultCmd: true},
		Args:              cobra.ArbitraryArgs,
	}
	root.RunE = func(_ *cobra.Command, args []string) error { return a.alone(root, args) }
	root.SetVersionTemplate("vestibula {{.Version}}\n")
	root.SetIn(a.in)
	root.SetOut(a.out)
	root.SetErr(a.err)
	root.PersistentFlags().BoolVar(&a.noColor, "no-color", false, "no colours")
	root.PersistentFlags().BoolVar(&a.all, "all", false, "show all of what a list only counts or puts together")
	root.PersistentFlags().BoolP("help", "h", false, "say what a command does")
	root.Flags().BoolP("version", "v", false, "say which version this is")
	root.SetHelpFunc(func(c *cobra.Command, _ []string) {
		a.prepare()
		a.help(c)
	})
	root.SetFlagErrorFunc(badOption)
	root.SetArgs(args)
	commands := a.commands()
	if len(args) > 0 {
		if i := slices.IndexFunc(commands, func(c command) bool { return c.name == args[0] }); i >= 0 {
			root.AddCommand(a.looksBack(a.byName(commands[i].make())))
			return root
		}
	}
	for _, c := range commands {
		root.AddCommand(a.looksBack(a.byName(c.make())))
	}
	help := a.helpCommand(root)
	root.SetHelpCommand(help)
	root.AddCommand(help, a.completionCommand(root))
	return root
}

// A command is known by its name before it is made: with all its options, that is work.
type command struct {
	name string
	make func() *cobra.Command
}

func (a *app) commands() []command {
	return []command{
		{"show", a.showCommand},
		{"check", a.checkCommand},
		{"compare", a.compareCommand},
		{"build", func() *cobra.Command { return a.withButton(a.buildCommand()) }},
		{"add", func() *cobra.Command { return a.withButton(a.addCommand()) }},
		{"upgrade", a.upgradeCommand},
		{"next", func() *cobra.Command { return a.withButton(a.nextCommand()) }},
		{"archive", a.archiveCommand},
		{"backup", a.backupCommand},
		{"tick", a.tickCommand},
		{"drive", a.driveCommand},
		{"projects", func() *cobra.Command { return a.withButton(a.projectsCommand()) }},
		{"do", a.doCommand},
		{"history", a.historyCommand},
		{"undo", a.undoCommand},
		{"put", func() *cobra.Command { return a.withButton(a.putCommand()) }},
		{"rename", a.renameCommand},
		{"name", a.nameCommand},
		{"read", a.readCommand},
		{"draft", a.draftCommand},
		{"guide", a.guideCommand},
		{"templates", a.templatesCommand},
		{"demo", a.demoCommand},
	}
}

// interactive reports whether a person can be asked.
func (a *app) interactive() bool {
	f, ok := a.in.(*os.File)
	return ok && xterm.IsTerminal(int(f.Fd())) && a.side.Terminal
}

// getenv returns a variable of the environment.
func (a *app) getenv(key string) string {
	for _, kv := range a.env {
		if v, ok := strings.CutPrefix(kv, key+"="); ok {
			return v
		}
	}
	return ""
}

// printJSON writes v as indented JSON.
func (a *app) printJSON(v any) error {
	return a.writeJSON(v, "  ")
}

// writeJSON writes v as JSON. Characters that a terminal obeys stand in it as their
// codes, which mean the same in JSON.
func (a *app) writeJSON(v any, indent string) error {
	var data bytes.Buffer
	enc := json.NewEncoder(&data)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", indent)
	err := enc.Encode(v)
	if err == nil {
		_, err = a.out.Write(term.EscapeJSON([]byte(address.Drives(nil).ShowIn(data.String()))))
	}
	if err != nil {
		return unwritten(err)
	}
	return nil
}

// tellErrors tells the errors of a template on standard error and returns the
// stop for them.
func (a *app) tellErrors(file, text string, err error, status int) error {
	var errs outline.Errors
	var limit *template.LimitError
	switch {
	case errors.As(err, &errs):
		a.side.Errors(file, text, errs)
		a.mistakes = append(a.mistakes, mistake{file, errs})
		return &stop{status: status}
	case errors.As(err, &limit):
		if limit.Count == math.MaxInt {
			return refused("", "This would make more folders and files than can be counted.")
		}
		return refused(a.sameCall("if you mean it", "--limit", fmt.Sprint(limit.Count)).String(), "This would make %s folders and files; at most %s are made unless you allow more.",
			term.Number(limit.Count), term.Number(limit.Limit))
	}
	return err
}

// alone is the program without a command: on a terminal it looks where it is.
func (a *app) alone(root *cobra.Command, args []string) error {
	if len(args) > 0 {
		return a.unknownCommand(root, args[0])
	}
	if a.screen.Terminal {
		return a.firstScreen()
	}
	a.help(root)
	return nil
}

// dropScaffold takes a folder away that nothing was made in.
func (a *app) dropScaffold() {
	if s := a.scaffold.Load(); s != nil {
		s.Drop()
	}
}
