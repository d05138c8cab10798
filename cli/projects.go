package cli

import (
	"cmp"
	"fmt"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"

	"vestibula/cli/term"
	"vestibula/core/bundle"
	"vestibula/core/inspect"
	"vestibula/core/place"
	"vestibula/core/template"
	"vestibula/core/value"
)

// A projectsRun is one call of projects.
type projectsRun struct {
	*app
	where                   []string
	template, by, sort, use string
	outFile, links          string
	late, behind, wrong     bool
	asJSON                  bool

	list   []*standingRow
	unread []string
	away   []*bundle.Away // that were archived from there
	looked []*inspect.Report
	kept   []string // backups that were found, by their paths as they are shown
}

// A standingRow is how one project stands.
type standingRow struct {
	stand
	name    string // as it is shown
	subject *inspect.Subject
	touched time.Time // the newest of its files
	size    int64
	// Of what has to be delivered.
	delivered, due int
	points, worth  int
	next           *inspect.Delivery // the first that is not there, and has a day
}

func (a *app) projectsCommand() *cobra.Command {
	r := &projectsRun{app: a}
	c := &cobra.Command{
		Use:   "projects [ROOT …]",
		Short: "Show how all projects stand, or all there is to say of one.",
		Long: `Show how all projects below folders stand, a row each: what is wrong, what is
delivered and what is still due, when it was touched last. Of a single project, what of
each part of it is delivered, open or late.

With --out the rows are written into a file. A page (.html) is to be looked at; a calendar
(.ics) of what is due is read by any calendar program; a table
(.csv, .xlsx) can be edited and given to build --table, which knows the rows by the
identity of their projects. --use TEMPLATE counts, for each line of a template, in how
many projects it holds anything.`,
		Example: `  vestibula projects Clients
  vestibula projects Clients --late
  vestibula projects Clients --where client~marrow --out clients.xlsx
  vestibula projects "Case Binding 2027 2 Spring"
  vestibula projects Clients --use commission`,
		RunE: func(_ *cobra.Command, args []string) error { return r.run(args) },
	}
	f := c.Flags()
	f.StringArrayVar(&r.where, "where", nil, "keep only projects that have `field=value`, or field~part")
	_ = c.RegisterFlagCompletionFunc("where", r.completeWhere)
	f.StringVar(&r.template, "template", "", "only those of this `TEMPLATE`")
	f.BoolVar(&r.late, "late", false, "only those with something that should have been delivered")
	f.BoolVar(&r.behind, "behind", false, "only those that are behind the template of today")
	f.BoolVar(&r.wrong, "wrong", false, "only those that are not as they should be")
	f.StringVar(&r.sort, "sort", "", "sort by a field, or by one of late, due, wrong, touched, built, size: a `COLUMN`")
	f.StringVar(&r.by, "by", "", "put projects with one value of a `FIELD` together")
	f.StringVar(&r.use, "use", "", "for each line of a `TEMPLATE`, in how many projects it holds anything")
	f.StringVar(&r.links, "links", "", "make or refresh the folder `DIR` of links to these projects")
	_ = c.MarkFlagDirname("links")
	f.StringVar(&r.outFile, "out", "", "write the rows into the `FILE`: "+outEndings+"; or what is due as a calendar, .ics")
	f.BoolVar(&r.asJSON, "json", false, "print JSON")
	_ = c.RegisterFlagCompletionFunc("template", a.completeTemplates)
	_ = c.RegisterFlagCompletionFunc("use", a.completeTemplates)
	return c
}

func (r *projectsRun) run(args []string) error {
	if len(args) == 0 {
		args = []string{"."}
	}
	single := false
	for _, at := range args {
		inside, err := r.look(at)
		if err != nil {
			return err
		}
		single = inside && len(args) == 1
	}
	if len(r.list) == 0 && len(r.kept) > 0 && !r.asJSON {
		r.drawKept()
		return nil
	}
	if len(r.list) == 0 && len(r.unread) == 0 && len(r.away) == 0 {
		return unclear("name a folder in which projects lie, or a project", "there is no project at or below %s", strings.Join(args, ", "))
	}
	if err := r.keep(); err != nil {
		return err
	}
	if r.links != "" {
		var list []linked
		for _, s := range r.list {
			list = append(list, linked{s.subject.Dir.Name(), s.subject.Dir.Parent().Name(), string(s.subject.Dir)})
		}
		if err := r.makeLinks(r.links, list, r.asJSON); err != nil {
			return err
		}
	}
	switch {
	case r.links != "" && r.use+r.outFile == "" && !r.asJSON:
	case r.use != "":
		return r.drawUse()
	case r.outFile != "":
		return r.write()
	case r.asJSON:
		err := r.printJSON(r.result())
		return cmp.Or(err, r.faulty())
	case single && len(r.list) == 1:
		r.drawOne(r.list[0])
	default:
		r.drawAll()
	}
	return r.faulty()
}

