package put

import (
	"bytes"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/address"
	"vestibula/core/label"
	"vestibula/core/match"
	"vestibula/core/project"
	"vestibula/core/standing"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/treetest"
)

var now = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)

const job = `---
fields: { client: Who?, received: { type: date } }
names:
  scan: { pattern: "<received:yyyy-mm-dd> <client:like-this> <side> <n:000>", fields: { side: { of: [recto, verso] }, n: { type: number, next: yes } }, for: [tif, jpg] }
  bill: { pattern: "<client:LT> bill <n:00>", fields: { n: { type: number, next: yes } }, for: [pdf] }
  sheet: { pattern: "<day:yyyy-mm-dd> sheet", for: [md] }
---
<client>
    Letters | holds: documents
    Photographs | holds: scan
    Bills | holds: bill
    Sound | holds: *.wav
    Proxies | holds: PROXY/**/*.mp4
    Clips | holds: video
    Sheets
        <day:yyyy>/<day:yyyy-mm> | later | holds: sheet
            Notes.md | blank
`

// shelf makes projects for clients, with what lies in them.
func shelf(t require.TestingT, files map[string][]string, clients ...string) []*standing.Project {
	tpl, err := template.Parse("job.folders", job, nil)
	require.NoError(t, err)
	var list []*standing.Project
	for _, client := range clients {
		values, errs := tpl.ParseValues(map[string]template.Raw{"client": {Text: client}, "received": {Text: "2027-03-09"}}, now)
		require.Empty(t, errs)
		x, err := tpl.Tree(values, 1000)
		require.NoError(t, err)
		_, own := tpl.Own(x.Root)
		root := own.Built().Copy()
		treetest.Add(root, files[client]...)
		sorted(root)
		p := &project.Project{Dir: address.Address("/clients/" + client), Label: &label.Label{}, Template: tpl, Values: values}
		l, err := p.Layout(root, 1000, now)
		require.NoError(t, err)
		list = append(list, &standing.Project{Layout: l, Shown: client})
	}
	return list
}

// onDisk lays out what lies in projects on the disk, where numbers are counted.
func onDisk(t *testing.T, list []*standing.Project) []*standing.Project {
	dir := t.TempDir()
	for _, p := range list {
		p.Dir = address.Address(filepath.Join(dir, p.Shown))
		require.NoError(t, os.MkdirAll(string(p.Dir), 0o777))
		for at, n := range p.Root.All() {
			if at = string(p.Dir.Join(at)); n.Kind == tree.Folder {
				require.NoError(t, os.MkdirAll(at, 0o777))
			} else {
				require.NoError(t, os.WriteFile(at, nil, 0o666))
			}
		}
	}
	return list
}

func sorted(n *tree.Node) {
	n.From = 0
	slices.SortFunc(n.Children, func(a, b *tree.Node) int { return strings.Compare(a.Name, b.Name) })
	for _, c := range n.Children {
		sorted(c)
	}
}

func said(o *standing.Outcome) string {
	switch o.Kind {
	case standing.Goes:
		return o.Spots[0].Project.Shown + "/" + o.Path
	case standing.There:
		return "= " + o.Why
	case standing.Several:
		var dirs []string
		for _, s := range o.Spots {
			dirs = append(dirs, s.Project.Shown+"/"+s.Dir)
		}
		slices.Sort(dirs)
		return "? " + strings.Join(dirs, ", ") + ": " + map[standing.RemedyKind]string{standing.SayField: "a name that says the " + o.Help.Name + " would tell", standing.NameProject: "name the project", standing.NameFolder: "name the folder"}[o.Help.Kind]
	}
	return "! " + o.Why
}

