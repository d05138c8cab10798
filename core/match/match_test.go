package match

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/treetest"
	"vestibula/core/value"
)

var now = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)

func sorted(n *tree.Node) {
	slices.SortFunc(n.Children, func(a, b *tree.Node) int { return strings.Compare(a.Name, b.Name) })
	for _, c := range n.Children {
		sorted(c)
	}
}

// copied is a tree as it would be read from a disk.
func copied(n *tree.Node) *tree.Node {
	out := &tree.Node{Name: n.Name, Kind: n.Kind}
	for _, c := range n.Children {
		out.Children = append(out.Children, copied(c))
	}
	sorted(out)
	return out
}

func parse(t require.TestingT, text string) *template.Template {
	tpl, err := template.Parse("t", text, nil)
	require.NoError(t, err, text)
	return tpl
}

func valuesOf(t require.TestingT, tpl *template.Template, given ...string) template.Values {
	raw := map[string]template.Raw{}
	for _, g := range given {
		name, text, _ := strings.Cut(g, "=")
		raw[name] = template.Raw{Text: text}
	}
	values, errs := tpl.ParseValues(raw, now)
	require.Empty(t, errs)
	return tpl.Complete(values, now)
}

func said(list []*Thing) []string {
	var out []string
	for _, t := range list {
		text := fmt.Sprint([]string{"missing", "misnamed", "misplaced", "unfit", "stray", "overdue"}[t.Kind], " ", t.Path)
		if t.Kind == Misnamed || t.Kind == Misplaced {
			text += " > " + t.Target(func(*Thing) bool { return true })
		}
		if t.Reason != NoReason {
			text += " (" + []string{"", "former", "number", "spelling", "slip", "value", "contents", "name", "convention", "kind", "copy", "double", "in the way", "another", "followed"}[t.Reason] + ")"
		}
		if !t.Sure && (t.Kind == Misnamed || t.Kind == Misplaced && t.to != "") {
			text += " ?"
		}
		out = append(out, text)
	}
	return out
}

const shelf = `---
fields:
  client: { ask: Who? }
  year: { type: year }
  people: { type: list, default: [] }
  gilding: { type: yes-no, default: no }
names:
  sheet: { pattern: "<day:yyyy-mm-dd> sheet", fields: { day: { type: date, within: month } } }
  scan: { pattern: "<client:like-this> <n:000>", for: [tif] }
---
<client> <year>
    <#> Tides         | was: Currents
        Photographs   | holds: scan
        Sound         | holds: sound, *.tif
    <#> Buoys
    <#> Months
        <month:yyyy-mm>  | each: month in <year>-01..<year>-03 | holds: sheet
    <#> People
        <person>      | each: person in people
            Drafts
            Finished
            Essay     | due: 2027-02-01
    <#> Gilding       | when: gilding
    <#> Elsewhere     | later
    Read me.md
`

// A number or a day in front that is the value of a slot says what the thing is: with another one it is another thing,
// and nothing that could be brought to the name by itself.
func TestANumberThatIsAValueIsNoNumbering(t *testing.T) {
	tpl := parse(t, "---\nfields: { street: Which?, flats: { type: list } }\n---\n<street>\n    <flat> | each: flat in flats\n    12 Elm Road\n    14 Elm Road\n    Days\n        <month:yyyy-mm> Sheets | each: month in 2027-01..2027-02\n    <#> Letters\n")
	flats, err := (&value.Type{Kind: value.List}).Parse("1 Oak Street; 2 Oak Street", now)
	require.NoError(t, err)
	w, err := Of(tpl, template.Values{"street": value.Of("Oak"), "flats": flats}, 1000, now)
	require.NoError(t, err)
	for real, want := range map[string]string{
		"1 Oak Street/, 3 Oak Street/, 01 Letters/, 12 Elm Road/, 14 Elm Road/, Days/2027-01 Sheets/, Days/2027-02 Sheets/": "missing 2 Oak Street; stray 3 Oak Street (another)",
		"1 Oak Street/, 2 oak street/, 03 Letters/, 12 Elm Road/, 14 elm road/, Days/2027-01 Sheets/, Days/2027-02 Sheets/": "misnamed 03 Letters > 01 Letters (number); misnamed 14 elm road > 14 Elm Road (spelling); misnamed 2 oak street > 2 Oak Street (spelling)",
		"1 Oak Street/, 2 Oak Street/, 01 Letters/, 12 Elm Road/, 14 Elm Road/, Days/2027-01 Sheets/, Days/2028-02 Sheets/": "misnamed Days/2028-02 Sheets > Days/2027-02 Sheets (value) ?",
		"1 Oak Street/, 2 Oak Street/, 01 Letters/, 12 Elm Road/, 16 Elm Road/, Days/2027-01 Sheets/, Days/2027-02 Sheets/": "missing 14 Elm Road; stray 16 Elm Road (another)",
	} {
		list := said(Compare(w, treetest.Of(strings.Split(real, ", ")...)))
		assert.Equal(t, want, strings.Join(list, "; "), real)
	}
}

