package rules

import (
	"io"
	"io/fs"
	"path"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/match"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/treetest"
)

// A mapDisk answers rules from files in memory.
type mapDisk struct{ fstest.MapFS }

func (d mapDisk) Look(p string) (tree.Entry, error) {
	info, err := fs.Stat(d.MapFS, p)
	if err != nil {
		return tree.Entry{}, err
	}
	kind := tree.File
	if info.IsDir() {
		kind = tree.Folder
	}
	return tree.Entry{Name: info.Name(), Kind: kind, Size: info.Size(), Time: info.ModTime().UnixNano()}, nil
}

func (d mapDisk) Open(p string) (io.ReadCloser, error) { return d.MapFS.Open(p) }

func (d mapDisk) Leads(p string) bool { return !strings.HasSuffix(p, "dead") }

var today = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)

// realOf makes the tree and the disk of files: path, and behind a | the age in days
// and the content.
func realOf(files ...string) (*tree.Node, mapDisk) {
	root, disk := &tree.Node{}, mapDisk{fstest.MapFS{}}
	for _, f := range files {
		p, rest, _ := strings.Cut(f, "|")
		age, data, _ := strings.Cut(rest, "|")
		days := time.Duration(len(age)) * 24 * time.Hour
		if treetest.Add(root, p); !strings.HasSuffix(p, "/") {
			disk.MapFS[p] = &fstest.MapFile{Data: []byte(data), ModTime: today.Add(-days)}
		}
	}
	for _, n := range root.All() {
		if n.Kind == tree.File && strings.HasPrefix(n.Name, "link") {
			n.Marks = tree.Link
		}
	}
	return root, disk
}

