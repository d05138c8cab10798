//go:build unix

package main

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/core/draft"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A master draws a template, and projects that are built from it.
type master struct {
	*rand.Rand
	fields      []string
	values      []map[string]template.Raw
	words       []string
	conventions []string
	conditions  []string
	part        string
}

var (
	people    = strings.Split("Oriel Pask,Jun Teague,Ida Sol Vig,Wren Abbott,Tove Lind,Mats Orr,Ulla Brandt,Pia Holm,Sten Ek,Ada Quill,Finn Rask,Lea Moor", ",")
	vocables  = strings.Split("Agreement,Survey,Work,Letters,Photographs,Plans,Drafts,Handouts,Minutes,Receipts,Statements,Payroll,Taxes,Proofs,Plates,Text,Models,Samples,Orders,Offers,Contracts,Budget,Sources,Readings,Exams,Sheets,Music,Costumes,Props,Lights,Maps,Herbarium,Glossary,Index,Covers,Boxes,Labels,Loans,Visits,Press", ",")
	documents = strings.Split("Checklist.md,Overview.txt,Terms.docx,Timetable.xlsx,Read me first.md,Contacts.csv,Cover sheet.odt,Summary.pdf", ",")
)

// named is what the own folders of projects are called, with the fields that this takes.
func (m *master) named() string {
	root := "<client>"
	switch m.IntN(5) {
	case 0:
		m.each("begun", func(i int) string { return fmt.Sprintf("20%02d-%02d-%02d", 24+m.IntN(5), 1+m.IntN(12), 1+m.IntN(28)) })
		m.fields = append(m.fields, "begun: { type: date }")
		root = "<begun:yyyy-mm-dd> <client>"
	case 1:
		m.each("month", func(i int) string { return fmt.Sprintf("20%02d-%02d", 24+m.IntN(5), 1+m.IntN(12)) })
		m.fields = append(m.fields, "month: { type: month }")
		root = "<month> <client>"
	case 2:
		m.each("year", func(i int) string { return fmt.Sprintf("20%02d", 21+i) })
		m.fields = append(m.fields, "year: { type: year }")
		root = "<client> <year>"
	case 3:
		m.each("no", func(i int) string { return fmt.Sprint(101 + 7*i) })
		m.fields = append(m.fields, "no: { type: number }")
		root = "<no:000> <client>"
	}
	return root
}

// masterText draws a template and the values of some projects.
func masterText(seed uint64, projects int) (text string, values []map[string]template.Raw, m *master) {
	m = &master{Rand: rand.New(rand.NewPCG(seed, 11)), words: slices.Clone(vocables)}
	m.Shuffle(len(m.words), func(i, j int) { m.words[i], m.words[j] = m.words[j], m.words[i] })
	for range projects {
		m.values = append(m.values, map[string]template.Raw{})
	}
	who := m.Perm(len(people))
	m.each("client", func(i int) string { return people[who[i]] })
	root := m.named()
	m.fields = append(m.fields, "client: Who?")
	if m.IntN(2) == 0 {
		codes := []string{"BK", "BX", "MP"}
		m.each("kind", func(i int) string { return codes[(i+m.IntN(2))%3] })
		m.fields = append(m.fields, "kind: { of: [BK, BX, MP] }")
		root += " <kind>"
		m.conditions = append(m.conditions, "kind is BK")
	}
	for n := range 1 + m.IntN(2) {
		name := fmt.Sprintf("extra%d", n)
		m.each(name, func(i int) string { return []string{"yes", "no"}[(i+m.IntN(2))%2] })
		m.fields = append(m.fields, name+": { type: yes-no, default: no }")
		m.conditions = append(m.conditions, name)
	}
	if m.IntN(2) == 0 {
		m.each("weeks", func(i int) string { return fmt.Sprint(4 + m.IntN(8)) })
		m.fields = append(m.fields, "weeks: { type: number }")
	}
	if m.IntN(2) == 0 {
		m.fields = append(m.fields, "members: { type: list }")
		for i := range m.values {
			var list []string
			for _, k := range m.Perm(len(people))[:2+m.IntN(3)] {
				list = append(list, "Group of "+strings.Fields(people[k])[0]+fmt.Sprint(" ", i, k))
			}
			m.values[i]["members"] = template.Raw{Items: list, List: true}
		}
	}
	if m.IntN(2) == 0 {
		m.part = "shared:\n    Open\n    Closed\n    Notes.md\n\n"
	}
	body := m.branch(1, m.IntN(2) == 0)
	out := "---\nfields:\n"
	for _, f := range m.fields {
		out += "  " + f + "\n"
	}
	if len(m.conventions) > 0 {
		out += "names:\n"
		for _, c := range m.conventions {
			out += "  " + c + "\n"
		}
	}
	if !strings.Contains(body, "use: shared") {
		m.part = ""
	}
	return out + "---\n" + m.part + root + "\n" + body, m.values, m
}