func TestWhatIsNotAsItShouldBeIsTold(t *testing.T) {
	tpl := parse(t, shelf)
	whole := func(values template.Values) []string {
		w, err := Of(tpl, values, 1000, now)
		require.NoError(t, err)
		var paths []string
		for path, n := range w.Own.Built().All() {
			if n.Kind == tree.Folder {
				path += "/"
			}
			paths = append(paths, path)
		}
		return paths
	}
	for _, tt := range []struct{ what, change, want string }{
		{"nothing", "", ""},
		{"a folder was deleted", "-02 Buoys/", "missing 02 Buoys"},
		{"and one came", "-02 Buoys/, +Bouy shed/", "missing 02 Buoys; stray Bouy shed"},
		{"another number", "02 Buoys/ > 07 Buoys/", "misnamed 07 Buoys > 02 Buoys (number)"},
		{"numbers were swapped", "02 Buoys/ > 01 Buoys/, 01 Tides/ > 02 Tides/", "misnamed 01 Buoys > 02 Buoys (number); misnamed 02 Tides > 01 Tides (number)"},
		{"two that could be it", "-02 Buoys/, +05 Buoys/, +07 Buoys/", "missing 02 Buoys; stray 05 Buoys; stray 07 Buoys"},
		{"two numbers are the same", "+02 Tides/, -03 Months/", "stray 02 Tides (double); missing 03 Months"},
		{"capitals and joints", "02 Buoys/ > 02_buoys/, 04 People/Jun Teague/ > 04 People/jun-teague/", "misnamed 02_buoys > 02 Buoys (spelling); misnamed 04 People/jun-teague > 04 People/Jun Teague (spelling)"},
		{"a slip", "02 Buoys/ > 02 Bouys/", "misnamed 02 Bouys > 02 Buoys (slip) ?"},
		{"a former name", "01 Tides/ > Currents/", "misnamed Currents > 01 Tides (former)"},
		{"inside what was renamed", "01 Tides/ > 03 Tides/, -03 Tides/Sound/, +03 Tides/Photographs/oriel-pask 007.tif", "misnamed 03 Tides > 01 Tides (number); missing 03 Tides/Sound"},
		{"moved", "-04 People/, +01 Tides/04 People/Jun Teague/Drafts/, +01 Tides/04 People/Jun Teague/Finished/, +01 Tides/04 People/Dag Holm/Drafts/, +01 Tides/04 People/Dag Holm/Finished/",
			"misnamed 01 Tides/04 People > 04 People (name); overdue 01 Tides/04 People/Dag Holm/Essay; overdue 01 Tides/04 People/Jun Teague/Essay"},
		{"a copy", "+02 Buoys (2)/", "stray 02 Buoys (2) (copy)"},
		{"the copy alone", "02 Buoys/ > 02 Buoys - Copy/", "misnamed 02 Buoys - Copy > 02 Buoys (copy) ?"},
		{"a loose file", "+03 Months/notes.txt", "stray 03 Months/notes.txt"},
		{"files beside listed files are the owner's", "+notes.txt", ""},
		{"what lies in a folder of one's own", "+02 Buoys/any/thing.txt", ""},
		{"another month", "+03 Months/2027-02/2027-02-03 sheet.pdf, +03 Months/2027-02/2027-03-03 sheet.pdf", "misplaced 03 Months/2027-02/2027-03-03 sheet.pdf > 03 Months/2027-03/2027-03-03 sheet.pdf (convention)"},
		{"no convention's name", "+03 Months/2027-02/stuff.pdf", "unfit 03 Months/2027-02/stuff.pdf"},
		{"another kind", "+01 Tides/Photographs/waves.wav", "misplaced 01 Tides/Photographs/waves.wav > 01 Tides/Sound/waves.wav (kind)"},
		{"another kind, and its folder is missing", "-01 Tides/Sound/, +01 Tides/Photographs/waves.wav", "misplaced 01 Tides/Photographs/waves.wav > 01 Tides/Sound/waves.wav (kind); missing 01 Tides/Sound"},
		{"a wrong name of the right kind", "+01 Tides/Photographs/waves.tif", "unfit 01 Tides/Photographs/waves.tif"},
		{"another's", "+01 Tides/Photographs/dag-holm 001.tif", "misplaced 01 Tides/Photographs/dag-holm 001.tif >  (convention)"},
		{"one more", "+04 People/Runa Vik/", "stray 04 People/Runa Vik (another)"},
		{"a file where a folder is to be", "-02 Buoys/, +02 Buoys", "missing 02 Buoys (in the way)"},
		{"kept for later, and made", "+06 Elsewhere/", ""},
		{"gilded, said nobody", "+05 Gilding/", "stray 05 Gilding"},
	} {
		values := valuesOf(t, tpl, "client=Oriel Pask", "year=2027", "people=Jun Teague; Dag Holm")
		paths := append(whole(values), "04 People/Jun Teague/Essay.odt", "04 People/Dag Holm/Essay/part one.txt")
		for change := range strings.SplitSeq(tt.change, ", ") {
			from, to, moves := strings.Cut(change, " > ")
			switch {
			case change == "":
			case moves:
				for i, p := range paths {
					if strings.HasPrefix(p, from) {
						paths[i] = to + p[len(from):]
					}
				}
			case change[0] == '+':
				paths = append(paths, change[1:])
			default:
				paths = slices.DeleteFunc(paths, func(p string) bool { return strings.HasPrefix(p, change[1:]) })
			}
		}
		w, err := Of(tpl, values, 1000, now)
		require.NoError(t, err)
		got := said(Compare(w, treetest.Of(paths...)))
		assert.Equal(t, tt.want, strings.Join(got, "; "), tt.what)
	}
}

