package pattern

import (
	"regexp"
	"strings"
	"sync"

	"vestibula/core/value"
)

// A Verdict is what can be said about all names of a pattern, or of two.
type Verdict uint8

// The verdicts.
const (
	Holds    Verdict = iota // it holds for every name
	Fails                   // it does not: there is an example
	Unproven                // it could not be decided
)

// A Proof is the answer to whether a pattern can be read in one way only, or
// whether no name fits two patterns.
type Proof struct {
	Verdict Verdict
	Name    string        // where it fails: a name that was found
	First   []value.Value // its first reading, by [Reader.Fields]
	Second  []value.Value // its other reading
	Spans   [2][]Span     // what each slot took in the two readings
}

// A Span is what a slot took of a name.
type Span struct {
	Field string
	Text  string
}

// A Budget is how much may be searched for all proofs of one check together, so that no number
// of conventions takes more than a moment. The zero value is used up.
type Budget struct{ steps int }

// NewBudget returns the budget of a check.
func NewBudget() *Budget { return &Budget{checkSteps} }

// Spent reports whether it is used up: what is Unproven then may be so for that reason alone.
func (b *Budget) Spent() bool { return b.steps <= 0 }

// rounds are how often a pair of states may be met again while looking for an
// example, in one search after the other: the first examples that are found may
// hold days that do not exist, which only the reader knows.
var rounds = []int{1, 8, 64}

// Unambiguous decides whether no name can be read in two ways, with its optional end or without.
func (n *Name) Unambiguous(b *Budget) Proof {
	proof := n.once(b)
	short := n.short()
	if short == nil || proof.Verdict == Fails {
		return proof
	}
	for _, other := range []Proof{short.once(b), n.apart(short, b)} {
		if other.Verdict == Fails || proof.Verdict == Holds {
			proof = other
		}
	}
	return proof
}

// once decides whether no name can be read in two ways, of names with all their parts. It is decided on
// the product of the pattern's automaton with itself: a name with two readings
// is a path from the start to an accepting pair of states that passes through
// two different states (Book, Even, Greibach and Ott, "Ambiguity in Graphs and
// Expressions", 1971). The search is breadth-first, so that the example is a
// shortest one; the reader confirms it.
func (n *Name) once(b *Budget) Proof {
	if b.Spent() {
		return Proof{Verdict: Unproven}
	}
	r := n.Reader()
	a := r.automaton()
	if a == nil {
		return Proof{Verdict: Unproven}
	}
	alphabet, steps := classes(b, r.runes(nil), a)
	confirm := dressed(func(name string) *Proof {
		all := r.readingsWithSpans(name, 2)
		if len(all) < 2 {
			return nil
		}
		return &Proof{Fails, name, all[0].values, all[1].values, [2][]Span{all[0].spans, all[1].spans}}
	})
	proof := quest{a, a, alphabet, func(c int) ([][]int32, [][]int32) { return steps[c][0], steps[c][0] }, true}.search(confirm, b)
	if proof.Verdict == Unproven && n.Twice() != "" {
		return n.repeated(confirm, b)
	}
	return proof
}

// Disjoint decides whether no name fits both patterns, with their optional ends or without.
func (n *Name) Disjoint(m *Name, b *Budget) Proof {
	proof := Proof{Verdict: Holds}
	for _, x := range []*Name{n, n.short()} {
		for _, y := range []*Name{m, m.short()} {
			if x == nil || y == nil {
				continue
			}
			if one := x.apart(y, b); one.Verdict == Fails || proof.Verdict == Holds {
				if proof = one; one.Verdict == Fails {
					return proof
				}
			}
		}
	}
	return proof
}

// apart decides whether no name fits both patterns, with all their parts.
func (n *Name) apart(m *Name, b *Budget) Proof {
	r, q := n.Reader(), m.Reader()
	confirm := dressed(func(name string) *Proof {
		x, y := r.readingsWithSpans(name, 1), q.readingsWithSpans(name, 1)
		if len(x) == 0 || len(y) == 0 {
			return nil
		}
		return &Proof{Fails, name, x[0].values, y[0].values, [2][]Span{x[0].spans, y[0].spans}}
	})
	proof := meet(r, q, confirm, b)
	for _, one := range [][2]*Name{{n, m}, {m, n}} {
		if proof.Verdict == Unproven {
			proof = one[0].exampleIn(one[1], confirm, b)
		}
	}
	return proof
}

