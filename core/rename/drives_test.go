package rename

import (
	"fmt"
	"math/rand"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/value"
)

// A drive is a folder as people fill it over the years, each in a way of their own, with the truth beside
// it. Nothing of the reader is used here: the truth is written by this file alone.

// clients are names of people, and how a convention writes them.
var clients = [][2]string{
	{"Oriel Pask", "oriel-pask"}, {"Jun Teague", "jun-teague"}, {"Åsgerd Ölvane", "asgerd-olvane"}, {"María Ruiz", "maria-ruiz"}, {"Kai-Uwe Holm", "kai-uwe-holm"},
	{"Norland & Birk", "norland-birk"}, {"Una", "una"}, {"Liv O'Hara", "liv-ohara"}, {"Case & May", "case-may"}, {"Ян Шубин", "ян-шубин"}, {"Ιδα Βανγκ", "ιδα-βανγκ"}, {"李明", "李明"},
}

// kinds are codes and what they mean.
var kinds = [][2]string{{"BL", "bill"}, {"OF", "offer"}, {"RC", "receipt"}, {"RM", "reminder"}}

// topics are what else names say.
var topics = []string{"", "", "", "leather", "boards and thread", "gold leaf", "rent May", "final", "v2", "24x30 cm", "Case", "4 gatherings", "tel 0447 123456", "version 1.2.3", "second half"}

// A person writes names in one way.
type person struct {
	date  func(t time.Time) string
	joint string
	order []int
	kind  func(code, meaning string) string
	n     func(n int) string
	who   func(name string) string
}

func pick[T any](r *rand.Rand, list ...T) T { return list[r.Intn(len(list))] }

// newPerson draws one. In one office all who write days with the same sign write them in the same order.
func newPerson(r *rand.Rand, orders map[string]string) *person {
	sign := pick(r, "-", ".", "_", " ")
	if orders[sign] == "" {
		orders[sign] = pick(r, "dmy", "dmy", "mdy")
	}
	width := 1 + r.Intn(2)
	two := func(t time.Time) string {
		a, b := t.Day(), int(t.Month())
		if orders[sign] == "mdy" {
			a, b = b, a
		}
		return fmt.Sprintf("%0*d%s%0*d", width, a, sign, width, b)
	}
	months := strings.Fields("Januar Februar März April Mai Juni Juli August September Oktober November Dezember")
	p := &person{joint: pick(r, " ", "_", " - ", ", "), order: r.Perm(5)}
	p.date = pick(r,
		func(t time.Time) string {
			return fmt.Sprintf("%d%s%0*d%s%0*d", t.Year(), sign, width, t.Month(), sign, width, t.Day())
		},
		func(t time.Time) string { return two(t) + sign + strconv.Itoa(t.Year()) },
		func(t time.Time) string { return two(t) + sign + strconv.Itoa(t.Year()) },
		func(t time.Time) string { return t.Format("20060102") },
		func(t time.Time) string { return t.Format("2 January 2006") },
		func(t time.Time) string { return t.Format("Jan 2, 2006") },
		func(t time.Time) string { return fmt.Sprintf("%d. %s %d", t.Day(), months[t.Month()-1], t.Year()) },
	)
	p.kind = pick(r,
		func(code, _ string) string { return code },
		func(_, meaning string) string { return meaning },
		func(_, meaning string) string { return strings.ToUpper(meaning[:1]) + meaning[1:] },
	)
	p.n = pick(r, func(n int) string { return fmt.Sprintf("%03d", n) }, strconv.Itoa, func(n int) string { return fmt.Sprintf("no %d", n) }, func(n int) string { return fmt.Sprintf("Nr. %d", n) }, func(n int) string { return fmt.Sprintf("#%d", n) })
	p.who = pick(r, func(s string) string { return s }, strings.ToUpper, func(s string) string { return strings.ReplaceAll(s, " ", "_") }, func(s string) string {
		if first, last, two := strings.Cut(s, " "); two && !strings.ContainsAny(s, "&-'") {
			return last + ", " + first
		}
		return s
	})
	return p
}

// A truth is what a name means.
type truth struct {
	want string // its name by the convention; "" where no name says all of it
	told bool   // whether the name says all that is needed, in words that can be read
}