// Of several places that take a kind, the one beside that where a file lies is meant.
func TestTheKindOfAFileMeansThePlaceBeside(t *testing.T) {
	tpl := parse(t, "Desk\n    One\n        Pictures | holds: pictures\n        Sound | holds: sound\n    Two\n        Pictures | holds: pictures\n        Sound | holds: sound\n    Tables | holds: tables\n")
	for real, want := range map[string]string{
		"One/Pictures/waves.wav": "misplaced One/Pictures/waves.wav > One/Sound/waves.wav (kind)",
		"Two/Pictures/waves.wav": "misplaced Two/Pictures/waves.wav > Two/Sound/waves.wav (kind)",
		"Tables/waves.wav":       "unfit Tables/waves.wav",
	} {
		w, err := Of(tpl, nil, 1000, now)
		require.NoError(t, err)
		root := treetest.Of("One/Pictures/", "One/Sound/", "Two/Pictures/", "Two/Sound/", "Tables/", real)
		assert.Equal(t, want, strings.Join(said(Compare(w, root)), "; "), real)
	}
}

// A former place counts for sure, whoever has that folder now.
func TestAFormerPlaceIsSure(t *testing.T) {
	tpl := parse(t, "Desk\n    Own/\n    New\n        Sheet.md | was: Own/Sheet.md\n        Kept | was: Old/Kept\n")
	w, err := Of(tpl, nil, 1000, now)
	require.NoError(t, err)
	got := said(Compare(w, treetest.Of("Own/Sheet.md", "Own/mine.md", "New/", "Old/Kept/", "Old/x.md")))
	slices.Sort(got)
	assert.Equal(t, []string{"misnamed Old/Kept > New/Kept (former)", "misnamed Own/Sheet.md > New/Sheet.md (former)", "stray Old"}, got)
}