func TestWhereFilesBelong(t *testing.T) {
	p := standing.NewPlanner(shelf(t, map[string][]string{"Jun Teague": {"Sheets/2027/2027-04/2027-04-01 sheet.md"}}, "Oriel Pask", "Jun Teague", "Ola"))
	alone := standing.NewPlanner(shelf(t, nil, "Oriel Pask"))
	for _, tt := range []struct{ file, among, alone string }{
		{"2027-03-09 oriel-pask recto 001.tif", "Oriel Pask/Photographs/2027-03-09 oriel-pask recto 001.tif", "Oriel Pask/Photographs/2027-03-09 oriel-pask recto 001.tif"},
		{"x/y/2027-03-09 jun-teague verso 100.JPG", "Jun Teague/Photographs/2027-03-09 jun-teague verso 100.JPG", "! its name reads as scan, and says client jun teague, which no place here has"},
		{"JT bill 01.pdf", "Jun Teague/Bills/JT bill 01.pdf", "! its name reads as bill, and says client JT, which no place here has"},
		{"2027-03-10 oriel-pask recto 001.tif", "! its name reads as scan, and says received 2027-03-10, which no place here has, though its name says Oriel Pask", "! its name reads as scan, and says received 2027-03-10, which no place here has"},
		{"2027-3-9 oriel-pask recto 001.tif", "! its name does not read as scan: the month needs two digits, though its name says Oriel Pask", "! its name does not read as scan: the month needs two digits"},
		{"a.wav", "? Jun Teague/Sound, Ola/Sound, Oriel Pask/Sound: a name that says the client would tell", "Oriel Pask/Sound/a.wav"},
		{"talk with Jun Teague.wav", "Jun Teague/Sound/talk with Jun Teague.wav", "Oriel Pask/Sound/talk with Jun Teague.wav"},
		{"JUN-TEAGUE offer.docx", "Jun Teague/Letters/JUN-TEAGUE offer.docx", "Oriel Pask/Letters/JUN-TEAGUE offer.docx"},
		{"Jun Teague and Oriel Pask.docx", "? Jun Teague/Letters, Oriel Pask/Letters: a name that says the client would tell", "Oriel Pask/Letters/Jun Teague and Oriel Pask.docx"},
		{"granola.docx", "? Jun Teague/Letters, Ola/Letters, Oriel Pask/Letters: a name that says the client would tell", "Oriel Pask/Letters/granola.docx"},
		{"proxy/a/b.mp4", "? Jun Teague/Proxies, Ola/Proxies, Oriel Pask/Proxies: a name that says the client would tell", "Oriel Pask/Proxies/b.mp4"},
		{"a/b.mp4", "? Jun Teague/Clips, Ola/Clips, Oriel Pask/Clips: a name that says the client would tell", "Oriel Pask/Clips/b.mp4"},
		{"2027-05-02 sheet.md", "? Jun Teague/Sheets/2027/2027-05, Ola/Sheets/2027/2027-05, Oriel Pask/Sheets/2027/2027-05: name the project", "Oriel Pask/Sheets/2027/2027-05/2027-05-02 sheet.md"},
		{"x.psd", "! nothing holds files that end in .psd", "! nothing holds files that end in .psd"},
		{"README", "! nothing holds files without an ending", "! nothing holds files without an ending"},
	} {
		f := &standing.File{Path: tt.file}
		assert.Equal(t, tt.among, said(p.Place(f)), tt.file)
		assert.Equal(t, tt.alone, said(alone.Place(f)), tt.file)
	}
	assert.Equal(t, standing.Nowhere, p.Place(&standing.File{Path: "a.wav", Link: true}).Kind)
	alone.Below = "Letters"
	o := alone.Place(&standing.File{Path: "a.wav"})
	assert.Equal(t, "Oriel Pask/Letters/a.wav", said(o), "a place that is named is meant")
	assert.Equal(t, "it was named, and the template has it in Sound", o.Why)
	assert.Equal(t, match.Misplaced, standing.Finds(o.Spots[0].Project, []*standing.Outcome{o})[o].Kind)
}

// The oracle writes each name for one project, and knows where it belongs.
func TestNamesThatSayTheirProjectFindIt(t *testing.T) {
	clients := []string{"Oriel Pask", "Jun Teague", "Åsgerd Ölvane", "Ola", "Ola Pask", "Runa Marrow"}
	p := standing.NewPlanner(shelf(t, nil, clients...))
	spelled := map[string][2]string{"Oriel Pask": {"oriel-pask", "OP"}, "Jun Teague": {"jun-teague", "JT"}, "Åsgerd Ölvane": {"asgerd-olvane", "AO"}, "Ola": {"ola", "O"}, "Ola Pask": {"ola-pask", "OP"}, "Runa Marrow": {"runa-marrow", "RM"}}
	rapid.Check(t, func(t *rapid.T) {
		client := rapid.SampledFrom(clients).Draw(t, "client")
		n := rapid.IntRange(1, 99).Draw(t, "n")
		if rapid.Bool().Draw(t, "scan") {
			name := fmt.Sprintf("2027-03-09 %s %s %03d.tif", spelled[client][0], rapid.SampledFrom([]string{"recto", "verso"}).Draw(t, "side"), n)
			require.Equal(t, client+"/Photographs/"+name, said(p.Place(&standing.File{Path: name})))
			return
		}
		name := fmt.Sprintf("%s bill %02d.pdf", spelled[client][1], n)
		if spelled[client][1] == "OP" { // two of them have these letters
			require.Equal(t, standing.Several, p.Place(&standing.File{Path: name}).Kind)
			return
		}
		require.Equal(t, client+"/Bills/"+name, said(p.Place(&standing.File{Path: name})))
	})
}

