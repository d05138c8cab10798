package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/adrg/xdg"
	"github.com/spf13/cobra"
	"github.com/zalando/go-keyring"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/disk"
	"vestibula/core/drive"
	"vestibula/core/journal"
	"vestibula/core/outline"
	"vestibula/core/place"
)

// A namedDrive is what is kept of a drive that has a name.
type namedDrive struct {
	Name    string          `json:"name"`
	Address address.Address `json:"address"`
	User    string          `json:"user,omitempty"`
	Command string          `json:"command,omitempty"` // prints the password
	Plain   bool            `json:"unencrypted,omitempty"`
	Keeps   drive.Keeps     `json:"keeps,omitzero"`
}

// kept are the drives that have names, and where their passwords lie where this computer has no store of
// keys.
type kept struct {
	Drives []namedDrive `json:"drives"`
}

// drivesFile is where the names of drives are kept; keysFile, passwords where the system keeps none.
func drivesFile() string { return filepath.Join(xdg.ConfigHome, "vestibula", "drives.json") }
func keysFile() string   { return filepath.Join(xdg.DataHome, "vestibula", "passwords.json") }

// mostKept is how large these files may be, in bytes.
const mostKept = 1 << 20

// A reach is how drives are reached in a run.
type reach struct {
	once   sync.Once // what is kept is read
	named  []namedDrive
	drives *drive.Drives
	wrong  error
	asked  map[address.Address]drive.Credentials // what was answered at the terminal
}

// reaching is how this run reaches drives, also by the names that the person gave them.
func (a *app) reaching() *reach {
	a.reach.once.Do(a.readDrives)
	return a.reach
}

// readDrives reads what is kept of drives.
func (a *app) readDrives() {
	r := a.reach
	r.asked = map[address.Address]drive.Credentials{}
	if data, err := place.ReadFile(drivesFile(), mostKept); err == nil {
		var all kept
		if json.Unmarshal(data, &all) != nil {
			r.wrong = errors.New("it is damaged")
		}
		r.named = all.Drives
	} else if !errors.Is(err, fs.ErrNotExist) {
		r.wrong = err
	}
	r.drives = drive.New(drive.Config{
		Who: a.credentials, Plain: func(at address.Address) bool {
			return slices.ContainsFunc(r.named, func(d namedDrive) bool { return d.Plain && d.Address.Server() == at })
		},
		Note: a.noteLock, Noted: a.notedLock, Dial: dial,
		Proxy: http.ProxyFromEnvironment, Sleep: func(d time.Duration) {
			if !a.hurried {
				time.Sleep(d)
			}
		}, Version: a.version,
	})
	for _, d := range r.named {
		if d.Keeps.Tried {
			r.drives.Server(d.Address).Tried(d.Keeps)
		}
	}
}

// lockFile is where it is noted which lock a run holds at an address on a drive.
func (a *app) lockFile(at address.Address) string {
	_, ino, _ := place.Identity(at)
	return filepath.Join(journal.RegisterDir(a.stateDir()), fmt.Sprintf("drive-%x-%x", ino, len(at)))
}

func (a *app) noteLock(at address.Address, token string) {
	if token == "" {
		_ = disk.Keep(a.lockFile(at), nil)
		return
	}
	_ = disk.Keep(a.lockFile(at), []byte(string(at)+"\n"+token))
}

func (a *app) notedLock(at address.Address) string {
	data, err := place.ReadFile(a.lockFile(at), mostKept)
	if whose, token, is := strings.Cut(string(data), "\n"); err == nil && is && whose == string(at) {
		return token
	}
	return ""
}

// names are the drives that have names.
func (r *reach) names() (list address.Drives) {
	for _, d := range r.named {
		list = append(list, address.Drive{Name: d.Name, At: d.Address})
	}
	return list
}