// A slip counts only where one thing alone can be meant, on either side.
func TestASlipIsMeantInOneWayOnly(t *testing.T) {
	tpl := parse(t, "Desk\n    Plans\n    Plant\n    Letters\n")
	for real, want := range map[string]string{
		"Plans Plant Lettres":        "misnamed Lettres > Letters (slip) ?",
		"Plano Letters":              "missing Plans; missing Plant; stray Plano",
		"Plans Plant Lettesr Leters": "missing Letters; stray Leters; stray Lettesr",
	} {
		w, err := Of(tpl, nil, 1000, now)
		require.NoError(t, err)
		root := &tree.Node{}
		for name := range strings.FieldsSeq(real) {
			root.Children = append(root.Children, &tree.Node{Name: name})
		}
		sorted(root)
		got := said(Compare(w, root))
		slices.Sort(got)
		assert.Equal(t, want, strings.Join(got, "; "), real)
	}
}

func TestAccentsMayBeWrittenAsADiskWritesThem(t *testing.T) {
	tpl := parse(t, "Shop\n    Brötchen\n        Käse.md\n    Notes\n")
	w, err := Of(tpl, nil, 100, now)
	require.NoError(t, err)
	assert.Empty(t, said(Compare(w, treetest.Of("Bro\u0308tchen/Ka\u0308se.md", "Notes/"))))
}

func TestWhatIsDueIsDeliveredByAnyEndingOrAFolderWithSomethingInIt(t *testing.T) {
	tpl := parse(t, "Job\n    Essay | due: 2027-03-08\n    Poster | due: 2027-03-09\n    Speech.odt | due: 2027-03-01\n")
	w, err := Of(tpl, nil, 100, now)
	require.NoError(t, err)
	for paths, want := range map[string]string{
		"":                            "overdue Essay; overdue Speech.odt",
		"Essay/ Speech.odt":           "overdue Essay",
		"Essay/a.txt Speech.pdf":      "overdue Speech.odt",
		"Essay.pdf Speech.odt":        "",
		"Essay.tar.gz Speech.odt":     "overdue Essay",
		"essay.pdf Speech.odt Poster": "misnamed essay.pdf > Essay.pdf (spelling)",
	} {
		assert.Equal(t, want, strings.Join(said(Compare(w, treetest.Of(strings.Fields(paths)...))), "; "), paths)
	}
}

// A randomTemplate is one with names that no other line has, and values for it.
func randomTemplate(t *rapid.T) (*template.Template, template.Values) {
	words := strings.Fields("anchor basin candle dipper ember fathom girder hammer inkwell jigsaw kettle lantern mantle needle orchard paddle quiver ribbon saddle timber")
	used := 0
	word := func() string { used++; return words[(used-1)%len(words)] + strings.Repeat("x", (used-1)/len(words)) }
	var lines func(depth int, indent, item string) string
	lines = func(depth int, indent, item string) string {
		var b strings.Builder
		count := rapid.IntRange(1, 4).Draw(t, "lines")
		for i := range count {
			name, tail := word(), ""
			shown := item
			switch rapid.IntRange(0, 8).Draw(t, "form") {
			case 0:
				name = "<#> " + name
			case 1:
				name += " <client:like-this>"
			case 2:
				name = "<day:yyyy-mm> " + name
			case 3:
				name, tail = name+" <person"+fmt.Sprint(depth)+">", " | each: person"+fmt.Sprint(depth)+" in people"
			case 4:
				name, tail = name+" <n"+fmt.Sprint(depth)+":00>", " | each: n"+fmt.Sprint(depth)+" in 1..weeks"
			case 5:
				tail = " | when: gilding"
			case 6:
				tail = " | when: kind is BX"
			}
			if i == 0 {
				name, tail = word()+" <weeks>", "" // so that each value shows somewhere
			}
			if depth < 3 && rapid.Bool().Draw(t, "deeper") {
				b.WriteString(indent + name + "/" + tail + "\n" + lines(depth+1, indent+"  ", shown))
			} else if tail == "" && rapid.Bool().Draw(t, "file") {
				b.WriteString(indent + name + ".txt\n")
			} else {
				b.WriteString(indent + name + "/" + tail + "\n")
			}
		}
		return b.String()
	}
	text := "---\nfields:\n  client: Who?\n  day: { type: date }\n  weeks: { type: number, min: 1, max: 9 }\n  people: { type: list }\n  gilding: { type: yes-no, default: no }\n  kind: { of: { BK: book, BX: box }, default: BK }\n---\n" +
		"<client>, <day:yyyy-mm-dd>\n    always\n        Gilt | when: gilding\n        Boxed | when: kind is BX\n        Person <person> | each: person in people\n" + lines(0, "    ", "")
	tpl := parse(t, text)
	people := []string{"Oriel Pask", "Jun Teague", "Dag Holm"}[:rapid.IntRange(1, 3).Draw(t, "people")]
	return tpl, valuesOf(t, tpl, "client="+rapid.SampledFrom([]string{"Oriel Pask", "Åsgerd Ölvane", "3M"}).Draw(t, "client"), "day=2027-0"+fmt.Sprint(rapid.IntRange(1, 9).Draw(t, "month"))+"-11",
		"weeks="+fmt.Sprint(rapid.IntRange(1, 9).Draw(t, "weeks")), "people="+strings.Join(people, ";"), "gilding="+rapid.SampledFrom([]string{"yes", "no"}).Draw(t, "gilding"), "kind="+rapid.SampledFrom([]string{"BK", "BX"}).Draw(t, "kind"))
}