// faulty is the stop where a project is not as it should be, or could not be read.
func (r *projectsRun) faulty() error {
	if r.links == "" && slices.ContainsFunc(r.list, func(s *standingRow) bool { return s.errors > 0 || s.err != nil }) {
		return found
	}
	return nil
}

// lookAway finds the projects that were archived from the folders of a report, to others than
// these.
func (r *projectsRun) lookAway(report *inspect.Report) {
	if report.Dir == "" || slices.ContainsFunc(report.Subjects, func(s *inspect.Subject) bool { return s.Name == "." && s.Project != nil }) {
		return
	}
	here := map[string]bool{}
	for _, s := range report.Subjects {
		here[string(s.Dir)] = true
	}
	for _, p := range report.Archived() {
		if !here[p.To] {
			r.away = append(r.away, p)
		}
	}
}

// look looks at the projects at or below a path.
func (r *projectsRun) look(at string) (inside bool, err error) {
	done, end := r.progress("reading", -1)
	defer end()
	// They are measured while the next are judged.
	measured := map[*inspect.Subject]*standingRow{}
	var group errgroup.Group
	var mutex sync.Mutex
	group.SetLimit(max(1, runtime.GOMAXPROCS(0)-1))
	measure := func(s *inspect.Subject) {
		group.Go(func() error {
			row := &standingRow{subject: s}
			row.size, row.touched = place.Weigh(s.Dir, s.Root)
			mutex.Lock()
			defer mutex.Unlock()
			measured[s] = row
			return nil
		})
	}
	l := &inspect.Look{Passing: true, Limit: template.DefaultLimit, Now: r.now, Store: r.store(), Done: done, Judged: measure}
	report, err := l.At(at)
	_ = group.Wait()
	if err != nil {
		return false, unreadable(at, err)
	}
	for _, u := range report.Unread {
		r.unread = append(r.unread, filepath.Join(at, filepath.FromSlash(u.Path)))
	}
	for _, below := range report.Backups {
		r.kept = append(r.kept, filepath.Join(at, filepath.FromSlash(below)))
	}
	r.lookAway(report)
	r.looked = append(r.looked, report)
	first := len(r.list)
	for _, s := range report.Subjects {
		if s.Project == nil && s.Err == nil {
			continue // no project
		}
		row := measured[s]
		if row == nil {
			row = &standingRow{subject: s}
		}
		row.name = nameOf(report, s)
		if s.Name == "." {
			row.name = s.Dir.Name()
			inside = s.Below == ""
		} else if at == "." {
			row.name = s.Name
		}
		r.list = append(r.list, row)
	}
	for _, row := range r.list[first:] {
		if row.touched.IsZero() {
			row.touched = row.built() // it holds no file yet
		}
		row.stand = standOf(row.subject)
		row.judge()
		row.behind = r.isBehind(row.subject)
	}
	return inside, nil
}

// judge sums up what has to be delivered.
func (s *standingRow) judge() {
	for i := range s.subject.Due {
		d := &s.subject.Due[i]
		s.due++
		s.worth += d.Worth
		if d.Delivered() {
			s.delivered++
			s.points += d.Worth
			continue
		}
		if d.Day.Given() && d.Day.Kind != value.Pending && (s.next == nil || d.Day.Time().Before(s.next.Day.Time())) {
			s.next = d
		}
	}
}

// drawKept draws the backups that were found where no projects are.
func (r *projectsRun) drawKept() {
	var rows [][]term.Shown
	for _, at := range r.kept {
		row := []term.Shown{term.Visible(at), "cannot be read", ""}
		if note, err := bundle.Note(at); err == nil && note != nil {
			m, size := note.Manifest("")
			row = []term.Shown{term.Visible(at), term.Visible("of " + note.Project), term.Dim.Render(term.Sprintf("%s, %s", when(note.Made), term.Count(len(m.Sums), "file")) + ", " + term.Size(size))}
		}
		rows = append(rows, row)
	}
	r.screen.Columns(rows)
	words := []string{"check"}
	for _, at := range r.kept[:min(len(r.kept), r.most(shownAlike))] {
		words = append(words, typed(at))
	}
	r.screen.Line()
	r.screen.Text(term.Count(len(r.kept), "backup") + ", and no project; " + advise("whether they hold what they held", words...).line())
}

// isBehind reports whether the template of today is another one than a project was built
// from.
func (a *app) isBehind(s *inspect.Subject) bool {
	if s.Project == nil || s.Project.Label == nil {
		return false
	}
	l := s.Project.Label
	key := l.Template + "\x00" + l.Text + "\x00" + string(s.Dir.Parent())
	behind, known := a.behind[key]
	if !known {
		src := a.shelved(&l.Build, s.Dir)
		behind = src != nil && src.text != l.Text
		if a.behind == nil {
			a.behind = map[string]bool{}
		}
		a.behind[key] = behind
	}
	return behind
}

