package cli

import (
	"bufio"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/adrg/xdg"
	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/proposal"
	"vestibula/core/tree"
	"vestibula/examples"
)

func (a *app) demoCommand() *cobra.Command {
	var fast bool
	c := &cobra.Command{
		Use:   "demo [DIR]",
		Short: "Show the main job from end to end, with the templates of a small bindery.",
		Long: `Show the main job from end to end, at Thistlewick Bindery, a made-up workshop of two
people: a plain list is checked, fixed and built; with slots it serves every client; it
changes, and what was built follows; names are put right, files find their places, a month
is turned, and all of it can be taken back.

All happens in DIR, a new folder, or in one among the temporary files; every command is
shown, so that you can repeat it there, and undo it. On a terminal it waits after each; --fast does not.`,
		Example: `  vestibula demo
  vestibula demo bindery --fast`,
		Args: atMost(1),
		RunE: func(_ *cobra.Command, args []string) error {
			dir := filepath.Join(os.TempDir(), "bindery")
			for n := 2; len(args) == 0 && place.Exists(dir); n++ {
				dir = filepath.Join(os.TempDir(), fmt.Sprintf("bindery-%d", n))
			}
			if len(args) == 1 {
				dir = args[0]
			}
			return a.demo(dir, fast)
		},
	}
	c.Flags().BoolVar(&fast, "fast", false, "do not wait after each step")
	return c
}

// A scene is one step of the demo: what is said, what happens to a file, and the command.
type scene struct {
	say     term.Shown
	shows   string // a file that is shown
	becomes string // the file of examples/demo that binding.folders is rewritten to
	args    []string
}

// scenes are the story: a list, checked, fixed, built; and what follows in the years.
var scenes = []scene{
	{say: "Write your folders down as a list, in any editor:", shows: "list.txt"},
	{say: "Will it sort as it is meant?", args: []string{"check", "list.txt"}},
	{say: "What follows from the rules is fixed for you:", args: []string{"check", "list.txt", "--fix", "--yes"}},
	{say: "Build it. Nothing is ever overwritten:", args: []string{"build", "list.txt", "--into", "Clients", "--yes"}},
	{say: "That was to try it out. Each step can be taken back:", args: []string{"undo", "--yes"}},
	{say: "With slots, one list serves every client: <client> is asked for, <#> numbers by itself.", shows: "binding.folders"},
	{say: "Look at what it makes, with values of your own:", args: []string{"show", "binding", "client=Åsgerd Ölvane"}},
	{say: "Build it for one client:", args: []string{"build", "binding", "--into", "Clients", "client=Åsgerd Ölvane", "received=2027-03-09", "--yes"}},
	{say: "Or once for each row of a table:", args: []string{"build", "binding", "--into", "Clients", "--table", "clients.csv", "--yes"}},
	{say: "Months later the list gets better: a survey comes in, and Work has another name.", becomes: "later.folders", shows: "binding.folders"},
	{say: "What was built follows, with all that lies in it:", args: []string{"upgrade", "Clients", "--yes"}},
	{say: "Files find their places, by their names and kinds. What is not sure stays:", args: []string{"put", "Arrivals", "--into", "Clients", "--yes"}},
	{say: "Names that have drifted over the years are read as you would read them:", args: []string{"rename", "binding", "bill", "Drifted", "--yes"}},
	{say: "So that these find their places, too, and the card of the camera:", args: []string{"put", "Drifted", "Card", "--into", "Clients/2027-03 Oriel Pask", "--yes"}},
	{say: "A month in the office ends; what goes along comes with the new one:", args: []string{"next", "2027-03 Office", "--yes"}},
	{say: "That was too early? Take it back:", args: []string{"undo", "--yes"}},
	{say: "And how do all of them stand?", args: []string{"check", "Clients"}},
}

// arrivals are files that have come in.
var arrivals = []string{"2027-04-02 asgerd-olvane bill 01.pdf", "Letter from Jun Teague.docx", "Oriel Pask, spine.jpg", "notes.txt"}

// demoStates is the folder in which it is remembered what was done in folders of the demo, apart from what
// the person has done elsewhere.
func demoStates() string { return filepath.Join(xdg.StateHome, "vestibula-demo") }

// demoState is the one for a folder, and all that lies in it. That it is not kept in the folder itself keeps
// a folder of somebody else from bringing a history with it.
func demoState(of address.Address) string {
	sum := sha256.Sum256([]byte(of))
	return filepath.Join(demoStates(), hex.EncodeToString(sum[:8]))
}

// demo plays the story in a new folder.
func (a *app) demo(dir string, fast bool) error {
	if list, err := place.ReadDir(dir); err == nil && len(list) > 0 {
		return refused("name a new one", "%s is there already, and holds something", dir)
	}
	if err := a.layOut(dir); err != nil {
		return err
	}
	waits := !fast && a.interactive() && a.screen.Terminal
	keys := bufio.NewReader(a.in)
	for i, s := range scenes {
		if err := a.play(s); err != nil {
			return err
		}
		if waits && i < len(scenes)-1 {
			a.screen.Line(term.Dim.Render("Return goes on · ctrl+c ends"))
			if _, err := keys.ReadString('\n'); err != nil {
				break
			}
			a.screen.Erase(2)
		}
	}
	here, err := place.Real(".")
	if err != nil {
		return refused("", "%s", place.Reason(err))
	}
	a.screen.Text(term.Accent.Render("Where to look next:"))
	a.screen.Text(term.Sprintf("  cd %s   all of it lies there, and its history", quoted(string(here))))
	a.screen.Text("  " + advise("to be asked, on a terminal, for what is needed", "build", "commission", "--into", ".").line())
	a.screen.Text("  " + advise("all commands", "help").line())
	return nil
}

