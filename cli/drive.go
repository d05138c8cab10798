package cli

import (
	"cmp"
	"errors"
	"io/fs"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/drive"
	"vestibula/core/outline"
	"vestibula/core/place"
)

// A driveRun gives a drive a name, or tells which have one.
type driveRun struct {
	*app
	user, command         string
	forget, plain, asJSON bool
}

func (a *app) driveCommand() *cobra.Command {
	r := &driveRun{app: a}
	c := &cobra.Command{
		Use:   "drive [NAME [ADDRESS]]",
		Short: "Give a drive of a school, an office or the cloud a short name.",
		Long: `Give a drive of a school, an office or the cloud a short name. ADDRESS is the one for
WebDAV, which its provider tells. From then on, NAME:FOLDER stands for a folder there
in every command. What the server keeps is tried out in a hidden folder of which
nothing stays. The password goes to the key store of this computer, else to a file that
only you can read. Without words, all drives are listed.`,
		Example: `  vestibula drive office https://drive.example.org/dav
  vestibula build commission --into office:Clients client="Oriel Pask"
  vestibula drive office --forget`,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) > 2 {
				return unclear(examplesOf("drive"), "a name and an address, and nothing behind them")
			}
			return nil
		},
		RunE: func(_ *cobra.Command, args []string) error {
			if wrong := a.reaching().wrong; wrong != nil {
				return undrivable(wrong)
			}
			switch {
			case len(args) == 0:
				return r.list()
			case len(args) == 1 && r.forget:
				return r.forgets(args[0])
			case len(args) == 1:
				return r.shows(args[0])
			case r.forget:
				return unclear("", "to forget a drive, its name is enough")
			}
			return r.names(args[0], args[1])
		},
		ValidArgsFunction: func(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
			var names []string
			for _, d := range a.reaching().named {
				names = append(names, d.Name)
			}
			if len(args) > 0 {
				names = nil
			}
			return names, cobra.ShellCompDirectiveNoFileComp
		},
	}
	c.Flags().StringVar(&r.user, "user", "", "your `NAME` there; else it is asked for")
	c.Flags().StringVar(&r.command, "key", "", "a `COMMAND` that prints the password, which is then kept nowhere")
	c.Flags().BoolVar(&r.plain, "unencrypted", false, "speak to it without encryption: others on the way can read all")
	c.Flags().BoolVar(&r.forget, "forget", false, "forget the name, and the password")
	c.Flags().BoolVar(&r.asJSON, "json", false, "print JSON")
	return c
}

// names gives a drive a name.
func (r *driveRun) names(name, text string) error {
	if !outline.IsWord(name) || len(name) < 2 || name == "http" || name == "https" {
		return unclear("a word of two letters or more, as office", "“%s” cannot be the name of a drive", name)
	}
	at, err := address.OfURL(text)
	if err != nil {
		return unclear("", "%v", err)
	}
	d := namedDrive{Name: name, Address: at, User: r.user, Command: r.command, Plain: r.plain}
	if i := slices.IndexFunc(r.named, func(d namedDrive) bool { return d.Name == name }); i >= 0 {
		if was := r.named[i]; was.Address != at {
			return refused(advise("to forget that one first", "drive", name, "--forget").String(), "%s is the name of %s", name, address.Drives(nil).Show(was.Address))
		}
		r.named = slices.Delete(r.named, i, i+1)
	}
	r.named = append(r.named, d)
	if url := at.URL(); url.Scheme == "http" && !r.plain {
		r.side.Text(term.Warn.Render("note:") + " this address is not encrypted; one on another computer is refused without --unencrypted")
	}
	if err := r.reached(at); err != nil {
		return err
	}
	info, err := place.Stat(at)
	if err != nil || !info.IsDir() {
		return refused("look at it in the drive's own page", "there is no folder at %s", address.Drives(nil).Show(at))
	}
	given, asked := r.asked[at.Server()]
	if d.User = cmp.Or(d.User, given.User); !asked && d.User == "" && d.Command == "" {
		d.User = r.getenv("VESTIBULA_USER")
	}
	if d.Keeps, err = r.writer().Try(at); err != nil && !errors.Is(err, fs.ErrPermission) {
		return refused("", "%s cannot be tried out: %s", name, place.Reason(err))
	}
	r.named[len(r.named)-1] = d
	return r.keeps(d, err != nil)
}

// keeps writes down what is known of a drive, and tells it.
func (r *driveRun) keeps(d namedDrive, readOnly bool) error {
	where := ""
	if given, asked := r.asked[d.Address.Server()]; asked {
		var err error
		if where, err = keepPassword(d.Address.Server(), d.User, cmp.Or(given.Password, given.Token)); err != nil {
			return refused("", "the password cannot be kept: %s", place.Reason(err))
		}
	}
	slices.SortFunc(r.named, func(a, b namedDrive) int { return strings.Compare(a.Name, b.Name) })
	if err := keepJSON(drivesFile(), kept{r.named}); err != nil {
		return refused("", "the name cannot be kept: %s", place.Reason(err))
	}
	if r.asJSON {
		return r.printJSON(d.json())
	}
	r.screen.Text(term.Good.Render("Kept") + term.Sprintf(": %s: is %s", d.Name, address.Drives(nil).Show(d.Address)))
	if where != "" {
		r.screen.Text(term.Sprintf("The password is in %s.", where))
	}
	if readOnly {
		r.screen.Text(term.Warn.Render("note:") + " you may only read there")
	} else {
		r.tellKeeps(d.Keeps)
	}
	r.screen.Text(term.Dim.Render(advise("To see what lies there", "check", d.Name+":").line()))
	return nil
}