func TestAMatchIsTheInverseOfMakingATree(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		tpl, values := randomTemplate(t)
		w, err := Of(tpl, values, 100_000, now)
		require.NoError(t, err)
		disk := copied(w.Own)
		require.Empty(t, said(Compare(w, disk)), tpl.Text)
		// What is read back makes the same tree.
		read, err := (&Showing{Template: tpl, Names: []string{w.Own.Name}, Real: copied(w.Own), Limit: 100_000, Now: now}).Values()
		require.NoError(t, err)
		for name, v := range values {
			if v.Kind == value.List {
				assert.ElementsMatch(t, v.Items, read[name].Items, name)
			} else {
				assert.Equal(t, v.String(), read[name].String(), "%s\n%s", name, tpl.Text)
			}
		}
		again, err := Of(tpl, read, 100_000, now)
		require.NoError(t, err)
		assert.Empty(t, said(Compare(again, disk)))
	})
}

// Damages are done to a tree, each to an entry of its own; what was done must be told,
// and nothing else.
func TestRandomDamageIsToldForWhatItIs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		tpl, values := randomTemplate(t)
		w, err := Of(tpl, values, 100_000, now)
		require.NoError(t, err)
		disk := copied(w.Own)
		var want []string
		var walk func(n *tree.Node, path string, depth int)
		walk = func(n *tree.Node, path string, depth int) {
			for i, c := range slices.Clone(n.Children) {
				at := strings.TrimPrefix(path+"/"+c.Name, "/")
				if depth > 0 && rapid.IntRange(0, 5).Draw(t, "damaged") == 0 && plain(c.Name) {
					old := c.Name
					stem, end, _ := strings.Cut(c.Name, ".")
					if end != "" {
						end = "." + end
					}
					to := func(name string) string { return strings.TrimPrefix(path+"/"+name, "/") }
					switch rapid.SampledFrom([]string{"gone", "number", "capitals", "slip"}).Draw(t, "damage") {
					case "gone":
						n.Children = slices.DeleteFunc(n.Children, func(x *tree.Node) bool { return x == c })
						want = append(want, "missing "+at)
						continue
					case "capitals":
						c.Name = strings.ToUpper(stem) + end
						want = append(want, "misnamed "+to(c.Name)+" > "+at+" (spelling)")
					case "slip":
						c.Name = stem[:2] + stem[3:] + end
						want = append(want, "misnamed "+to(c.Name)+" > "+at+" (slip) ?")
					case "number":
						c.Name = "3" + fmt.Sprint(i) + " " + old
						want = append(want, "misnamed "+to(c.Name)+" > "+at+" (number)")
					}
					continue // one damage on a way, so that its path is told by itself
				}
				walk(c, at, depth+1)
			}
		}
		walk(disk, "", 0)
		sorted(disk)
		assert.ElementsMatch(t, want, said(Compare(w, disk)), tpl.Text)
	})
}

// plain reports whether a name is one word, which no other line has.
func plain(name string) bool {
	stem, _, _ := strings.Cut(name, ".")
	return len(stem) >= 5 && strings.Trim(stem, "abcdefghijklmnopqrstuvwxyz") == ""
}
