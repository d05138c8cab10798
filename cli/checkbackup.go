package cli

import (
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"

	"vestibula/cli/term"
	"vestibula/core/bag"
	"vestibula/core/bundle"
	"vestibula/core/label"
	"vestibula/core/pack"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// A packedFolder is a folder whose files are summed up by several at a time.
type packedFolder struct{ *os.Root }

// Open opens an ordinary file in it.
func (p packedFolder) Open(name string) (io.ReadCloser, error) {
	info, err := p.Lstat(filepath.FromSlash(name))
	if err != nil {
		return nil, err
	}
	if !info.Mode().IsRegular() {
		return nil, fmt.Errorf("it is no ordinary file")
	}
	return p.Root.Open(filepath.FromSlash(name))
}

// Size is how large a file in it is.
func (p packedFolder) Size(name string) (int64, error) {
	info, err := p.Lstat(filepath.FromSlash(name))
	if err != nil {
		return 0, err
	}
	return info.Size(), nil
}

// verified checks a folder that is a bag or a backup. It reports false where it is neither.
func (a *app) verified(at string, asJSON bool) (is bool, err error) {
	dir, err := place.Real(at)
	if err != nil {
		return false, nil
	}
	if packed.FormatOf(dir) == packed.Zip && bundle.IsFile(dir) {
		return a.verifiedFile(at, dir, asJSON)
	}
	isBackup := place.Exists(filepath.Join(dir, bag.BackupName))
	isBag := !isBackup && place.Exists(filepath.Join(dir, bag.Declaration)) && !place.Exists(filepath.Join(dir, label.FileName))
	if !isBag && !isBackup {
		return false, nil
	}
	root, unread, err := a.reading(dir)
	if err != nil {
		return true, unreadable(at, err)
	}
	in, err := os.OpenRoot(dir)
	if err != nil {
		return true, unclear("", "%s cannot be opened: %s", at, place.Reason(err))
	}
	defer in.Close()
	done, end := a.progress("summing up", -1)
	small := func(name string) ([]byte, error) {
		data, err := place.ReadFile(filepath.Join(dir, filepath.FromSlash(name)), bag.MaxManifest)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %s", name, place.Reason(err))
		}
		return data, nil
	}
	var report *bag.Report
	what := "bag"
	if note, bad := bundle.Note(dir); isBag {
		report, err = verifyBag(root, note, small, packedFolder{in}, done)
	} else if what, err = "backup", bad; err == nil {
		report = verifyBackup(root, note, packedFolder{in}, func(p string) (string, error) { return in.Readlink(filepath.FromSlash(p)) }, done)
	}
	end()
	if err != nil {
		return true, refused("", "%s is no whole %s: %v", at, what, err)
	}
	for _, u := range unread {
		report.Add(bag.Problem{Kind: bag.Unread, Path: u.Path, Why: place.Reason(u.Err)})
	}
	return true, a.tellVerified(at, what, report, asJSON)
}

// verifyBag holds a folder against the manifests of the bag that it is and, where it is one
// of ours, against the list of what manifests cannot say.
func verifyBag(root *tree.Node, note *bag.Backup, small func(name string) ([]byte, error), in bag.Source, done func(n int)) (*bag.Report, error) {
	report, err := bag.VerifyBag(root, small, in, done)
	if data := root.Child(bag.Payload); err == nil && note != nil && data != nil {
		for _, p := range note.Rest(data, nil) {
			p.Path = path.Join(bag.Payload, p.Path) + "/"
			report.Add(p)
		}
	}
	return report, err
}

// verifyBackup holds a folder against the list of the backup that it is.
func verifyBackup(root *tree.Node, note *bag.Backup, in bag.Source, target func(path string) (string, error), done func(n int)) *bag.Report {
	m, _ := note.Manifest("")
	report := bag.Verify(m, root, func(p string) bool { return p == bag.BackupName }, in, done)
	report.Add(note.Rest(root, target)...)
	return report
}

// verifiedFile checks an archive file in which bags, backups or archived projects lie. It
// reports false where none do.
func (a *app) verifiedFile(at, file string, asJSON bool) (is bool, err error) {
	f, err := pack.Open(file)
	if err != nil {
		return false, nil // what is wrong with it is told where it is read as any archive
	}
	defer f.Close()
	done, end := a.progress("summing up", -1)
	defer end()
	whole, what := &bag.Report{}, ""
	for _, top := range f.Root.Children {
		note, below, err := f.Note(top.Name)
		in := f.In(top.Name)
		var report *bag.Report
		switch isBag := top.Child(bag.Declaration) != nil && top.Child(label.FileName) == nil; {
		case err != nil:
		case isBag && (note == nil || below != ""):
			what = "bag"
			report, err = verifyBag(top, note, in.Read, in, done)
		case note != nil:
			what = "archive"
			report = verifyBackup(top, note, in, func(p string) (string, error) { return f.Links[path.Join(top.Name, p)], nil }, done)
		default:
			continue
		}
		if err != nil {
			return true, refused("", "%s in %s is not whole: %v", top.Name, at, err)
		}
		for i := range report.Problems {
			report.Problems[i].Path = path.Join(top.Name, report.Problems[i].Path)
		}
		whole.Files += report.Files
		whole.Add(report.Problems...)
		whole.Passed = append(whole.Passed, report.Passed...)
	}
	if what == "" {
		return false, nil
	}
	end()
	return true, a.tellVerified(at, what, whole, asJSON)
}

// tellVerified tells what was found out about a bag or a backup.
func (a *app) tellVerified(at, what string, report *bag.Report, asJSON bool) error {
	type problem struct {
		Kind string `json:"kind"`
		Path string `json:"path"`
		Why  string `json:"why"`
	}
	list := []problem{}
	for _, p := range report.Problems {
		list = append(list, problem{p.Kind.String(), p.Path, p.Why})
	}
	if asJSON {
		err := a.printJSON(struct {
			Subject  string    `json:"subject"`
			Kind     string    `json:"kind"`
			Files    int       `json:"files"`
			Problems []problem `json:"problems"`
			Passed   []string  `json:"passed"`
		}{at, what, report.Files, list, append([]string{}, report.Passed...)})
		if err == nil && len(list) > 0 {
			return found
		}
		return err
	}
	for i, p := range list {
		if i == 4*manyRows {
			a.more(len(list)-i, "", "--json")
			break
		}
		a.screen.Line(term.Bad.Render(term.Visible(p.Kind)), " ", term.Visible(p.Path), term.Dim.Italic().Render("   "+term.Visible(p.Why)))
	}
	for _, text := range report.Passed {
		a.screen.Text(term.Warn.Render("note:") + " " + term.Visible(text))
	}
	if len(list) > 0 {
		a.screen.Line()
		a.screen.Text(term.Sprintf("%s in the %s %s.", term.Count(len(list), "problem"), what, at))
		return found
	}
	a.screen.Text(term.Good.Render("Whole:") + term.Sprintf(" the %s %s holds what it held: %s, by the checksums in it.", what, at, term.Count(report.Files, "file")))
	return nil
}