// of is what is kept of the drive that an address lies on, nil for nothing.
func (r *reach) of(at address.Address) *namedDrive {
	var best *namedDrive
	for i := range r.named {
		if d := &r.named[i]; at.Within(d.Address) && (best == nil || len(d.Address) > len(best.Address)) {
			best = d
		}
	}
	for i := range r.named { // a name and a password are those of the server
		if d := &r.named[i]; best == nil && d.Address.Server() == at.Server() {
			best = d
		}
	}
	return best
}

// isAddress reports whether a word can be the address of something on a drive.
func isAddress(word string) bool {
	i := strings.Index(word, ":")
	return i > 0 && (i > 1 || runtime.GOOS != "windows") && !strings.ContainsAny(word[:i], `/\ =."`)
}

// addressed returns the words of a call with each address on a drive as it is kept, and has
// drives be reached where there is one.
func (a *app) addressed(args []string) ([]string, error) {
	if len(args) > 1 && strings.HasPrefix(args[0], cobra.ShellCompRequestCmd) {
		out, err := a.addressed(args[1 : len(args)-1]) // the last one is being typed
		if err != nil {
			return args, nil
		}
		return slices.Concat(args[:1], out, args[len(args)-1:]), nil
	}
	if len(args) == 0 || args[0] == "drive" || args[0] == "help" || args[0] == "completion" {
		return args, nil
	}
	var out []string
	for i, word := range args {
		lead, rest := "", word
		if name, value, is := strings.Cut(word, "="); is && strings.HasPrefix(name, "--") {
			lead, rest = name+"=", value
		}
		if i == 0 || !isAddress(rest) {
			continue
		}
		r := a.reaching()
		if r.wrong != nil {
			return nil, undrivable(r.wrong)
		}
		at, err := r.names().Read(rest)
		switch {
		case errors.Is(err, address.ErrSecret):
			return nil, unclear(advise("to give the drive a name, and keep the password safely", "drive", "NAME", "https://…").String(), "%v", err)
		case err != nil:
			return nil, unclear("", "“%s”: %v", rest, err)
		case at == "":
			if err := r.unnamed(args[i-1], rest, lead); err != nil {
				return nil, err
			}
			continue
		}
		if err := a.reached(at); err != nil {
			return nil, err
		}
		if out == nil {
			out = slices.Clone(args)
		}
		out[i] = lead + string(at)
	}
	if out == nil {
		return args, nil
	}
	return out, nil
}

// undrivable is the stop where what is kept of drives cannot be read.
func undrivable(err error) error {
	return unclear("put it right, or move it away", "the names of drives in %s cannot be read: %s", drivesFile(), place.Reason(err))
}

// tellGaps tells what drives do not keep that have no name; of one that has, it was told with that.
func (a *app) tellGaps(places []address.Address) {
	told := map[address.Address]bool{}
	for _, at := range places {
		server := at.Server()
		if server == "" || told[server] || a.reaching().of(at) != nil {
			continue
		}
		told[server] = true
		for _, gap := range gapsOf(a.reaching().drives.Server(server).Keeps()) {
			a.note(term.Sprintf("%s", gap))
		}
	}
}

// unnamed refuses a place on a drive that nobody has named.
func (r *reach) unnamed(before, word, lead string) error {
	name, _, _ := strings.Cut(word, ":")
	if !outline.IsWord(name) || !slices.Contains(holdsPlace, strings.TrimSuffix(lead, "=")) && (lead != "" || !slices.Contains(holdsPlace, before)) || place.Exists(word) {
		return nil
	}
	var names []string
	for _, d := range r.named {
		names = append(names, d.Name)
	}
	help := advise("those that have a name", "drive").String()
	if near := outline.Nearest(name, names); near != "" {
		help = "did you mean " + near + ":?\n" + help
	}
	return unclear(help, "no drive is called “%s”", name)
}

// holdsPlace are the options behind which a place stands.
var holdsPlace = []string{"--into", "--in", "--template", "--table", "--archive", "--older-into", "--links", "--on"}