func TestRulesAboutRealFolders(t *testing.T) {
	for _, tt := range []struct {
		what, setting string
		files         []string
		want          []string // severity, rule, path, and what --fix makes of it
	}{
		{"nothing is wrong", "", []string{"01 Work/a.md", "02 Letters/b.md"}, nil},
		{"a link to nothing", "", []string{"link to a", "link dead"}, []string{"error links link dead"}},
		{"and not asked for", "links: off", []string{"link dead"}, nil},
		{"or only warned of", "links: warn", []string{"link dead"}, []string{"warning links link dead"}},
		{"what waits too long", "waiting: { Arrivals: 3 }", []string{"00 Arrivals/fresh.pdf|xxx", "00 Arrivals/old.pdf|xxxx", "Work/old.pdf|xxxxxxxx"}, []string{"error waiting 00 Arrivals/old.pdf"}},
		{"at most none", "loose-files: { in: { Arrivals: 0 } }", []string{"00 Arrivals/x.pdf", "Work/a.md", "Work/b.md"}, []string{"error loose-files 00 Arrivals"}},
		{"one number everywhere, another in a place", "loose-files: { at-most: 1, in: { Work: 3 } }", []string{"Notes/a.md", "Notes/b.md", "Work/a.md", "Work/b.md", "Work/c.md"}, []string{"error loose-files Notes"}},
		{"none at all", "loose-files: 0", []string{"Notes/a.md"}, []string{"error loose-files Notes"}},
		{"as wide as a place may be", "width: { at-most: 2, in: { Letters: 4 } }", []string{"Letters/a/", "Letters/b/", "Letters/c/", "Work/a/", "Work/b/", "Work/c/"}, []string{"error width Work"}},
		{"as deep as a place may be", "depth: { at-most: 4, in: { Work: 1 } }", []string{"Work/a/b/", "Letters/a/b/"}, []string{"error depth Work/a/b"}},
		{"words in a place", "name-words: { in: { Letters: 2 } }", []string{"Letters/one two three.md", "Work/one two three.md"}, []string{"error name-words Letters/one two three.md"}},
		{"one word, and two in places", "name-words: { at-most: 3, in: { Letters: 1, Work: 2 } }", []string{"Letters/one.md", "Letters/one two.md", "Work/one two.md", "Work/one two three.md", "Bills/one two three.md"}, []string{"error name-words Letters/one two.md", "error name-words Work/one two three.md"}},
		{"the same twice", "twice: warn", []string{"a/x.pdf||same", "b/y.pdf||same", "c/z.pdf||other", "e.md", "f.md"}, []string{"warning twice b/y.pdf"}},
		{"nobody sees it", "", []string{"pa\u200bge.md", "so\u00adft.md", "r\u202ecod.md"}, []string{"error unseen pa\u200bge.md > page.md", "error unseen r\u202ecod.md > rcod.md", "error unseen so\u00adft.md > soft.md"}},
		{"joiners of emoji, and of scripts that need them", "", []string{"👩\u200d🎨 colours.md", "می\u200cخواهم.md", "❤\ufe0f.md"}, nil},
		{"two that look alike", "", []string{"Оffer.md", "Offer.md"}, []string{"error unseen Оffer.md"}},
		{"two spaces that look alike", "", []string{"a\u00a0b.md", "a b.md"}, []string{"error unseen a\u00a0b.md"}},
		{"a word of another script alone", "", []string{"Работа.md"}, nil},
		{"dots and spaces at the end", "", []string{"spring /", "v1./"}, []string{"error systems spring  > spring", "error systems v1. > v1"}},
		{"the better name is taken", "", []string{"spring /", "Spring/"}, []string{"error systems spring "}},
		{"what Windows refuses, fixed with an answer", "systems: [windows]", []string{"what?.md"}, []string{"error systems what?.md ? what-.md"}},
		{"as long as Windows takes", "systems: [windows]", []string{strings.Repeat("𝛑", 127) + "/", strings.Repeat("é", 255) + "/", strings.Repeat("𝛑", 128) + "/", strings.Repeat("é", 256) + "/"}, []string{"error systems " + strings.Repeat("é", 256), "error systems " + strings.Repeat("𝛑", 128)}},
		{"a width of numbers", "numbering: { digits: 2 }, sorting: off", []string{"1 a/", "02 b/"}, []string{"error numbering 1 a > 01 a"}},
		{"days in two forms", "", []string{"2027-09-25 offer.pdf", "27-10-03 offer.pdf"}, []string{"warning sorting 27-10-03 offer.pdf"}},
		{"days with the day in front", "", []string{"1.4.2027 a/", "10.3.2027 b/", "2.3.2027 c/", "1.2.3 d/"}, []string{"warning sorting 10.3.2027 b"}},
		{"days in one form that rises", "", []string{"2027-03-09 a/", "2027-03-10 b/", "2027 c/"}, nil},
		{"one value in front is no number", "numbering: { digits: 2, gaps: no }", []string{"7 Seas letters/", "7 Seas bills/"}, nil},
		{"one number in front is", "numbering: { digits: 2, gaps: no }", []string{"07 Letters/", "07 Bills/"}, []string{"error numbering 07 Letters"}},
		{"a sign in front", "", []string{"_notes/", "Work/", "_plan.md"}, []string{"warning sorting _notes"}},
		{"a sign in front that leads everywhere", "", []string{"_alpha/", "beta/"}, nil},
		{"a style", "name-style: { files: like-this }", []string{"My Notes.md", "my-list.md"}, []string{"error name-style My Notes.md > my-notes.md"}},
		{"names of devices and programs", "", []string{"IMG_2044.jpg", "Scan0012.pdf", "report (1).md", "Copy of plan.md", "Your name.md", "TBD.md", "Document1.docx", "Page 3.md", "2027 (2).md", "Images.md", "2027-03-09 recto 001.tif", "doc.md", "Tbilisi.md"},
			[]string{"warning vague-names 2027 (2).md", "warning vague-names Copy of plan.md", "warning vague-names Document1.docx", "warning vague-names IMG_2044.jpg", "warning vague-names Scan0012.pdf", "warning vague-names TBD.md", "warning vague-names Your name.md", "warning vague-names report (1).md"}},
		{"a name that another rule asks for", "catch-all: Other", []string{"Other/", "a/"}, nil},
	} {
		text := "A\n"
		if tt.setting != "" {
			text = rulesHeader(tt.setting) + text
		}
		tpl, err := template.Parse("t", text, nil)
		require.NoError(t, err, tt.what)
		set, errs := Configure(tpl)
		require.Empty(t, errs, tt.what)
		root, disk := realOf(tt.files...)
		for _, n := range root.Children {
			n.From = 1 // the template makes them
		}
		var got []string
		for _, f := range set.CheckReal(&Real{Root: root, Disk: disk, Now: today}) {
			line := f.Severity.String() + " " + f.Rule + " " + f.Path
			if f.Fix != nil {
				line += map[bool]string{true: " > ", false: " ? "}[f.Fix.Sure] + f.Fix.To()
			}
			got = append(got, line)
			for _, advice := range []string{"<", "line", "template", "header", "write "} {
				assert.NotContains(t, f.Help, advice, "%s: advice about a real folder", tt.what)
			}
		}
		assert.Equal(t, tt.want, got, tt.what)
	}
}