// layOut makes the folder of the demo, with all that it begins with, and goes there.
func (a *app) layOut(dir string) error {
	text := func(name string) tree.Content {
		data, _ := examples.Demo.ReadFile("demo/" + name)
		return tree.Bytes(data)
	}
	begin := []newFile{
		{filepath.Join(dir, "list.txt"), tree.Bytes("Commission\n    1 Letters\n    2 Work\n    10 Bills\n")},
		{filepath.Join(dir, "binding.folders"), text("first.folders")},
		{filepath.Join(dir, "office.folders"), text("office.folders")},
		{filepath.Join(dir, "clients.csv"), tree.Bytes("client,received\nOriel Pask,2027-03-12\nJun Teague,2027-04-01\n")},
		{filepath.Join(dir, "commissions.xlsx"), tree.Bytes(examples.Table)},
		{filepath.Join(dir, "Clients"), nil},
	}
	for _, name := range arrivals {
		begin = append(begin, newFile{filepath.Join(dir, "Arrivals", name), tree.Bytes("Made up: " + name + "\n")})
	}
	for i := range 3 {
		begin = append(begin, newFile{filepath.Join(dir, "Card", fmt.Sprintf("IMG_%d.jpg", 2044+i)), tree.Bytes(fmt.Sprintf("Made up: photograph %d\n", i+1))})
	}
	for i, name := range []string{"Oriel Pask 13.4.27 bill 1.pdf", "bill 2 Oriel Pask 2027-4-9.pdf", "Oriel Pask 23.05.2027 bill 3.pdf"} {
		begin = append(begin, newFile{filepath.Join(dir, "Drifted", name), tree.Bytes(fmt.Sprintf("Made up: bill %d\n", i+1))})
	}
	if err := a.makeFiles("demo", "the demo", begin, true); err != nil {
		return err
	}
	dir, err := filepath.Abs(dir)
	if err != nil {
		return refused("", "%s", place.Reason(err))
	}
	if err := os.Chdir(dir); err != nil {
		return refused("", "%s", place.Reason(err))
	}
	here, err := place.Real(".")
	if err != nil {
		return refused("", "%s", place.Reason(err))
	}
	a.state = demoState(here)
	if err := a.unseen("build", "office", "--into", ".", "month=2027-03", "--yes"); err != nil {
		return err
	}
	return a.makeFiles("demo", "the demo", []newFile{{filepath.Join("2027-03 Office", "Sheets", "2027-03 rent.csv"), tree.Bytes("rent,400\n")}}, true)
}

// play tells a scene, and does what it is about.
func (a *app) play(s scene) error {
	a.screen.Text(term.Accent.Render(s.say))
	if err := a.rewrite(s); err != nil {
		return err
	}
	if s.shows != "" {
		data, err := place.ReadFile(s.shows, outline.MaxBytes)
		if err != nil {
			return refused("", "%s", place.Reason(err))
		}
		a.screen.Line()
		shown := string(data)
		if _, outline, found := strings.Cut(shown, "\n---\n"); found && s.becomes != "" {
			shown = outline // its header is what it was
		}
		for line := range strings.Lines(shown) {
			a.screen.Line("    ", term.Visible(strings.TrimRight(line, "\r\n")))
		}
	}
	if len(s.args) > 0 {
		a.screen.Text(term.Strong.Render(term.Sprintf("$ %s", advise("", s.args...))))
		a.screen.Line()
		var told *stop
		a.call = s.args
		if err := a.root(s.args).Execute(); err != nil && (!errors.As(err, &told) || told.message != "") {
			return err
		}
	}
	a.screen.Line()
	return nil
}

// unseen carries out a command that is no part of the story.
func (a *app) unseen(args ...string) error {
	screen := a.screen
	defer func() { a.screen = screen }()
	out := a.out
	a.out = &strings.Builder{}
	defer func() { a.out = out }()
	return a.root(args).Execute()
}

// rewrite changes the template of the demo, as somebody does in an editor.
func (a *app) rewrite(s scene) error {
	if s.becomes == "" {
		return nil
	}
	const file = "binding.folders"
	was, err := place.ReadFile(file, outline.MaxBytes)
	if err != nil {
		return refused("", "%s", place.Reason(err))
	}
	is, err := examples.Demo.ReadFile("demo/" + s.becomes)
	if err != nil {
		return err
	}
	here, err := place.Real(".")
	if err != nil {
		return refused("", "%s", place.Reason(err))
	}
	set := change.Rewriting(here.Join(file), was, is)
	return a.propose(consent{named: true}, &task{Proposal: &proposal.Proposal{Set: set}, undertaking: undertaking{doing: "writing", noJournal: true, head: journal.Head{What: "demo", Title: file}}})
}
