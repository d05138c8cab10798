package cli

import (
	"bytes"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/adrg/xdg"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/bundle"
	"vestibula/core/guide"
	"vestibula/core/label"
	"vestibula/core/listing"
	"vestibula/core/outline"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/template"
	"vestibula/examples"
)

// A shelf is a folder in which templates are looked up by their bare names.
type shelf struct {
	where string // as it is shown
	path  string // on the disk; empty for the built-in examples
}

// shelves returns where templates are looked up, in order.
func (a *app) shelves() []shelf {
	list := []shelf{{"here", "."}, {"./templates", "templates"}}
	for _, dir := range filepath.SplitList(a.getenv("VESTIBULA_TEMPLATES")) {
		if dir != "" {
			list = append(list, shelf{dir, dir})
		}
	}
	own := a.ownTemplates()
	return append(list, shelf{own, own}, shelf{where: "built in"})
}

// ownTemplates is the folder of a person's own templates, known from everywhere.
func (a *app) ownTemplates() string { return filepath.Join(xdg.DataHome, "vestibula", "templates") }

// files returns the templates of a shelf by their names.
func (s shelf) files() []string {
	var folder fs.FS = examples.Files
	if s.path != "" {
		folder = os.DirFS(s.path)
	}
	paths, _ := fs.Glob(folder, "*"+template.Ending)
	for i, p := range paths {
		paths[i] = strings.TrimSuffix(p, template.Ending)
	}
	return paths
}

// A source is the text of a template that was found.
type source struct {
	name     string // of the file, for messages
	where    string
	text     string
	starters fs.FS
	built    bool   // built into the program
	path     string // on the disk, or empty
}

// find looks a template up: "-" is standard input, a path is that file, and a
// bare name is looked up on the shelves.
func (a *app) find(arg string) (*source, error) {
	if arg == "-" {
		text, err := io.ReadAll(io.LimitReader(a.in, outline.MaxBytes+1))
		if err != nil {
			return nil, unclear("", "the list on standard input cannot be read: %s", place.Reason(err))
		}
		return a.asList(&source{name: "list", text: string(text)}), nil
	}
	if strings.ContainsAny(arg, `/\`) && !bundle.IsFile(arg) && bundle.IsFile(arg+template.Ending) {
		arg += template.Ending
	}
	if info, err := place.Stat(arg); err == nil && !info.IsDir() {
		src, err := readTemplate(arg, "")
		if err == nil && !a.told[src.path] && !strings.HasPrefix(src.text, "---") && listing.Drawn(src.text) {
			if a.told == nil {
				a.told = map[string]bool{}
			}
			a.told[src.path] = true
			a.side.Text(term.Warn.Render("note:") + term.Sprintf(" %s looks as a tree or a list is drawn, and each sign in it would stand in a name; %s", arg, advise("to make a template of it", "draft", strings.TrimSuffix(filepath.Base(arg), filepath.Ext(arg))+"-template", typed(arg))))
		}
		return src, err
	}
	bare := strings.TrimSuffix(arg, template.Ending)
	if address.Address(arg).OnDrive() {
		if place.Exists(arg) {
			return nil, unclear("", "%s is a folder, and a template is needed", arg)
		}
		return nil, unclear("", "there is nothing at %s", arg)
	}
	if strings.ContainsAny(arg, `/\`) || bare == "" {
		return nil, unclear(advise("those that can be used by name", "templates").String(), "there is no template \"%s\"", arg)
	}
	var names []string
	for _, s := range a.shelves() {
		files := s.files()
		if slices.Contains(files, bare) {
			return s.source(bare)
		}
		names = append(names, files...)
	}
	help := advise("those that can be used by name", "templates").String()
	if near := outline.Nearest(bare, names); near != "" {
		help = "did you mean " + near + "?\n" + help
	}
	return nil, unclear(help, "there is no template \"%s\"", arg)
}

// asList turns a text that is drawn, or a list with bullets, into the outline that it means.
func (a *app) asList(src *source) *source {
	if strings.HasPrefix(src.text, "---") || !listing.Drawn(src.text) {
		return src
	}
	l, err := listing.Read(src.text)
	if err != nil {
		return src
	}
	src.text = l.Text("")
	a.side.Text(term.Dim.Render(term.Sprintf("Read as %s: %s.", string(l.Form), term.Count(l.Count, "line"))))
	return src
}

// shelved looks the template of a project up by the name of its file: from the project upwards, in
// each folder and the templates in it, then where the label says that it lay, as far as these
// belong to the person, then on the shelves. It returns nil where there is none.
func (a *app) shelved(l *label.Build, own address.Address) *source {
	file := l.Template
	bare := strings.TrimSuffix(file, template.Ending)
	if bare == "" || bare == "-" || filepath.Base(bare) != bare || strings.ContainsAny(bare, `/\`) {
		return nil
	}
	for dir := own; own != "" && dir != dir.Parent() && place.Owned(string(dir.Parent())); {
		dir = dir.Parent()
		for _, at := range []address.Address{dir.Join(file), dir.Join("templates", file)} {
			if bundle.IsFile(at) {
				src, err := readTemplate(string(at), string(at.Parent()))
				if err != nil {
					return nil
				}
				return src
			}
		}
	}
	if at := address.Address(filepath.Join(string(own), filepath.FromSlash(l.Lay))); l.Lay != "" && own != "" && !filepath.IsAbs(l.Lay) && place.Owned(string(at)) && bundle.IsFile(at.Join(file)) {
		src, err := readTemplate(string(at.Join(file)), string(at))
		if err != nil {
			return nil
		}
		return src
	}
	for _, s := range a.shelves() {
		if slices.Contains(s.files(), bare) {
			src, err := s.source(bare)
			if err != nil {
				return nil
			}
			return src
		}
	}
	return nil
}

// source reads a template of the shelf.
func (s shelf) source(bare string) (*source, error) {
	if s.path != "" {
		return readTemplate(filepath.Join(s.path, bare+template.Ending), s.where)
	}
	text, err := examples.Files.ReadFile(bare + template.Ending)
	return &source{name: bare + template.Ending, where: s.where, text: string(text), starters: examples.Files, built: true}, err
}

func readTemplate(path, where string) (*source, error) {
	text, err := place.ReadFile(path, outline.MaxBytes)
	if err != nil {
		return nil, unclear("", "%s cannot be read as a template: %s", path, place.Reason(err))
	}
	if packed.FormatOf(path) != packed.None || bytes.IndexByte(text, 0) >= 0 {
		return nil, unclear("a template is a plain text, as any text editor writes it", "%s is no template: it is not a text", path)
	}
	starters, err := place.FS(filepath.Dir(path))
	if err != nil {
		return nil, unreadable(filepath.Dir(path), err)
	}
	return &source{name: filepath.Base(path), where: where, text: string(text), starters: starters, path: path}, nil
}

// parse reads the template.
func (s *source) parse() (*template.Template, error) {
	t, err := template.Parse(s.name, s.text, s.starters)
	if err == nil {
		t.Guide = guide.Text
		if s.path != "" {
			if at, err := place.Real(filepath.Dir(s.path)); err == nil {
				t.Folder = string(at)
			}
		}
	}
	return t, err
}

// load finds and reads a template; its errors are told.
func (a *app) load(arg string) (*template.Template, error) {
	src, err := a.find(arg)
	if err != nil {
		return nil, err
	}
	t, err := src.parse()
	if err != nil {
		return nil, a.tellErrors(src.name, src.text, err, statusUnclear)
	}
	return t, nil
}