func (m *master) each(name string, value func(i int) string) {
	for i := range m.values {
		m.values[i][name] = template.Raw{Text: value(i)}
	}
}

func (m *master) has(field string) bool {
	return slices.ContainsFunc(m.fields, func(f string) bool { return strings.HasPrefix(f, field+":") })
}

func (m *master) word() string {
	if len(m.words) == 0 {
		return fmt.Sprintf("Room %s", string(rune('A'+m.IntN(26))))
	}
	w := m.words[0]
	m.words = m.words[1:]
	return w
}

// branch draws the lines in a folder.
func (m *master) branch(depth int, numbered bool) string {
	var b strings.Builder
	indent := strings.Repeat("    ", depth)
	before := ""
	if numbered {
		before = "<#> "
	}
	for range 2 + m.IntN(4) {
		if len(m.words) == 0 {
			break
		}
		name := m.word()
		clause := ""
		if m.IntN(5) == 0 {
			clause = " | when: " + m.conditions[m.IntN(len(m.conditions))]
		}
		line := indent + before + name
		switch k := m.IntN(9); {
		case k == 0 && m.part != "":
			fmt.Fprintf(&b, "%s | use: shared%s\n", line, clause)
		case k == 1 && depth < 3:
			stop := "9"
			if m.has("weeks") {
				stop = "weeks"
			}
			fmt.Fprintf(&b, "%s%s\n%s    Week <n:00> | each: n in 1..%s\n", line, clause, indent, stop)
		case k == 2 && depth < 3 && m.has("year"):
			fmt.Fprintf(&b, "%s%s\n%s    <m:yyyy-mm>/ | each: m in <year>-01..<year>-12\n", line, clause, indent)
		case k == 3 && depth < 3 && m.has("members"):
			fmt.Fprintf(&b, "%s%s\n%s    <member> | each: member in members\n%s        Sketches\n", line, clause, indent, indent)
		case k == 4 && len(m.conventions) < 2:
			c := fmt.Sprintf("c%d", len(m.conventions))
			pattern := []string{"<day:yyyy-mm-dd> <client:like-this> <side> <n:000>", "<day:yyyy-mm-dd> report <n:00>"}[len(m.conventions)]
			m.conventions = append(m.conventions, fmt.Sprintf(`%s: { pattern: "%s", fields: { n: { type: number, next: yes }, side: { of: [recto, verso] } }, for: [jpg] }`, c, pattern))
			if !strings.Contains(pattern, "side") {
				m.conventions[len(m.conventions)-1] = fmt.Sprintf(`%s: { pattern: "%s", fields: { n: { type: number, next: yes } }, for: [jpg] }`, c, pattern)
			}
			fmt.Fprintf(&b, "%s | holds: %s%s\n", line, c, clause)
		case k <= 6 && depth < 3:
			fmt.Fprintf(&b, "%s%s\n%s", line, clause, m.branch(depth+1, m.IntN(3) == 0))
		default:
			fmt.Fprintf(&b, "%s%s\n", line, clause)
		}
	}
	if m.IntN(2) == 0 {
		fmt.Fprintf(&b, "%s%s\n", indent, documents[m.IntN(len(documents))])
	}
	if m.IntN(4) == 0 {
		fmt.Fprintf(&b, "%sAbout <client:like-this>.md\n", indent)
	}
	return b.String()
}

var learningDay = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)

// samples builds the projects, with files in them as its conventions name them, and with so
// many of a hundred entries missing, and as many added.
func (m *master) samples(text string, noise int) (list []draft.Sample, lines int) {
	t, err := template.Parse("master", text, nil)
	if err != nil {
		fmt.Println(text)
	}
	check(err)
	for i := range m.values {
		v, wrong := t.ParseValues(m.values[i], learningDay)
		if len(wrong) > 0 {
			check(wrong[0])
		}
		x, err := t.Tree(t.Complete(v, learningDay), 1_000_000)
		check(err)
		name, own := t.Own(x.Root)
		own = own.Copy()
		client := strings.ToLower(strings.ReplaceAll(m.values[i]["client"].Text, " ", "-"))
		var fill func(n *tree.Node)
		fill = func(n *tree.Node) {
			if l := t.LineOf(n); l != nil && len(l.Holds) > 0 {
				for k := range 3 + m.IntN(5) {
					file := fmt.Sprintf("2027-%02d-%02d report %02d.jpg", 1+m.IntN(12), 1+m.IntN(28), k+1)
					if l.Holds[0].Name == "c0" {
						file = fmt.Sprintf("2027-%02d-%02d %s %s %03d.jpg", 1+m.IntN(12), 1+m.IntN(28), client, []string{"recto", "verso"}[m.IntN(2)], k+1)
					}
					n.Children = append(n.Children, &tree.Node{Name: file, Kind: tree.File})
				}
			}
			for _, c := range n.Children {
				fill(c)
			}
		}
		fill(own)
		m.disturb(own, noise)
		list = append(list, draft.Sample{Name: name, Root: own})
	}
	return list, strings.Count(text[strings.LastIndex(text, "---\n")+4:], "\n")
}