// What rules ask for is said by them.
func TestRulesSayWhatTheyNeed(t *testing.T) {
	for name, want := range map[string]bool{"twice": true, "waiting": true, "links": true, "missing": false, "strays": false, "depth": false, "none": false} {
		assert.Equal(t, want, NeedsDisk(name), name)
	}
}

// Starters that nobody has touched are the same in many folders, and no finding.
func TestUntouchedStartersAreNotThereTwice(t *testing.T) {
	tpl, err := template.Parse("t", rulesHeader("twice: warn")+"A\n", nil)
	require.NoError(t, err)
	set, errs := Configure(tpl)
	require.Empty(t, errs)
	starter := digest.Bytes([]byte("starter"))
	for want, given := range map[int]map[string]string{
		2: nil,
		1: {"a/x.md": starter},
		0: {"a/x.md": starter, "b/x.md": starter},
	} {
		root, disk := realOf("a/x.md||starter", "b/x.md||starter", "c/x.md||starter")
		assert.Len(t, set.CheckReal(&Real{Root: root, Disk: disk, Now: today, Given: given}), want)
	}
	root, disk := realOf("a/x.md||written", "b/x.md||written")
	assert.Len(t, set.CheckReal(&Real{Root: root, Disk: disk, Now: today, Given: map[string]string{"a/x.md": starter, "b/x.md": starter}}), 1, "somebody wrote into both")
}

// Whichever findings are chosen, the changes that fix them lead from what is there,
// each from a place that something lies at, and no two to one place.
func TestPlansOfFixesFitTogether(t *testing.T) {
	tpl, err := template.Parse("t", "---\nfields: { people: { type: list } }\nnames: { photo: \"<person:like-this> <n:000>\" }\n---\nShop\n    <#> Tides\n        Deep\n            Deeper\n    <#> People\n        <person> | each: person in people\n            Photos | holds: photo\n    <#> Buoys\n", nil)
	require.NoError(t, err)
	set, _ := Configure(tpl)
	rapid.Check(t, func(t *rapid.T) {
		root, _ := realOf("05 Tides/Deeep/deeper/x.md", "02 people/oriel pask/Photo/dag-holm 001", "02 people/Dag Holm/Photos/oriel-pask 001", "02 people/Dag Holm/Photos/dag-holm 002", "Boys /x", "y\u200b.md")
		people, errs := tpl.ParseValues(map[string]template.Raw{"people": {Text: "Oriel Pask; Dag Holm; Jun Teague"}}, today)
		require.Empty(t, errs)
		w, err := match.Of(tpl, people, 1000, today)
		require.NoError(t, err)
		there := map[string]tree.Kind{}
		for p, n := range root.All() {
			there[p] = n.Kind
		}
		found := set.CheckReal(&Real{Root: root, Things: match.Compare(w, root)})
		chosen := map[*Finding]bool{}
		for i := range found {
			chosen[&found[i]] = found[i].Fix != nil && rapid.Bool().Draw(t, "chosen")
		}
		changes, fixed := Plan(found, func(f *Finding) bool { return chosen[f] })
		require.Len(t, fixed, len(changes))
		targets := map[string]bool{}
		for _, c := range changes {
			assert.False(t, targets[c.Path], "two to %s", c.Path)
			targets[c.Path] = true
			if c.Op == change.Move {
				kind, is := there[c.From]
				assert.True(t, is, "nothing lies at %s", c.From)
				assert.Equal(t, kind, c.Was.Kind, c.From)
			}
		}
		_, obstacles := (&change.Set{Places: []address.Address{"/p"}, Changes: changes}).Order(".work")
		assert.Empty(t, obstacles)
		// What lies in a folder that gets another name is found below that.
		for _, c := range changes {
			for _, d := range changes {
				if below, inside := strings.CutPrefix(d.From, c.From+"/"); c.Op == change.Move && d.Op == change.Move && inside && path.Dir(d.Path) != "." && strings.Contains(below, "Photo") == strings.Contains(d.Path, "Photo") && !strings.Contains(below, "/") {
					assert.True(t, strings.HasPrefix(d.Path, c.Path+"/"), "%s to %s, and in it %s to %s", c.From, c.Path, d.From, d.Path)
				}
			}
		}
	})
}