// reached sees whether the server of an address answers.
func (a *app) reached(at address.Address) error {
	_, err := place.Lstat(at)
	if err == nil || errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	var s *stop
	if errors.As(err, &s) {
		return s
	}
	help := ""
	if errors.Is(err, drive.ErrAccess) {
		help = "it was tried once, so that nobody is locked out"
	}
	return unclear(help, "%s cannot be reached: %s", a.shown(at), place.Reason(err))
}

// shown is an address as a person writes it.
func (a *app) shown(at address.Address) string { return a.shownIn(string(at)) }

// shownIn is a text in which addresses on drives stand as a person writes them.
func (a *app) shownIn(text string) string {
	if !strings.Contains(text, "http") || !strings.Contains(text, "/http") && !strings.Contains(text, `\http`) {
		return text
	}
	return a.reaching().names().ShowIn(text)
}

// credentials are what a server is told of the person: what the environment says, what is kept,
// what a command prints, or what is answered at the terminal.
func (a *app) credentials(server address.Address, realm string) (drive.Credentials, error) {
	c := drive.Credentials{User: a.getenv("VESTIBULA_USER"), Password: a.getenv("VESTIBULA_PASSWORD"), Token: a.getenv("VESTIBULA_TOKEN")}
	if c.Token != "" || c.User != "" && c.Password != "" {
		return c, nil
	}
	r := a.reaching()
	if answered, is := r.asked[server]; is {
		return answered, nil
	}
	name, word, full := a.shown(server), "NAME", address.Drives(nil).Show(server)
	if d := r.of(server); d != nil {
		name, word, full = d.Name, d.Name, address.Drives(nil).Show(d.Address)
		password, err := a.password(server, d)
		if err != nil {
			return c, err
		}
		if password != "" {
			return credentialsOf(d.User, password), nil
		}
		c.User = d.User
	}
	if !a.interactive() || a.hurried {
		return c, unclear("set the variables VESTIBULA_USER and VESTIBULA_PASSWORD; "+advise("or, on a terminal, keep the password", "drive", word, full).String(), "%s asks for a name and a password", name)
	}
	c, err := a.askWho(name, realm, c.User)
	r.asked[server] = c
	return c, err
}

// credentialsOf are a name and a password or, without a name, a token.
func credentialsOf(user, password string) drive.Credentials {
	if user == "" {
		return drive.Credentials{Token: password}
	}
	return drive.Credentials{User: user, Password: password}
}

// askWho asks for a name and a password. Who leaves the name empty gives a token.
func (a *app) askWho(name, realm, user string) (drive.Credentials, error) {
	title := name + " asks who you are"
	if realm != "" {
		title += " (it calls itself “" + realm + "”)"
	}
	q := &question{title: term.Visible(title + ". Your name there:"), hint: "without a name, a token is asked for · ctrl+c stops", text: user}
	if _, err := a.answerTo(q); err != nil {
		return drive.Credentials{}, err
	}
	user = strings.TrimSpace(q.text)
	what := "Password:"
	if user == "" {
		what = "Token:"
	}
	q = &question{title: term.Visible(what), hint: "it is not shown · ctrl+c stops", secret: true}
	if _, err := a.answerTo(q); err != nil {
		return drive.Credentials{}, err
	}
	return credentialsOf(user, q.text), nil
}

// password is what is kept for a drive, "" for nothing.
func (a *app) password(server address.Address, d *namedDrive) (string, error) {
	if d.Command != "" {
		return printed(d.Command)
	}
	if text, err := keyring.Get(keyService, keyOf(server, d.User)); err == nil {
		return text, nil
	}
	return keys()[keyOf(server, d.User)], nil
}

// keyService is under what the system keeps passwords.
const keyService = "vestibula"

func keyOf(server address.Address, user string) string {
	return address.Drives(nil).Show(server) + " " + user
}

// printed is the first line that a command prints.
func printed(command string) (string, error) {
	shell := []string{"sh", "-c"}
	if runtime.GOOS == "windows" {
		shell = []string{"cmd", "/c"}
	}
	out, err := exec.Command(shell[0], append(shell[1:], command)...).Output()
	if err != nil {
		return "", unclear("", "the command that prints the password failed: %s", command)
	}
	line, _, _ := bytes.Cut(out, []byte("\n"))
	return strings.TrimRight(string(line), "\r"), nil
}