func TestTheSameComesOnce(t *testing.T) {
	disk := map[string]string{}
	opened := map[string]int{}
	open := func(at string) (io.ReadCloser, error) {
		opened[at]++
		text, there := disk[at]
		if !there {
			return nil, fs.ErrNotExist
		}
		return io.NopCloser(strings.NewReader(text)), nil
	}
	pr := &standing.Project{Shown: "P"}
	var outcomes []*standing.Outcome
	add := func(name, text string) {
		disk["/in/"+name] = text
		outcomes = append(outcomes, &standing.Outcome{File: &standing.File{Path: name, At: "/in/" + name, Entry: tree.Entry{Size: int64(len(text))}}})
	}
	large := strings.Repeat("x", 64<<10+10)
	var held []Held
	hold := func(at, text string) {
		disk["/p/"+at] = text
		held = append(held, Held{pr, at, "/p/" + at, int64(len(text))})
	}
	add("a", "one")
	add("b", "two!")
	add("c", "one")
	add("d", "three")
	add("e", "")
	add("f", "")
	add("g", large+"1")
	add("h", large+"2")
	add("i", "alone, of this size")
	add("j", "packed")
	outcomes[9].File.At, outcomes[9].File.Content = "", tree.Bytes("packed")
	hold("old", "three")
	hold("x", large+"2")
	hold("y", "PACKED")
	hold("z", "packed")
	held = append(held, Held{pr, "in", "/in/b", 4}) // a source that lies in the project itself
	Same(outcomes, held, open)
	var got []string
	for _, o := range outcomes {
		got = append(got, fmt.Sprintf("%s %d %s%s", o.File.Path, o.Kind, o.Why, o.Path))
	}
	assert.Equal(t, []string{"a 0 ", "b 0 ", "c 1 the same as a", "d 1 the same is thereold", "e 0 ", "f 0 ", "g 0 ", "h 1 the same is therex", "i 0 ", "j 1 the same is therez"}, got)
	assert.Zero(t, opened["/in/i"], "only what could be equal is read")
	assert.Zero(t, opened["/in/e"])

	// What goes into one project may be in another one, or come into that as well.
	other := &standing.Project{Shown: "Q"}
	outcomes, held = outcomes[:0], held[:0]
	for i, to := range []*standing.Project{pr, other, other} {
		add(fmt.Sprint("terms", i), "terms")
		outcomes[i].Spots = []standing.Spot{{Project: to}}
	}
	add("stray", "terms")
	outcomes[3].Kind = standing.Nowhere
	hold("their terms", "terms")
	Same(outcomes, held, open)
	assert.Equal(t, []standing.Kind{standing.There, standing.Goes, standing.There, standing.There}, []standing.Kind{outcomes[0].Kind, outcomes[1].Kind, outcomes[2].Kind, outcomes[3].Kind})
	assert.Equal(t, "the same as terms1", outcomes[2].Why)

	delete(disk, "/in/a")
	outcomes = outcomes[:0]
	add("k", "same")
	add("l", "same")
	delete(disk, "/in/l")
	Same(outcomes, nil, open)
	assert.Equal(t, standing.Nowhere, outcomes[1].Kind)
	assert.Equal(t, standing.Goes, outcomes[0].Kind)
}

