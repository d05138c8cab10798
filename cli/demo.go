package cli

import (
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/label"
	"vestibula/core/tree"
	"vestibula/examples"
)

func (a *app) demoCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "demo [DIR]",
		Short: "Show the main job from end to end, with the templates of a small bindery.",
		Long: `Show the main job from end to end, with the templates of Thistlewick Bindery, a
made-up workshop of two people. All is built in DIR, or in a new temporary
folder, and every command is shown, so that you can repeat it.`,
		Example: `  vestibula demo
  vestibula demo bindery`,
		Args: atMost(1),
		RunE: func(_ *cobra.Command, args []string) error {
			dir := filepath.Join(os.TempDir(), "vestibula-demo-"+label.NewID())
			if len(args) == 1 {
				dir = args[0]
			}
			return a.demo(dir)
		},
	}
}

// demo plays the main job in a folder. What it does is remembered there as well,
// apart from what the person has done.
func (a *app) demo(dir string) error {
	table, clients := filepath.Join(dir, "commissions.xlsx"), filepath.Join(dir, "Clients")
	begin := []newFile{{table, tree.Bytes(examples.Table)}, {clients, nil}}
	begin = slices.DeleteFunc(begin, func(f newFile) bool {
		_, err := os.Lstat(f.path)
		return err == nil // from an earlier time
	})
	if len(begin) > 0 {
		if err := a.makeFiles("demo", "the demo", begin, true); err != nil {
			return err
		}
	}
	a.state = filepath.Join(dir, ".history")
	steps := []struct {
		say  term.Shown
		args []string
	}{
		{"These templates come with the program. They are plain indented lists.",
			[]string{"templates"}},
		{"Look at what one makes, with your own values in it:",
			[]string{"show", "commission", "client=Åsgerd Ölvane", "gilding=yes"}},
		{"Will it work everywhere? Have it checked:",
			[]string{"check", "commission"}},
		{"Then build it. Nothing is overwritten, ever:",
			[]string{"build", "commission", "--into", dir, "client=Åsgerd Ölvane", "received=2027-03-09", "gilding=yes", "--yes"}},
		{"A course, for two people and three evenings:",
			[]string{"build", "evening-course", "--into", dir, "course=Case Binding", "term=2027 spring", "weeks=3", "people=Oriel Pask; Jun Teague", "--yes"}},
		{"The books of a year:",
			[]string{"build", "ledger", "--into", dir, "year=2027", "--yes"}},
		{"One for each row of a table, and a mark in the table for each that is built:",
			[]string{"build", "commission", "--into", clients, "--table", table, "--mark", "--yes"}},
		{"The same again changes nothing, so it is safe to repeat:",
			[]string{"build", "ledger", "--into", dir, "year=2027", "--yes"}},
		{"Is all of it as it was built? Next year as well, a row for each project:",
			[]string{"check", dir}},
	}
	for _, s := range steps {
		a.screen.Text(term.Accent.Render(s.say))
		a.screen.Text(term.Strong.Render(term.Sprintf("$ vestibula %s", shellLine(s.args))))
		a.screen.Line()
		root := a.root()
		root.SetArgs(s.args)
		if err := root.Execute(); err != nil {
			return err
		}
		a.screen.Line()
	}
	a.screen.Text(term.Accent.Render("Where to look next:"))
	a.screen.Text(term.Sprintf("  %s   the folders that were just built, and the table", filepath.ToSlash(dir)))
	a.screen.Text(term.Sprintf("  vestibula build commission --into %s   on a terminal, asks for what it needs", shellWord(dir)))
	a.screen.Text("  vestibula --help   all commands")
	return nil
}

// shellLine writes arguments as a person would type them.
func shellLine(args []string) string {
	words := make([]string, len(args))
	for i, arg := range args {
		name, value, assigned := strings.Cut(arg, "=")
		if words[i] = shellWord(arg); assigned {
			words[i] = name + "=" + shellWord(value)
		}
	}
	return strings.Join(words, " ")
}

func shellWord(s string) string {
	if strings.ContainsAny(s, " ;&'\"$()<>|*?[]\\") {
		return `"` + strings.NewReplacer(`"`, `\"`, `$`, `\$`, `\`, `\\`).Replace(s) + `"`
	}
	return s
}