// a drive's folder, written by one or two people.
func drive(seed int64) (conv string, place template.Values, known []value.Value, names []string, means map[string]truth) {
	r := rand.New(rand.NewSource(seed))
	numbered, inClient := r.Intn(2) == 0, r.Intn(2) == 0
	conv = `{ pattern: "<day:yyyy-mm-dd> <client:like-this> <what>", fields: { day: { type: date }, what: { default: "" } } }`
	if numbered {
		conv = `{ pattern: "<day:yyyy-mm-dd> <kind> <client:like-this> <n:000> <what>", fields: { day: { type: date }, kind: { of: { BL: bill, OF: offer, RC: receipt, RM: reminder } }, n: { type: number }, what: { default: "" } } }`
	}
	own := pick(r, clients...)
	place = template.Values{}
	if inClient {
		place["client"] = value.Of(own[0])
	}
	for _, c := range clients {
		known = append(known, value.Of(c[0]))
	}
	orders := map[string]string{}
	people := []*person{newPerson(r, orders)}
	if r.Intn(2) == 0 {
		people = append(people, newPerson(r, orders))
	}
	means = map[string]truth{}
	add := func(name string, t truth) {
		if _, is := means[name]; !is {
			means[name], names = t, append(names, name)
		}
	}
	for i := range 20 + r.Intn(60) {
		p := people[r.Intn(len(people))]
		day := time.Date(2011+r.Intn(16), time.Month(1+r.Intn(12)), 1+r.Intn(28), 0, 0, 0, 0, time.UTC)
		who := own
		if !inClient {
			who = pick(r, clients...)
		}
		kind, topic := pick(r, kinds...), pick(r, topics...)
		parts := make([]string, 5)
		parts[0], parts[1] = p.date(day), p.who(who[0])
		want := day.Format(time.DateOnly) + " " + who[1]
		if numbered {
			parts[2], parts[3] = p.kind(kind[0], kind[1]), p.n(i+1)
			want = fmt.Sprintf("%s %s %s %03d", day.Format(time.DateOnly), kind[0], who[1], i+1)
		}
		parts[4] = topic
		if inClient && r.Intn(3) == 0 {
			parts[1] = "" // the folder says it
		}
		forgotten := r.Intn(30) == 0
		if forgotten {
			parts[0] = ""
		}
		if r.Intn(40) == 0 && parts[1] != "" && len(who[0]) > 6 { // a slip of the pen
			b := []rune(parts[1])
			b[2], b[3] = b[3], b[2]
			parts[1], forgotten = string(b), true
		}
		var written []string
		for _, k := range p.order {
			if parts[k] != "" {
				written = append(written, parts[k])
			}
		}
		name := strings.Join(written, p.joint)
		t := truth{strings.TrimSpace(want + " " + topic), !forgotten && !strings.ContainsAny(topic, "0123456789") && strings.ContainsFunc(name, unicode.IsLetter)}
		if name = strings.TrimSpace(name); name == "" || strings.Trim(name, " .") != name {
			continue
		}
		add(name+".pdf", t)
		switch r.Intn(25) {
		case 0:
			add(name+" (1).pdf", truth{t.want, false})
		case 1:
			add(name+" - Copy.pdf", truth{t.want, false})
		case 2:
			add(fmt.Sprintf("IMG_%04d.pdf", r.Intn(9999)), truth{})
		case 3:
			add(pick(r, "20270309.pdf", "3024x4032.pdf", "notes.pdf", "1234567.pdf", "v1.2.3.pdf", "2027.pdf", "12.pdf", "May.pdf", "Case.pdf", "0447 123456.pdf"), truth{})
		}
	}
	return conv, place, known, names, means
}

// Names of people are read right, asked, or left; never wrong for sure. VESTIBULA_DRIVES is how many drives are tried.
func TestWhatNamesOfDrivesSayIsNeverWrongForSure(t *testing.T) {
	drives, _ := strconv.Atoi(os.Getenv("VESTIBULA_DRIVES"))
	right, told, all, asked, files := 0, 0, 0, map[string]bool{}, 0
	for seed := range int64(max(drives, 200)) {
		conv, place, known, names, means := drive(seed)
		c, o := driven(t, conv)
		var list []*File
		for _, n := range names {
			list = append(list, &File{Dir: "/d", Name: n})
		}
		j := &Job{Older: o.Fork, Free: true, Known: map[string][]value.Value{"client": known},
			Place: func(string) (template.Values, error) { return place, nil },
			Own:   func(*File) (template.Values, template.Values, string) { return nil, nil, "" },
			Counting: func(*File) (string, func() ([]string, error)) {
				return "", func() ([]string, error) { return names, nil }
			},
			Judge: func() func(string) string { return func(string) string { return "" } },
			Names: func(string) []string { return names }}
		outcomes, err := j.Plan(list)
		require.NoError(t, err)
		for _, x := range outcomes {
			truth := means[x.File.Name]
			all++
			if truth.told {
				told++
			}
			sure := x.Kind == Renamed && !x.Probable
			if x.Kind == Renamed && x.Probable {
				asked[fmt.Sprint(seed, x.Shape)] = true
			}
			if !sure {
				continue
			}
			got := strings.TrimSuffix(x.Becomes, ".pdf")
			if read, is := o.Read(got); truth.want == "" || !strings.EqualFold(squeezed(got), squeezed(truth.want)) {
				t.Errorf("drive %d: %q became %q, and means %q (%s, place %v, %v %v)", seed, x.File.Name, got, truth.want, c.Pattern.Pattern.Source, place, read, is)
				continue
			}
			if truth.told {
				right++
			}
		}
		files += len(names)
	}
	t.Logf("of %d names, %d say all in words, of which %d are right for sure; %d questions", all, told, right, len(asked))
	assert.GreaterOrEqual(t, right*100, told*95, fmt.Sprint(right, " of ", told))
	assert.LessOrEqual(t, len(asked)*20, files)
}

// squeezed is a name without the signs that a reader may clean away.
func squeezed(name string) string {
	return strings.Join(strings.FieldsFunc(name, func(r rune) bool { return strings.ContainsRune(" ,._-", r) }), " ")
}

func driven(t require.TestingT, text string) (*template.Convention, *naming.Older) {
	tpl, err := template.Parse("t", "---\nfields: { client: Who? }\nnames: { x: "+text+" }\n---\n<client>\n    A | holds: x\n", nil)
	require.NoError(t, err)
	c := tpl.Names[slices.IndexFunc(tpl.Names, func(c *template.Convention) bool { return c.Name == "x" })]
	return c, naming.NewOlder(c, c.Was)
}
