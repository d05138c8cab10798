package cli

import (
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/bag"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/journal"
	"vestibula/core/pack"
	"vestibula/core/place"
	"vestibula/core/project"
	"vestibula/core/tree"
)

// A backupRun is one call of backup.
type backupRun struct {
	*app
	consent
	into  string
	bag   bool
	zip   bool
	share bool
	list  bool
	keep  int

	copies []*backingUp
	older  []string    // backups that go aside, absolute
	packs  func(n int) // is told of what goes into a file
}

// A backingUp is one project that is set aside.
type backingUp struct {
	dir, name string // the project's own folder, and the name of the backup, without an ending
	root      *tree.Node
	note      *bag.Backup
	shares    *madeBackup // the last one, which holds much the same
}

// olderBackups is the folder that backups go to of which only the newest are kept at hand.
const olderBackups = "Older"

func (a *app) backupCommand() *cobra.Command {
	r := &backupRun{app: a}
	c := &cobra.Command{
		Use:   "backup PROJECT… --into DIR",
		Short: "Set a dated copy of a project aside, and see what has changed since.",
		Long: `Set a dated copy of a project aside: all that is in it, hidden files, links and empty
folders too, under the name of the day, read back and compared. A list in it says what it
held, so that vestibula check DIR tells later what is missing, changed or extra in it.

With --share a file of the size and time that it had in the last backup is not copied: both
backups share it, as a clone where the disk can, else as one read-only file with two names.
What a project holds is never shared with a backup.

With --zip it is one file, which any program opens. With --bag it is a bag (BagIt, RFC 8493), which other programs can check as well. --list
shows the backups that are there, and what differs between each and now. --keep N moves all
but the newest N into a folder “` + olderBackups + `”.`,
		Example: `  vestibula backup "2027-03 Oriel Pask BK" --into Backups
  vestibula backup "2027-03 Oriel Pask BK" --into Backups --list
  vestibula backup "2027-03 Oriel Pask BK" --into Backups --zip
  vestibula backup "2027-03 Oriel Pask BK" --into /media/Marl --bag --keep 10`,
		RunE: func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	f := c.Flags()
	f.StringVar(&r.into, "into", "", "the folder `DIR` of the backups")
	f.BoolVar(&r.bag, "bag", false, "make it a bag, which other programs can check")
	f.BoolVar(&r.zip, "zip", false, "make it one file, a ZIP archive")
	f.BoolVar(&r.share, "share", false, "let files that are as in the last backup share the room of that one")
	f.BoolVar(&r.list, "list", false, "show the backups that are there, and what differs")
	f.IntVar(&r.keep, "keep", 0, "keep the newest `N` at hand, and move the others aside")
	r.addYes(c, "make it without asking")
	f.BoolVar(&r.preview, "preview", false, "show what would be done, and change nothing")
	f.BoolVar(&r.asJSON, "json", false, "print JSON")
	_ = c.MarkFlagDirname("into")
	c.ValidArgsFunction = a.completeProject
	return c
}

func (r *backupRun) run(args []string) error {
	if len(args) == 0 {
		args = []string{"."}
	}
	if r.into == "" {
		return unclear("", "into which folder? Name it with --into")
	}
	if r.zip && r.share {
		return unclear("leave out one of them", "what lies in one file with --zip cannot be shared")
	}
	if r.keep < 0 {
		return unclear("", "--keep is a number of backups")
	}
	into, err := place.Open(r.into)
	if err != nil {
		return unclear("", "%v", err)
	}
	into.Close()
	for _, at := range args {
		p, rest, err := r.projectAt(at)
		if err != nil {
			return err
		}
		if rest != "" && rest != "." {
			return unclear("name the project itself", "%s is a folder in the project %s", at, fromHere(p.Dir))
		}
		if into.Real == p.Dir || strings.HasPrefix(into.Real, p.Dir+string(filepath.Separator)) {
			return refused("name a folder outside of it", "%s lies in %s itself", r.into, at)
		}
		before := backupsOf(into.Real, p.Label.ID)
		if r.list {
			if err := r.show(p, before); err != nil {
				return err
			}
			continue
		}
		if err := r.take(p, into.Real, before); err != nil {
			return err
		}
	}
	if r.list {
		return nil
	}
	return r.carryOut(into.Real)
}

// take notes what a project holds, and under which name it is set aside.
func (r *backupRun) take(p *project.Project, into string, before []madeBackup) error {
	var shares *madeBackup
	last := make(chan *bag.Backup, 1) // the list of the last backup is long
	if i := slices.IndexFunc(before, func(m madeBackup) bool { return !isFile(m.dir) }); r.share && i >= 0 {
		shares = &before[i]
		go func() {
			note, _ := backupNote(shares.dir) // of one that cannot be read nothing is shared
			last <- note
		}()
	}
	root, unread, err := r.reading(p.Dir)
	if err != nil {
		return refused("", "%s cannot be read: %s", p.Dir, place.Reason(err))
	}
	if len(unread) > 0 {
		return refused("", "%s in %s cannot be read: %s", unread[0].Path, fromHere(p.Dir), place.Reason(unread[0].Err))
	}
	base := filepath.Base(p.Dir)
	name := base + " " + r.now.Format(time.DateOnly)
	taken := func(name string) bool {
		return slices.ContainsFunc([]string{name, name + ".zip"}, func(name string) bool {
			return isThere(filepath.Join(into, name)) || isThere(filepath.Join(into, olderBackups, name))
		})
	}
	for n := 2; taken(name) || slices.ContainsFunc(r.copies, func(b *backingUp) bool { return b.name == name }); n++ {
		name = fmt.Sprintf("%s %s %d", base, r.now.Format(time.DateOnly), n)
	}
	b := &backingUp{dir: p.Dir, name: name, root: root, note: &bag.Backup{ID: p.Label.ID, Project: base, From: p.Dir, Made: r.now}}
	var known []bag.Entry
	payload := ""
	if shares != nil {
		if note := <-last; note != nil {
			b.shares, known, payload = shares, note.Entries, shares.payload()
		}
	}
	if b.note.Entries, err = r.entries(p.Dir, root, known, payload); err != nil {
		return err
	}
	r.copies = append(r.copies, b)
	if r.keep > 0 {
		for i, old := range before {
			if i+1 >= r.keep {
				r.older = append(r.older, old.dir)
			}
		}
	}
	return nil
}

// payload is the folder in which a backup has what it holds, absolute.
func (m *madeBackup) payload() string {
	if isThere(filepath.Join(m.dir, bag.BackupName)) {
		return m.dir
	}
	return filepath.Join(m.dir, bag.Payload)
}

// set is what is to be done.
func (r *backupRun) set(into string) (*change.Set, error) {
	set, err := r.backups(into)
	if err != nil {
		return nil, err
	}
	if r.zip {
		whole := set
		set = &change.Set{Places: []string{into}}
		for _, b := range r.copies {
			one := &change.Set{Places: whole.Places}
			for _, c := range whole.Changes {
				if c.Path == b.name || strings.HasPrefix(c.Path, b.name+"/") {
					one.Changes = append(one.Changes, c)
				}
			}
			set.Changes = append(set.Changes, pack.Into(0, r.file(b), one, r.now, func(n int) {
				if r.packs != nil {
					r.packs(n)
				}
			}))
		}
	}
	if len(r.older) > 0 {
		older := change.At{Path: olderBackups}
		if !isThere(filepath.Join(into, olderBackups)) {
			set.MakeFolder(older, "older backups")
		}
		for _, dir := range r.older {
			kind := tree.Folder
			if isFile(dir) {
				kind = tree.File
			}
			set.Move(change.At{Path: filepath.Base(dir)}, older.Below(filepath.Base(dir)), change.Is(kind), "older")
		}
	}
	apartFrom(set, nil)
	return set, nil
}

// file is the name of a backup as it lies there.
func (r *backupRun) file(b *backingUp) string {
	if r.zip {
		return b.name + ".zip"
	}
	return b.name
}

// backups are the changes that make the backups, as folders.
func (r *backupRun) backups(into string) (*change.Set, error) {
	set := &change.Set{Places: []string{into}}
	for _, b := range r.copies {
		from := len(set.Places)
		set.Places = append(set.Places, b.dir)
		top, payload := b.name, b.name
		put := func(at string, kind tree.Kind, content tree.Content) {
			set.Make(change.At{Path: at}, &tree.Node{Name: path.Base(at), Kind: kind, Content: content}, "backup")
		}
		put(top, tree.Folder, nil)
		note, err := b.note.Encode()
		if err != nil {
			return nil, err
		}
		sum := make(chan string, 1) // the list is long
		go func() { sum <- digest.Bytes(note) }()
		if r.bag {
			payload = path.Join(top, bag.Payload)
			put(payload, tree.Folder, nil)
		}
		files, last := 0, ""
		if b.shares != nil {
			if last, err = filepath.Rel(into, b.shares.payload()); err != nil {
				return nil, err
			}
			last = filepath.ToSlash(last)
		}
		set.Changes = slices.Grow(set.Changes, len(b.note.Entries)+8)
		for _, e := range b.note.Entries {
			at := payload + "/" + strings.TrimSuffix(e.Path, "/")
			switch {
			case strings.HasSuffix(e.Path, "/"):
				put(at, tree.Folder, nil)
				set.Changes[len(set.Changes)-1].As = change.Dress{Time: e.Time, Mode: e.Permissions() | 0o700 | fs.ModeDir}
			case e.Sum == "" && !r.bag: // manifests know no links: the list has them
				put(at, tree.Symlink, tree.Target(e.To))
			}
		}
		for _, shared := range []bool{false, true} { // behind all folders: so many can be made at a time
			for i := range b.note.Entries {
				e := &b.note.Entries[i]
				if e.Sum == "" || (e.Last != nil) != shared {
					continue
				}
				files++
				c := set.Copy(change.At{In: from, Path: e.Path}, change.At{Path: payload + "/" + e.Path}, change.State{Entry: tree.Entry{Kind: tree.File}, Sum: e.Sum}, "backup")
				if shared {
					c.FromIn, c.From, c.Was, c.Sum, c.Shared = 0, last+"/"+e.Path, change.State{Entry: *e.Last}, e.Sum, e.Sum
				} else if r.zip {
					c.Was.Mode, c.Was.Time = e.Permissions(), e.Time
				}
			}
		}
		if !r.bag {
			put(path.Join(top, bag.BackupName), tree.File, tree.Bytes(note))
			set.Changes[len(set.Changes)-1].Sum = <-sum
			continue
		}
		manifest, size := b.note.Manifest(bag.Payload)
		tags := bag.Tags(size, files, [][2]string{{"External-Identifier", b.note.ID}, {"External-Description", b.note.Project}, {"Bag-Software-Agent", "vestibula " + r.version}}, r.now)
		tags[bag.ManifestName("sha256", false)] = manifest.Bytes()
		tags[bag.BagName] = note
		sums := &bag.Manifest{Algorithm: "sha256", Sums: map[string]string{}}
		for name, data := range tags {
			sums.Sums[name] = digest.Bytes(data)
		}
		tags[bag.ManifestName("sha256", true)] = sums.Bytes()
		for name, data := range tags {
			put(path.Join(top, name), tree.File, tree.Bytes(data))
		}
	}
	return set, nil
}

func (r *backupRun) carryOut(into string) error {
	set, err := r.set(into)
	if err != nil {
		return err
	}
	ask := r.consent
	ask.named = len(r.older) == 0 // a copy that the call names is only new files
	plan, err := r.prepared(set, ask, false)
	if err != nil {
		return err
	}
	title, n, older := r.copies[0].name, term.Count(len(r.copies), "backup"), term.Count(len(r.older), "older one")
	return r.propose(ask, proposal{set: set, draw: r.draw, question: fmt.Sprintf("Make %s, and move %s into %s?", n, older, olderBackups), how: "make it",
		undertaking: undertaking{plan: plan, doing: "copying", total: r.steps(), bar: r.bar(), head: journal.Head{What: "backup", Title: title, Project: title, Roots: []journal.Root{{Path: "."}}}},
		report:      func(done bool) error { return r.report(done, sharing(plan.List)) },
		told:        func() term.Shown { return r.told(sharing(plan.List)) }})
}

// steps is how many things the bar counts, where they go into files: each is written and
// read back.
func (r *backupRun) steps() (n int) {
	for _, b := range r.copies {
		n += 2 * len(b.note.Entries)
	}
	return n
}

func (r *backupRun) bar() func(done func(n int)) {
	if !r.zip {
		return nil
	}
	return func(done func(n int)) { r.packs = done }
}

// sharing counts, by the names of backups, the files in them that share what they hold.
func sharing(list []change.Change) map[string]int {
	shared := map[string]int{}
	for _, c := range list {
		if c.Shared != "" {
			name, _, _ := strings.Cut(c.Path, "/")
			shared[name]++
		}
	}
	return shared
}

// told says what was set aside, and returns the last line of it.
func (r *backupRun) told(shared map[string]int) term.Shown {
	var lines []term.Shown
	for _, b := range r.copies {
		manifest, size := b.note.Manifest("")
		files, links := len(manifest.Sums), 0
		text := term.Good.Render("Set aside") + term.Sprintf(": %s, %s, %s", filepath.Join(r.into, r.file(b)), term.Count(files, "file"), term.Size(size))
		switch n := shared[b.name]; {
		case n == 0:
			text += ", read back and compared."
		case n == files:
			text += term.Sprintf(". All are as in %s: their room is shared.", filepath.Base(b.shares.dir))
		default:
			text += term.Sprintf(". %s as in %s: their room is shared. %s read back and compared.", term.Count(n, "file")+isOrAre(n), filepath.Base(b.shares.dir), term.Count(files-n, "file")+wasOrWere(files-n))
		}
		lines = append(lines, text)
		for _, e := range b.note.Entries {
			if e.To != "" {
				links++
			}
		}
		if r.bag && links > 0 {
			lines = append(lines, term.Warn.Render("note:")+term.Sprintf(" a bag has no place for links: of %s, %s says where they lead.", term.Count(links, "link"), bag.BagName))
		}
	}
	if len(r.older) > 0 {
		lines = append(lines, term.Sprintf("Moved %s into %s.", term.Count(len(r.older), "older backup"), filepath.Join(r.into, olderBackups)))
	}
	last := len(lines) - 1
	for _, text := range lines[:last] {
		r.screen.Text(text)
	}
	return lines[last]
}

func (r *backupRun) draw() {
	for _, b := range r.copies {
		_, size := b.note.Manifest("")
		r.screen.Line(term.Good.Render("+"), " ", term.Visible(r.file(b)), term.Dim.Render("   "+term.Size(size)))
	}
	for _, dir := range r.older {
		r.screen.Line(term.Accent.Render("»"), " ", term.Moved(filepath.Base(dir), olderBackups+"/"+filepath.Base(dir)))
	}
	r.screen.Line()
}

func (r *backupRun) report(done bool, shared map[string]int) error {
	type one struct {
		Backup string `json:"backup"`
		Files  int    `json:"files"`
		Size   int64  `json:"size"`
		Shared int    `json:"shared"`
	}
	out := struct {
		Done    bool     `json:"done"`
		Backups []one    `json:"backups"`
		Older   []string `json:"older"`
	}{done, []one{}, []string{}}
	for _, b := range r.copies {
		manifest, size := b.note.Manifest("")
		out.Backups = append(out.Backups, one{r.file(b), len(manifest.Sums), size, shared[b.name]})
	}
	for _, dir := range r.older {
		out.Older = append(out.Older, filepath.Base(dir))
	}
	err := r.printJSON(out)
	if err == nil && !done && !r.preview {
		return found
	}
	return err
}