func TestNamesThatAreTakenStop(t *testing.T) {
	projects := shelf(t, map[string][]string{"Ola": {"Sound/a.wav", "Sound/empty.wav"}}, "Ola")
	p := standing.NewPlanner(projects)
	there := map[string]tree.Entry{"/clients/Ola/Sound/a.wav": {Kind: tree.File, Size: 3}, "/clients/Ola/Sound/empty.wav": {Kind: tree.File}}
	var outcomes []*standing.Outcome
	for _, f := range []standing.File{
		{Path: "a.wav", At: "/in/a.wav", Entry: tree.Entry{Size: 4}}, {Path: "x/b.wav", At: "/in/x/b.wav"}, {Path: "y/B.WAV", At: "/in/y/B.WAV"},
		{Path: "empty.wav", At: "/in/empty.wav"}, {Path: "c.wav", At: "/clients/Ola/Sound/c.wav"},
	} {
		outcomes = append(outcomes, p.Place(&f))
	}
	Taken(outcomes, func(p *standing.Project) string { return string(p.Dir) }, func(at string) (tree.Entry, string, error) {
		if e, is := there[at]; is {
			return e, "", nil
		}
		return tree.Entry{}, "", fs.ErrNotExist
	})
	var got []string
	for _, o := range outcomes {
		got = append(got, said(o))
	}
	assert.Equal(t, []string{"! where it belongs, something else has its name: Sound/a.wav", "Ola/Sound/b.wav", "! another one that comes in has the same name: x/b.wav", "= it is there, and empty too", "= it is where it belongs"}, got)
}

func TestFilesAreNamedInTheOrderInWhichTheyCameAbout(t *testing.T) {
	projects := shelf(t, map[string][]string{"Oriel Pask": {"Photographs/2027-03-09 oriel-pask recto 004.tif", "Sheets/x.txt"}}, "Oriel Pask")
	p := standing.NewPlanner(onDisk(t, projects))
	files := []*standing.File{{Path: "IMG_3.jpg"}, {Path: "IMG_1.jpg"}, {Path: "IMG_2.JPG"}, {Path: "a.wav"}, {Path: "2027-03-09 oriel-pask verso 001.jpg"}}
	day := map[string]int{"IMG_3.jpg": 1, "IMG_1.jpg": 3, "IMG_2.JPG": 2}
	wrong := map[string]string{} // names that rules refuse
	n := &standing.Namer{Conventions: []string{"scan"}, Given: map[string]template.Raw{"side": {Text: "recto"}}, Now: now, Made: func(f *standing.File) (time.Time, string) {
		return now.AddDate(0, 0, day[f.Path]), "from the photograph"
	},
		Wrong: func(_ *standing.Project, name string) string { return wrong[name] }}
	got, err := n.Name(p, files)
	require.NoError(t, err)
	for i, want := range []string{"Oriel Pask/Photographs/2027-03-09 oriel-pask recto 005.jpg", "Oriel Pask/Photographs/2027-03-09 oriel-pask recto 007.jpg", "Oriel Pask/Photographs/2027-03-09 oriel-pask recto 006.jpg"} {
		assert.Equal(t, want, said(got[files[i]]))
	}
	assert.Len(t, got, 3, "what the convention is not for, and what is named so, keeps its name")

	wrong["2027-03-09 oriel-pask recto 005.tif"] = "rules refuse it"
	refused, next := &standing.File{Path: "a.tif"}, &standing.File{Path: "b.jpg"}
	got, err = n.Name(p, []*standing.File{refused, next})
	require.NoError(t, err)
	assert.Equal(t, []any{standing.Nowhere, "rules refuse it"}, []any{got[refused].Kind, got[refused].Why})
	assert.Equal(t, "Oriel Pask/Photographs/2027-03-09 oriel-pask recto 005.jpg", said(got[next]), "a name that was refused takes no number")

	n.Given = nil
	_, err = n.Name(p, files)
	var lacking *standing.NameError
	require.ErrorAs(t, err, &lacking)
	assert.EqualError(t, err, "a name of scan needs side")
	n.Given = map[string]template.Raw{"side": {Text: "spine"}}
	_, err = n.Name(p, files)
	assert.ErrorContains(t, err, "side \"spine\" is not one of")

	sheets := &standing.Namer{Conventions: []string{"sheet"}, Now: now, Made: n.Made, Wrong: n.Wrong}
	got, err = sheets.Name(p, []*standing.File{{Path: "x.md"}, {Path: "y.md"}})
	require.NoError(t, err)
	for f, o := range got {
		assert.Equal(t, "Oriel Pask/Sheets/2027/2027-03/2027-03-09 sheet.md", said(o), f.Path)
		assert.Equal(t, "the day is from the photograph", f.Day)
	}
}

