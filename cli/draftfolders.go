package cli

import (
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"vestibula/cli/term"
	"vestibula/core/bundle"
	"vestibula/core/draft"
	"vestibula/core/inspect"
	"vestibula/core/listing"
	"vestibula/core/outline"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/table"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A learning is one call of draft with folders, or with a text.
type learning struct {
	*app
	starters, preview, yes, asJSON bool

	name    string        // of the template
	lists   []*draft.Kind // that are parts of the one folder that was read
	samples []draft.Sample
	dirs    []string // of the samples, absolute; of archives they are empty
	given   map[string]string
}

// tooMany is how many entries of folders are looked at without a question: more are seldom
// meant.
const tooMany = 200_000

// longTemplate is how long a template may be that does not explain all that it was learned from.
const longTemplate = 300

func (r *learning) run(name string, args []string) error {
	name = strings.TrimSuffix(name, template.Ending)
	if base := filepath.Base(name); base == "." || strings.HasSuffix(name, "/") {
		return unclear("", "\"%s\" is no name for a template", name)
	}
	at := name + template.Ending
	if place.Exists(at) && !r.preview {
		return refused("choose another name, or another folder; nothing was written", "%s is there already", at)
	}
	sources, raw := wordsAndValues(args)
	r.given, r.name = map[string]string{}, name
	for field, value := range raw {
		r.given[field] = strings.TrimSpace(value.Text)
	}
	if len(sources) == 0 {
		return unclear(examplesOf("draft"), "which folders?")
	}
	if len(sources) == 1 && (sources[0] == "-" || bundle.IsFile(sources[0]) && packed.FormatOf(sources[0]) == packed.None) {
		return r.text(name, at, sources[0])
	}
	like := ""
	if len(sources) == 2 { // a folder, and one in it that says which are meant
		if below, err := filepath.Rel(sources[0], sources[1]); err == nil && filepath.IsLocal(below) && below != "." {
			sources, like = sources[:1], below
		}
	}
	if err := r.read(sources); err != nil {
		return err
	}
	if err := r.kinds(sources[0], like); err != nil {
		return err
	}
	result, proofs, err := r.learn(filepath.Base(name))
	if err != nil {
		return err
	}
	if lines := strings.Count(result.Text, "\n"); lines > longTemplate && !r.yes && slices.ContainsFunc(proofs, func(p draft.Proof) bool { return !p.Exact }) {
		return refused("name less: folders that are alike\n"+r.sameCall("to write it all the same", "--yes").String(), "Nothing was written: it takes %s to tell what is in there, and not all is explained: that is no template", term.Count(lines, "line"))
	}
	if !r.preview {
		files := []newFile{{at, tree.Bytes(result.Text)}}
		for _, s := range result.Starters {
			files = append(files, newFile{filepath.Join(filepath.Dir(name), filepath.FromSlash(s.Path)), tree.Bytes(s.Data)})
		}
		if err := r.makeFiles("draft", filepath.Base(at), files, false); err != nil {
			return err
		}
	}
	if r.asJSON {
		return r.report(result, proofs)
	}
	r.tell(at, result, proofs)
	return nil
}

// tellList tells what of a list became no folder.
func (r *learning) tellList(l *listing.Listing) {
	if n := len(l.Left); n > 0 {
		r.note(term.Sprintf("%s around the list %s no folder: %s", term.Count(n, "line"), map[bool]string{true: "is", false: "are"}[n == 1], strings.Join(r.few(l.Left), " · ")))
	}
	switch {
	case l.Numbered:
		r.note("the numbers in front are the order, and count by themselves from now on: <#>.")
	case l.Ordered:
		r.note("the numbers in front are left out: they say no more than the order of the lines.")
	}
}

// text makes a template of a list or a drawn tree.
func (r *learning) text(name, at, file string) error {
	var data []byte
	var err error
	if file == "-" {
		data, err = io.ReadAll(io.LimitReader(r.in, listing.MaxBytes+1))
	} else {
		data, err = place.ReadFile(file, listing.MaxBytes)
	}
	if err != nil {
		return unreadable(file, err)
	}
	l, err := listing.Read(string(data))
	if err != nil {
		return unclear("", "%s: %v", file, err)
	}
	if heads := headings(file, data); len(heads) > 0 && l.Form == listing.Plain {
		return unclear("such as <"+strings.Join(heads, ">, <")+">; declare them under fields: in its header\nbuild makes one for each row then, with --table "+quoted(file),
			"%s is a table: the template is a list of its own, with a slot for what a column says", file)
	}
	text := l.Text(filepath.Base(name))
	t, err := template.Parse(filepath.Base(at), text, nil)
	if err != nil {
		return r.tellErrors(filepath.Base(at), text, err, statusUnclear)
	}
	if !r.preview {
		if err := r.makeFiles("draft", filepath.Base(at), []newFile{{at, tree.Bytes(text)}}, false); err != nil {
			return err
		}
	}
	if r.asJSON {
		return r.printJSON(struct {
			Template string   `json:"template"`
			Form     string   `json:"form"`
			Entries  int      `json:"entries"`
			Changed  []string `json:"changed"`
			Left     []string `json:"left"`
		}{text, string(l.Form), l.Count, append([]string{}, l.Changed...), append([]string{}, l.Left...)})
	}
	x, err := t.Tree(t.Sample(nil, r.now), template.DefaultLimit)
	if err != nil {
		return r.tellErrors(filepath.Base(at), text, err, statusUnclear)
	}
	r.screen.Text(term.Good.Render("Read") + term.Sprintf(" as %s: %s.", string(l.Form), term.Count(l.Count, "line")))
	r.screen.Line()
	r.screen.Tree(x.Root, term.TreeView{Same: tree.Alike})
	r.screen.Line()
	r.tellList(l)
	if n := len(l.Changed); n > 0 {
		r.screen.Text(term.Warn.Render("note:") + term.Sprintf(" %s held signs that no name can have, and has hyphens in their place: %s", term.Count(n, "name"), strings.Join(r.few(l.Changed), ", ")))
	}
	if len(l.Slots) > 0 {
		r.screen.Text(term.Dim.Render(term.Sprintf("Asked for when it is built: %s", strings.Join(l.Slots, ", "))))
	}
	if !r.preview {
		r.screen.Text(term.Good.Render("Wrote") + " " + term.Visible(at) + ". " + advise("Change it in any text editor, and look at it with", "show", typed(at)).line())
	}
	return nil
}

// read reads the folders and archives.
func (r *learning) read(sources []string) error {
	done, end := r.progress("reading", -1)
	defer end()
	count := 0
	home, _ := os.UserHomeDir()
	for _, source := range sources {
		full, err := place.Real(source)
		info, statErr := place.Stat(source)
		if err != nil || statErr != nil {
			return unclear("", "there is no \"%s\"", source)
		}
		switch {
		case info.IsDir() && (string(full) == home || full == full.Parent()) && !r.yes:
			return refused("name the folders in it that are alike", "%s is all that you have", source)
		case info.IsDir():
			root, unread, err := inspect.Everything(full, done)
			if err != nil {
				return unreadable(source, err)
			}
			r.tellPassed(source, unread, "is looked at")
			if err := r.add(full.Name(), string(full), root); err != nil {
				return err
			}
		case packed.FormatOf(source) != packed.None:
			l, err := packed.List(string(full))
			if err != nil {
				return unclear("", "%s: %s", source, place.Reason(err))
			}
			root, base := l.Root, strings.TrimSuffix(strings.TrimSuffix(full.Name(), filepath.Ext(string(full))), ".tar")
			if len(root.Children) == 1 && root.Children[0].Kind == tree.Folder { // as most are packed
				base, root = root.Children[0].Name, root.Children[0]
			}
			if err := r.add(base, "", root); err != nil {
				return err
			}
		default:
			return unclear("name folders that are alike, or one file with a list", "%s is a file among folders", source)
		}
		if count += r.samples[len(r.samples)-1].Root.Count(); count > tooMany && !r.yes {
			return refused("name less\n"+r.sameCall("to read it all the same", "--yes").String(), "%s lie in these folders: that is seldom meant", term.Count(count, "thing"))
		}
	}
	if count == 0 {
		return refused("name one with something in it", "There is nothing in it to learn from.")
	}
	return nil
}

// add adds a folder to learn from, without what is hidden.
func (r *learning) add(name, dir string, root *tree.Node) error {
	if err := inspect.Prune(root); err != nil {
		return err
	}
	r.samples, r.dirs = append(r.samples, draft.Sample{Name: name, Root: root}), append(r.dirs, dir)
	return nil
}

// learn learns, and asks once where only a person can know.
func (r *learning) learn(title string) (*draft.Result, []draft.Proof, error) {
	var contents draft.Contents
	if r.starters {
		contents = func(sample int, path string) ([]byte, bool) {
			if r.dirs[sample] == "" {
				return nil, false
			}
			data, err := place.ReadFile(filepath.Join(r.dirs[sample], filepath.FromSlash(path)), 1<<20)
			return data, err == nil
		}
	}
	result, err := draft.Of(title, r.samples, r.given, contents)
	if err == nil && len(r.samples) == 1 && len(r.given) == 0 && r.interactive() && !r.asJSON {
		for _, f := range result.Fields {
			if f.Kind != "text" || len(f.Examples) != 1 || !strings.Contains(r.samples[0].Name, f.Examples[0]) {
				continue
			}
			q := &question{title: term.Sprintf("What is “%s”?", f.Examples[0]), hint: "one word, such as client or course\nwithout an answer: it is the same in each folder\nReturn goes on · ctrl+c stops"}
			if _, err := r.answerTo(q); err != nil {
				return nil, nil, err
			}
			called := strings.TrimSpace(q.text)
			if r.given[called] = f.Examples[0]; called == "" {
				r.given = map[string]string{}
				break
			}
			result, err = draft.Of(title, r.samples, r.given, contents)
		}
	}
	if err != nil {
		return nil, nil, refused("", "%v", err)
	}
	proofs, err := result.Prove(title, r.now)
	if err != nil {
		// What was learned is no template: that is ours to fix.
		return nil, nil, refused("give the folders other names, or name fewer of them", "What these folders have in common cannot be written as a template: %v", err)
	}
	return result, proofs, nil
}

// tell shows what was learned, and what that gives again.
func (r *learning) tell(at string, result *draft.Result, proofs []draft.Proof) {
	if len(result.Fields) > 0 {
		r.screen.Line(term.Title.Render("Taken for values"))
		var rows [][]term.Shown
		for _, f := range result.Fields {
			rows = append(rows, []term.Shown{"  " + term.Strong.Render(term.Visible(f.Name)), term.Dim.Render(term.Visible(f.Kind)), term.Visible(strings.Join(r.few(f.Examples), ", "))})
		}
		r.screen.Columns(rows)
		r.screen.Line()
	}
	for text := range strings.SplitSeq(strings.TrimSuffix(result.Text, "\n"), "\n") {
		if strings.HasPrefix(text, "//") { // it is to be read as a whole
			r.screen.Indented(2, term.Visible(text), term.Dim)
			continue
		}
		r.screen.Line("  ", term.Visible(text))
	}
	r.screen.Line()
	r.tellProof(result, proofs)
	r.tellBegun(result)
	r.tellLists()
	if !r.preview {
		r.screen.Text(term.Good.Render("Wrote") + " " + term.Visible(at) + ". " + advise("Change it in any text editor, and look at it with", "show", typed(at)).line())
	}
}

// tellBegun tells which files would begin empty that hold something.
func (r *learning) tellBegun(result *draft.Result) {
	var names []string
	for _, b := range result.Begun {
		if dir := r.dirs[b.Sample]; dir != "" && b.Path != "" {
			if info, err := place.Lstat(filepath.Join(dir, filepath.FromSlash(b.Path))); err == nil && info.Size() > 0 {
				names = append(names, b.Name)
			}
		}
	}
	if len(names) > 0 {
		text := term.Warn.Render("note:") + term.Sprintf(" %s would begin empty, and %s something in these folders.", strings.Join(r.few(names), ", "), map[bool]string{true: "holds", false: "hold"}[len(names) == 1])
		if !r.starters {
			text += " With --starters, they begin with what is alike in all of them."
		}
		r.screen.Text(text)
	}
}

// tellProof says what the template gives again, and what not.
func (r *learning) tellProof(result *draft.Result, proofs []draft.Proof) {
	exact, entries, held, later, owner := 0, 0, 0, 0, 0
	for _, p := range proofs {
		if p.Exact {
			exact++
		}
		entries, held, later, owner = entries+p.Entries, held+p.Held, later+p.Later, owner+p.Owner
	}
	var text term.Shown
	switch all := term.Count(len(proofs), "folder"); {
	case exact < len(proofs) && len(proofs) == 1:
		text = term.Warn.Render("Not all of it") + " is explained"
	case exact < len(proofs) && result.Drifted:
		text = term.Warn.Render("Not all of it") + term.Sprintf(" is explained: taken as they are meant, it makes %d of %s again", exact, all)
	case exact < len(proofs):
		text = term.Warn.Render("Not all of it") + term.Sprintf(" is explained: built with these values, it makes %d of %s again", exact, all)
	case result.Drifted:
		text = term.Good.Render("Taken as they are meant") + term.Sprintf(", it makes each of the %s again", all)
	case len(proofs) == 1:
		text = term.Good.Render("Proven") + ": built with these values, it makes the folder again"
	default:
		text = term.Good.Render("Proven") + term.Sprintf(": built with these values, it makes each of the %s again", all)
	}
	text += term.Sprintf(", %s", term.Count(entries, "thing"))
	if held > 0 {
		text += term.Sprintf("; %s named by its conventions", term.Count(held, "file"))
	}
	if later > 0 {
		text += term.Sprintf("; %s that it keeps for later", term.Count(later, "folder"))
	}
	if owner > 0 {
		text += term.Sprintf("; %s in folders that are left to whoever works there", term.Count(owner, "thing"))
	}
	r.screen.Text(text + ".")
	shown := 0
	for i, p := range proofs {
		for _, list := range []struct {
			word  term.Shown
			paths []string
		}{{"no line for", p.Extra}, {"not there", p.Missing}} {
			for _, path := range list.paths {
				if shown++; shown > r.most(manyRows) {
					continue // they are counted
				}
				r.screen.Line("  ", term.Warn.Render(list.word), " ", term.Visible(result.Samples[i].Name+"/"+path))
			}
		}
	}
	if shown > r.most(manyRows) {
		r.more(shown-manyRows, "")
	}
}

// report prints what was learned, as JSON.
func (r *learning) report(result *draft.Result, proofs []draft.Proof) error {
	type one struct {
		Folder  string   `json:"folder"`
		Exact   bool     `json:"exact"`
		Entries int      `json:"entries"`
		Held    int      `json:"held"`
		Later   int      `json:"later"`
		Owner   int      `json:"owner"`
		Missing []string `json:"missing"`
		Extra   []string `json:"extra"`
	}
	type field struct {
		Name     string   `json:"name"`
		Type     string   `json:"type"`
		Examples []string `json:"examples"`
	}
	out := struct {
		Template string   `json:"template"`
		Fields   []field  `json:"fields"`
		Doubts   []string `json:"doubts"`
		Folders  []one    `json:"folders"`
	}{result.Text, []field{}, append([]string{}, result.Doubts...), []one{}}
	for _, f := range result.Fields {
		out.Fields = append(out.Fields, field{f.Name, f.Kind, append([]string{}, f.Examples...)})
	}
	for i, p := range proofs {
		out.Folders = append(out.Folders, one{result.Samples[i].Name, p.Exact, p.Entries, p.Held, p.Later, p.Owner, append([]string{}, p.Missing...), append([]string{}, p.Extra...)})
	}
	return r.printJSON(out)
}

// headings are the columns of a file that is a table by its ending, as fields are called;
// none of another.
func headings(file string, data []byte) (names []string) {
	if !slices.Contains([]string{".csv", ".xlsx", ".xlsm", ".ods"}, strings.ToLower(filepath.Ext(file))) {
		return nil
	}
	t, err := table.Read(file, data, table.Options{})
	if err != nil {
		return nil
	}
	for _, h := range t.Headings {
		if name := strings.Join(strings.Fields(strings.ToLower(h)), "-"); outline.IsWord(name) {
			names = append(names, name)
		}
	}
	return names
}