// disturb takes entries out, and adds others.
func (m *master) disturb(n *tree.Node, noise int) {
	for i := 0; i < len(n.Children); i++ {
		if m.IntN(200) < noise && n.Children[i].Count() < 4 {
			n.Children = slices.Delete(n.Children, i, i+1)
			i--
			continue
		}
		m.disturb(n.Children[i], noise)
		if m.IntN(200) < noise {
			extra := &tree.Node{Name: fmt.Sprintf("%s %c%c", []string{"old", "new", "copy of", "misc", "to do", "temp"}[m.IntN(6)], 'a'+m.IntN(26), 'a'+m.IntN(26))}
			if m.IntN(2) == 0 {
				extra.Name, extra.Kind = extra.Name+".txt", tree.File
			}
			n.Children = append(n.Children, extra)
			i++
		}
	}
	slices.SortFunc(n.Children, func(a, b *tree.Node) int { return strings.Compare(a.Name, b.Name) })
}

// masters is how many templates are learned.
const masters = 200

// learned measures what is learned of random templates: how many projects are not given
// back, how many entries not explained, and how long the outlines are against the true ones.
func learned(noise int) (lost, unexplained, length float64) {
	folders, exact, entries, extra, mine, theirs := 0, 0, 0, 0, 0, 0
	for seed := range masters {
		text, _, m := masterText(uint64(seed), 3+seed%6)
		samples, lines := m.samples(text, noise)
		r, err := draft.Of("master", samples, nil, nil)
		check(err)
		proofs, err := r.Prove("master", learningDay)
		if err != nil {
			fmt.Println(text, r.Text)
		}
		check(err)
		outline := r.Text[strings.LastIndex(r.Text, "---\n")+4:]
		for line := range strings.SplitSeq(outline, "\n") {
			if line != "" && !strings.HasPrefix(line, "//") {
				mine++
			}
		}
		theirs += lines
		for _, p := range proofs {
			folders++
			entries += p.Entries
			extra += len(p.Extra)
			if p.Exact {
				exact++
			} else if os.Getenv("VESTIBULA_LEARNED") == fmt.Sprint(seed) {
				fmt.Println(p.Missing, p.Extra)
			}
		}
		if os.Getenv("VESTIBULA_LEARNED") == fmt.Sprint(seed) {
			fmt.Println(text, r.Text)
		}
		if os.Getenv("VESTIBULA_LEARNED") == "all" {
			bad := 0
			for _, p := range proofs {
				bad += len(p.Missing) + len(p.Extra)
			}
			fmt.Println(seed, len(proofs), bad, strings.Count(outline, "\n"), lines)
		}
	}
	return 1 - float64(exact)/float64(folders), float64(extra) / float64(entries), float64(mine) / float64(theirs)
}

func learnExactly(*bench) (ours, theirs measure, err error) {
	return func() float64 { lost, _, _ := learned(0); return lost }, func() float64 { return 0.01 }, nil
}

func learnNoise(*bench) (ours, theirs measure, err error) {
	return func() float64 { _, un, _ := learned(5); return un }, func() float64 { return 0.02 }, nil
}

func learnLength(*bench) (ours, theirs measure, err error) {
	return func() float64 { _, _, length := learned(0); return length }, func() float64 { return 1 }, nil
}

// learnMany compares learning from 100 projects of 1,000 entries with reading them.
func learnMany(b *bench) (ours, theirs measure, err error) {
	list := filepath.Join(b.dir, "learning.folders")
	check(os.WriteFile(list, []byte("---\nfields: { client: Who?, year: { type: year } }\n---\n<year> <client>\n    <#> Letters\n    <#> Months\n        <m>/ | each: m in <year>-01..<year>-12\n            Box <n:000> | each: n in 1..40\n                <client:like-this> sheet.md\n"), 0o666))
	into := filepath.Join(b.dir, "learning")
	check(os.MkdirAll(into, 0o777))
	args := []string{"draft", filepath.Join(b.dir, "drafted"), "--preview", "--json"}
	for i := range 100 {
		timed(b.program, "build", list, "--into", into, "--yes", fmt.Sprintf("year=%d", 1950+i), "client="+people[i%12]+fmt.Sprint(" ", string(rune('A'+i/12))))
	}
	folders, err := filepath.Glob(filepath.Join(into, "*"))
	check(err)
	ours = seconds(func() time.Duration { return timed(b.program, append(args, folders...)...) })
	theirs = seconds(func() time.Duration { return run(`find "$1" -printf '%p %y\n'`, into) })
	return ours, theirs, nil
}