// A dueJSON is what has to be delivered, as JSON shows it.
type dueJSON struct {
	Path  string `json:"path"`
	Real  string `json:"real,omitempty"`
	Day   string `json:"day,omitempty"`
	Done  string `json:"done,omitempty"`
	Worth int    `json:"worth,omitempty"`
	Late  int    `json:"late,omitempty"`
}

// A projectJSON is a project as JSON shows it.
type projectJSON struct {
	Project  string            `json:"project"`
	Dir      string            `json:"dir"`
	ID       string            `json:"id,omitempty"`
	Template string            `json:"template,omitempty"`
	Behind   bool              `json:"behind"`
	Values   map[string]string `json:"values"`
	Open     []string          `json:"open"`
	Wrong    []string          `json:"wrong"`
	Problem  string            `json:"problem,omitempty"`
	Built    string            `json:"built,omitempty"`
	Touched  string            `json:"touched,omitempty"`
	Size     int64             `json:"size"`
	Due      []dueJSON         `json:"due"`
}

// An archivedJSON is a project that was archived, as JSON shows it.
type archivedJSON struct {
	Project string `json:"project"`
	To      string `json:"to"`
	Disk    string `json:"disk,omitempty"`
	Since   string `json:"since"`
	ID      string `json:"id,omitempty"`
	Size    int64  `json:"size"`
}

// result is what JSON says.
func (r *projectsRun) result() any {
	list := []projectJSON{}
	for _, s := range r.list {
		o := projectJSON{Project: s.name, Dir: string(s.subject.Dir), Behind: s.behind, Values: map[string]string{}, Open: append([]string{}, s.subject.Open...), Wrong: append([]string{}, s.found...), Touched: dayOf(s.touched), Built: dayOf(s.built()), Size: s.size, Due: []dueJSON{}}
		if p := s.subject.Project; p != nil {
			o.ID, o.Template = p.Label.ID, p.Label.Template
		}
		if s.subject.Err != nil {
			o.Problem = s.subject.Err.Error()
		}
		for name, v := range s.subject.Values {
			if v.Given() {
				o.Values[name] = v.String()
			}
		}
		for _, d := range s.subject.Due {
			o.Due = append(o.Due, dueJSON{d.Path, d.Real, d.Day.String(), d.Done, d.Worth, d.Late})
		}
		list = append(list, o)
	}
	archived := []archivedJSON{}
	for _, p := range r.away {
		archived = append(archived, archivedJSON{p.Called(), p.To, p.Disk, dayOf(p.Since), p.Label.ID, p.Size})
	}
	return struct {
		Projects []projectJSON  `json:"projects"`
		Archived []archivedJSON `json:"archived"`
		Unread   []string       `json:"unread"`
	}{list, archived, append([]string{}, r.unread...)}
}

// write writes the rows into a new file.
func (r *projectsRun) write() error {
	if strings.EqualFold(filepath.Ext(r.outFile), ".html") {
		return r.writePage()
	}
	if strings.EqualFold(filepath.Ext(r.outFile), ".ics") {
		return r.writeCalendar()
	}
	fields := r.fields()
	head := []string{"project", "template"}
	head = append(head, fields...)
	for _, h := range []string{"state", "delivered", "to deliver", "late", "next", "points", "touched", "size"} {
		if !slices.Contains(fields, h) {
			head = append(head, h)
		}
	}
	head = append(head, "built", "built on", "built in", "built as")
	rows := [][]string{head}
	for _, s := range r.list {
		known := map[string]string{"project": path.Base(filepath.ToSlash(s.name)), "state": s.words(), "delivered": fmt.Sprint(s.delivered), "to deliver": fmt.Sprint(s.due), "late": fmt.Sprint(s.late), "points": fmt.Sprint(s.points), "touched": dayOf(s.touched), "size": fmt.Sprint(s.size)}
		if s.next != nil {
			known["next"] = s.next.Day.String()
		}
		if p := s.subject.Project; p != nil {
			known["template"] = p.Label.Template
			known["built"], known["built on"], known["built in"], known["built as"] = "yes", dayOf(s.built()), string(s.subject.Dir), p.Label.ID
		}
		row := make([]string, len(head))
		for i, h := range head {
			text, is := known[h]
			if !is || i >= 2 && i < 2+len(fields) {
				text = s.value(h)
			}
			row[i] = strings.TrimSpace(strings.ToValidUTF8(text, "\uFFFD"))
		}
		rows = append(rows, row)
	}
	return r.writeRows("projects", r.outFile, outRows{title: "Projects", about: string(term.Count(len(r.list), "project")) + ", " + r.now.Format("2 January 2006"), rows: rows, json: r.result()})
}