// keys are the passwords in the file that only the person can read.
func keys() map[string]string {
	all := map[string]string{}
	if data, err := place.ReadFile(keysFile(), mostKept); err == nil {
		_ = json.Unmarshal(data, &all)
	}
	return all
}

// keepPassword keeps a password where the system keeps such, else in a file that only the person can
// read. Where says which of them; an empty password is forgotten.
func keepPassword(server address.Address, user, password string) (where string, err error) {
	key := keyOf(server, user)
	all := keys()
	_, inFile := all[key]
	delete(all, key)
	if password == "" {
		_ = keyring.Delete(keyService, key)
		if !inFile {
			return "", nil
		}
		return "", writeKeys(all)
	}
	if keyring.Set(keyService, key, password) == nil {
		if inFile {
			err = writeKeys(all)
		}
		return "the key store of this computer", err
	}
	all[key] = password
	return keysFile() + ", which only you can read", writeKeys(all)
}

func writeKeys(all map[string]string) error {
	if len(all) == 0 {
		return disk.Keep(keysFile(), nil)
	}
	return keepJSON(keysFile(), all)
}

func keepJSON(file string, v any) error {
	data, err := json.MarshalIndent(v, "", "  ")
	if err != nil {
		return err
	}
	return disk.Keep(file, append(data, '\n'))
}

// completesDrive offers what lies on a drive, where a word that is being typed begins to name that; it
// reports whether it did. Nobody is asked for a password meanwhile, and nobody is waited for.
func (a *app) completesDrive(args []string) bool {
	if len(args) < 3 || !strings.HasPrefix(args[0], cobra.ShellCompRequestCmd) || !place.Exists(drivesFile()) {
		return false
	}
	lead, word := "", args[len(args)-1]
	if name, value, is := strings.Cut(word, "="); is && strings.HasPrefix(name, "--") {
		lead, word = name+"=", value
	}
	if before := args[len(args)-2]; strings.HasPrefix(before, "-") && !slices.Contains(holdsPlace, before) {
		return false
	}
	a.hurried = true
	r := a.reaching()
	var out []string
	if i := strings.LastIndexAny(word, ":/"); i < 0 {
		for _, d := range r.named {
			if word != "" && strings.HasPrefix(d.Name, word) && !place.Exists(word) {
				out = append(out, d.Name+":")
			}
		}
	} else if at, err := r.names().Read(word[:i+1]); err == nil && at != "" {
		list, _ := place.ReadDir(at)
		for _, e := range list {
			if full := word[:i+1] + e.Name(); strings.HasPrefix(full, word) && !strings.HasPrefix(e.Name(), ".") {
				if e.IsDir() {
					full += "/"
				}
				out = append(out, full)
			}
		}
	}
	if len(out) == 0 {
		return false
	}
	for _, full := range harmlessWords(out) {
		a.screen.Line(term.Visible(lead + full))
	}
	a.screen.Line(term.Sprintf(":%d", int(cobra.ShellCompDirectiveNoSpace|cobra.ShellCompDirectiveNoFileComp)))
	return true
}

// silence is how long a line may stand still.
const silence = 2 * time.Minute

// A line is a connection that ends where nothing comes or goes for too long.
type line struct{ net.Conn }

func dial(ctx context.Context, network, address string) (net.Conn, error) {
	c, err := (&net.Dialer{Timeout: 20 * time.Second, KeepAlive: 30 * time.Second}).DialContext(ctx, network, address)
	if err != nil {
		return nil, err
	}
	return line{c}, nil
}

func (l line) Read(b []byte) (int, error) {
	_ = l.SetReadDeadline(time.Now().Add(silence))
	return l.Conn.Read(b)
}

func (l line) Write(b []byte) (int, error) {
	_ = l.SetWriteDeadline(time.Now().Add(silence))
	return l.Conn.Write(b)
}