// A number that counts on in the project is given once, whatever folders the names of one
// run go to; one that counts in its folder begins in each.
func TestNumbersOfOneRunCountOnWhereTheyAreCounted(t *testing.T) {
	for next, want := range map[string][]string{"project": {"05", "06", "07"}, "everywhere": {"05", "06", "07"}, "yes": {"05", "01", "02"}} {
		tpl, err := template.Parse("b.folders", "---\nfields: { client: Who? }\nnames: { bill: { pattern: \"<day:yyyy-mm> bill <n:00>\", fields: { day: { type: date }, n: { type: number, next: "+next+" } } } }\n---\n<client>\n    Notes\n    Bills\n        <day:yyyy-mm> | later | holds: bill\n", nil)
		require.NoError(t, err)
		values, errs := tpl.ParseValues(map[string]template.Raw{"client": {Text: "Ola"}}, now)
		require.Empty(t, errs)
		root := &tree.Node{}
		treetest.Add(root, "Bills/2027-03/2027-03 bill 04.pdf", "Notes/")
		sorted(root)
		l, err := (&project.Project{Dir: "/Ola", Label: &label.Label{}, Template: tpl, Values: values}).Layout(root, 1000, now)
		require.NoError(t, err)
		days := map[string]time.Time{"a.pdf": now, "b.pdf": now.AddDate(0, 1, 0), "c.pdf": now.AddDate(0, 1, 1)}
		n := &standing.Namer{Conventions: []string{"bill"}, Now: now, Made: func(f *standing.File) (time.Time, string) { return days[f.Path], "" }, Wrong: func(*standing.Project, string) string { return "" }}
		files := []*standing.File{{Path: "a.pdf"}, {Path: "b.pdf"}, {Path: "c.pdf"}}
		got, err := n.Name(standing.NewPlanner(onDisk(t, []*standing.Project{{Layout: l, Shown: "Ola"}})), files)
		require.NoError(t, err)
		for i, f := range files {
			assert.Contains(t, said(got[f]), "bill "+want[i]+".pdf", next)
		}
	}
}

func TestFoldersAreMadeForTheFirstFile(t *testing.T) {
	p := standing.NewPlanner(shelf(t, nil, "Ola"))
	var outcomes []*standing.Outcome
	for _, name := range []string{"2027-05-02 sheet.md", "2027-05-03 sheet.md", "2027-06-01 sheet.md", "2028-01-01 sheet.md"} {
		outcomes = append(outcomes, p.Place(&standing.File{Path: name, At: "/in/" + name}))
	}
	outcomes = append(outcomes, p.Place(&standing.File{Path: "a.wav", Content: tree.Bytes("x"), Entry: tree.Entry{Time: 7}}))
	base := func(p *standing.Project) string { return string(p.Dir) }
	changes, err := Changes(outcomes, Usual, func(at string) bool { return path.Dir(at) == "/elsewhere" }, base, 1000)
	require.NoError(t, err)
	set := Within(changes, Outermost([]string{"/clients/Ola", "/in", "/clients", "/in/deep"}))
	var got []string
	for _, c := range set.Changes {
		line := fmt.Sprintf("%s %d %s", c.Op, c.In, c.Path)
		if c.From != "" {
			line += fmt.Sprintf(" from %d %s", c.FromIn, c.From)
		}
		got = append(got, line)
		if c.Node != nil {
			for at := range c.Node.All() {
				got = append(got, "  "+strings.Clone(at))
			}
		}
	}
	assert.Equal(t, []string{
		"make 0 Ola/Sheets/2027", "  2027-05", "  2027-05/Notes.md", "  2027-06", "  2027-06/Notes.md", "make 0 Ola/Sheets/2028", "  2028-01", "  2028-01/Notes.md",
		"copy 0 Ola/Sheets/2027/2027-05/2027-05-02 sheet.md from 1 2027-05-02 sheet.md", "copy 0 Ola/Sheets/2027/2027-05/2027-05-03 sheet.md from 1 2027-05-03 sheet.md",
		"copy 0 Ola/Sheets/2027/2027-06/2027-06-01 sheet.md from 1 2027-06-01 sheet.md", "copy 0 Ola/Sheets/2028/2028-01/2028-01-01 sheet.md from 1 2028-01-01 sheet.md", "make 0 Ola/Sound/a.wav",
	}, got)
	for way, want := range map[Way]string{Move: "move", Copy: "copy", Link: "make"} {
		changes, err := Changes(outcomes[:1], way, func(string) bool { return false }, base, 1000)
		require.NoError(t, err)
		assert.Equal(t, want, changes[len(changes)-1].Op.String())
	}
	var buf bytes.Buffer
	require.NoError(t, tree.Copy(&buf, set.Changes[len(set.Changes)-1].Node.Content))
	assert.Equal(t, "x", buf.String())
	assert.Equal(t, int64(7), set.Changes[len(set.Changes)-1].As.Time)
}