// tellKeeps names what a drive does not keep.
func (r *driveRun) tellKeeps(k drive.Keeps) {
	for _, gap := range gapsOf(k) {
		r.screen.Text(term.Warn.Render("note:") + term.Sprintf(" %s", gap))
	}
	r.screen.Text(term.Dim.Render("What comes there is as old as that day: a drive keeps neither times nor rights, and no links."))
}

// gapsOf are what a drive does not keep, for a person.
func gapsOf(k drive.Keeps) (gaps []string) {
	if !k.Tried {
		return nil
	}
	if !k.Exclusive {
		gaps = append(gaps, "this drive replaces a file where a name is taken: it is looked right before, and whoever takes the name in that moment loses their file")
	}
	if !k.Conditions {
		gaps = append(gaps, "this drive cannot say whether a file has changed since: it is looked right before, by its size and time, and a change in that moment is not seen")
	}
	if !k.Locks {
		gaps = append(gaps, "this drive keeps nobody out: where two work in one folder at once, a number may be given twice")
	}
	return gaps
}

// A driveJSON is a drive as JSON shows it.
type driveJSON struct {
	Name    string       `json:"name"`
	Address string       `json:"address"`
	User    string       `json:"user,omitempty"`
	Keeps   *drive.Keeps `json:"keeps,omitempty"`
}

func (d *namedDrive) json() driveJSON {
	out := driveJSON{Name: d.Name, Address: address.Drives(nil).Show(d.Address), User: d.User}
	if d.Keeps.Tried {
		out.Keeps = &d.Keeps
	}
	return out
}

// list tells all drives.
func (r *driveRun) list() error {
	if r.asJSON {
		all := []driveJSON{}
		for i := range r.named {
			all = append(all, r.named[i].json())
		}
		return r.printJSON(all)
	}
	if len(r.named) == 0 {
		r.screen.Text("No drive has a name yet.")
		r.screen.Text(term.Dim.Render(term.Sprintf("%s", examplesOf("drive"))))
		return nil
	}
	for _, d := range r.named {
		r.screen.Text(term.Accent.Render(term.Visible(d.Name+":")) + term.Sprintf("  %s", address.Drives(nil).Show(d.Address)) + by(d.User))
	}
	return nil
}

func by(user string) term.Shown {
	if user == "" {
		return ""
	}
	return term.Dim.Render(term.Sprintf("  as %s", user))
}

// shows tells one drive, and what it keeps.
func (r *driveRun) shows(name string) error {
	d, err := r.byThatName(name)
	if err != nil {
		return err
	}
	if r.asJSON {
		return r.printJSON(d.json())
	}
	r.screen.Text(term.Accent.Render(term.Visible(d.Name+":")) + term.Sprintf("  %s", address.Drives(nil).Show(d.Address)) + by(d.User))
	if len(gapsOf(d.Keeps)) == 0 && d.Keeps.Tried {
		r.screen.Text("It keeps all that was tried: no name is given twice, what has changed is left alone, and others are kept out meanwhile.")
	}
	r.tellKeeps(d.Keeps)
	return nil
}

func (r *driveRun) byThatName(name string) (*namedDrive, error) {
	name = strings.TrimSuffix(name, ":")
	for i := range r.named {
		if r.named[i].Name == name {
			return &r.named[i], nil
		}
	}
	return nil, refused(advise("those that have one", "drive").String(), "no drive is called “%s”", name)
}

// forgets forgets a drive and its password; what lies on it stays.
func (r *driveRun) forgets(name string) error {
	d, err := r.byThatName(name)
	if err != nil {
		return err
	}
	was := *d
	r.named = slices.DeleteFunc(r.named, func(d namedDrive) bool { return d.Name == was.Name })
	if !slices.ContainsFunc(r.named, func(d namedDrive) bool {
		return d.Address.Server() == was.Address.Server() && d.User == was.User
	}) {
		if _, err := keepPassword(was.Address.Server(), was.User, ""); err != nil {
			return refused("", "the password cannot be forgotten: %s", place.Reason(err))
		}
	}
	if err := keepJSON(drivesFile(), kept{r.named}); err != nil {
		return refused("", "the name cannot be forgotten: %s", place.Reason(err))
	}
	if r.asJSON {
		return r.printJSON(was.json())
	}
	r.screen.Text(term.Good.Render("Forgotten") + term.Sprintf(": %s, and its password. What lies there is as it was.", was.Name))
	return nil
}