// Words and days of which examples are made where they can: an automaton finds names such
// as “1111-11-11 a a”.
var (
	examples   = strings.Fields("oak chair blue cloth paper board thread glue")
	lettersRun = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\p{L}+`) })
	days       = strings.NewReplacer("1111-11-11", "2027-03-09", "11.11.1111", "09.03.2027", "1.1.1111", "9.3.2027", "1111-11", "2027-03", "1111", "2027")
)

// dressed confirms, in place of a name, one of words that people use, if that can be.
func dressed(confirm func(name string) *Proof) func(name string) *Proof {
	return func(name string) *Proof {
		plain := confirm(name)
		if plain == nil {
			return nil
		}
		for _, better := range []string{worded(name, false), worded(name, true), name} {
			for _, name := range []string{days.Replace(better), better} {
				if proof := confirm(name); proof != nil {
					return proof
				}
			}
		}
		return plain
	}
}

// worded puts words in the place of the letters of a name; with same, of the same letters
// the same word.
func worded(name string, same bool) string {
	next, known := 0, map[string]string{}
	return lettersRun().ReplaceAllStringFunc(name, func(run string) string {
		word := known[run]
		if word == "" || !same {
			word = examples[next%len(examples)]
			next++
		}
		known[run] = word
		if run[0] >= 'A' && run[0] <= 'Z' {
			word = strings.ToUpper(word[:1]) + word[1:]
		}
		return word
	})
}

// A pair is a state of each automaton; split says that the two paths to it have
// been in different states.
type pair struct {
	p, q  int32
	split bool
}

// A visit is a pair that was reached, and how.
type visit struct {
	pair
	from int32 // the visit before
	by   int32 // the class of the character
}

// maxVisits bounds one search, and checkSteps, characters and moves that are tried, all of a check.
const (
	maxVisits  = 500_000
	checkSteps = 8_000_000
)

// A quest is for a word that both automata accept.
type quest struct {
	a, b     *automaton
	alphabet []rune
	moves    func(class int) (x, y [][]int32)
	split    bool // on two paths
}

// search looks for it; confirm says what a word proves, or nil where it is none after all.
func (q quest) search(confirm func(string) *Proof, budget *Budget) Proof {
	a, b, alphabet, split := q.a, q.b, q.alphabet, q.split
	for _, round := range rounds {
		rejected := false
		met := map[pair]int{}
		visits := []visit{{pair{int32(a.start), int32(b.start), !split}, -1, 0}}
		for at := 0; at < len(visits); at++ {
			v := visits[at]
			if a.accept[v.p] && b.accept[v.q] && v.split {
				if proof := confirm(spell(visits, at, alphabet)); proof != nil {
					return *proof
				}
				rejected = true
			}
			if len(visits) > maxVisits || budget.Spent() {
				return Proof{Verdict: Unproven}
			}
			for c := range alphabet {
				x, y := q.moves(c)
				for _, p := range x[v.p] {
					budget.steps -= len(y[v.q])
					for _, o := range y[v.q] {
						next := pair{p, o, v.split || p != o}
						if split && next.p > next.q {
							next.p, next.q = next.q, next.p // the pair the other way round says the same
						}
						if met[next] < round {
							met[next]++
							visits = append(visits, visit{next, int32(at), int32(c)})
						}
					}
				}
			}
		}
		if !rejected {
			return Proof{Verdict: Holds}
		}
	}
	return Proof{Verdict: Unproven}
}

func spell(visits []visit, at int, alphabet []rune) string {
	var word []rune
	for ; visits[at].from >= 0; at = int(visits[at].from) {
		word = append(word, alphabet[visits[at].by])
	}
	for i, j := 0, len(word)-1; i < j; i, j = i+1, j-1 {
		word[i], word[j] = word[j], word[i]
	}
	return string(word)
}

// ReadOnce reads a name as [Reader.Read] does, and says whether there is another way to
// read it, or may be: a search ends after so many ways.
func (r *Reader) ReadOnce(name string, values []value.Value) (misfit *Misfit, twice bool) {
	ways, into := 0, values
	r.collect = func() bool {
		if r.assemble(into) {
			ways, into = ways+1, make([]value.Value, len(values))
		}
		return ways > 1
	}
	r.start(name)
	r.collect = nil
	if ways == 0 {
		return r.Read(name, values), false
	}
	return nil, ways > 1 || r.attempts > maxAttempts
}

// A reading is one way to read a name.
type reading struct {
	values []value.Value
	spans  []Span
}

func (r *Reader) readingsWithSpans(name string, limit int) []reading {
	var all []reading
	r.collect = func() bool {
		values := make([]value.Value, len(r.fields))
		if r.assemble(values) {
			all = append(all, reading{values, r.spans()})
		}
		return len(all) >= limit
	}
	r.start(name)
	return all
}

// spans returns what each slot took in the reading that ends describes. The
// tokens of one slot are put together.
func (r *Reader) spans() []Span {
	var spans []Span
	at, before := 0, -1
	for i, end := range r.ends {
		if owner := r.owner[i]; owner >= 0 {
			text := r.s[at:end]
			if owner == before {
				spans[len(spans)-1].Text += text
			} else {
				spans = append(spans, Span{r.fields[owner].name, text})
			}
			before = owner
		} else {
			before = -1
		}
		at = end
	}
	return spans
}
