package draft

import (
	"runtime"
	"slices"
	"time"

	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"

	"golang.org/x/sync/errgroup"
)

// A Proof is what a template, built with the values that were found, makes of a sample.
type Proof struct {
	Exact   bool     // it gives just the same entries
	Entries int      // of the sample
	Held    int      // files that its conventions read
	Later   int      // folders that it keeps for later, and that are there
	Owner   int      // what lies in folders that the template leaves to their owner
	Missing []string // what the template makes, and is not there
	Extra   []string // what is there, and no line explains
}

// Prove builds the template with the values found, and compares that with the samples as they were learned
// from. The error is that of the template.
func (r *Result) Prove(title string, now time.Time) ([]Proof, error) {
	t, err := template.Parse(title, r.Text, shelf(r.Starters))
	if err != nil {
		return nil, err
	}
	list := make([]Proof, len(r.Samples))
	var group errgroup.Group
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i := range r.Samples {
		group.Go(func() (err error) {
			list[i], err = r.prove(t, r.Samples[i], r.Values[i], now)
			return err
		})
	}
	return list, group.Wait()
}

// prove compares what the values of one sample give with what lies in it.
func (r *Result) prove(t *template.Template, s Sample, raw map[string]template.Raw, now time.Time) (p Proof, err error) {
	values, wrong := t.ParseValues(raw, now)
	if len(wrong) > 0 {
		return p, wrong[0]
	}
	x, err := t.Tree(t.Complete(values, now), max(template.DefaultLimit, 10*s.Root.Count()))
	if err != nil {
		return p, err
	}
	own, wanted := t.Own(x.Root)
	(&prover{t, readers{}, &p}).compare(wanted, s.Root, "")
	p.Exact = own == s.Name && len(p.Missing) == 0 && len(p.Extra) == 0
	if own != s.Name {
		p.Missing = append(p.Missing, own)
	}
	return p, nil
}

// A prover counts what a template gives of a sample.
type prover struct {
	template *template.Template
	by       readers
	*Proof
}

// compare counts what lies in a folder against what is wanted there.
func (p *prover) compare(wanted, real *tree.Node, at string) {
	known := map[string]*tree.Node{}
	for _, c := range wanted.Children {
		known[c.Name] = c
	}
	ln := p.template.LineOf(wanted)
	for _, c := range real.Children {
		p.Entries++
		w := known[c.Name]
		switch {
		case w != nil && w.Kind == c.Kind:
			delete(known, c.Name)
			if w.Marks&tree.Later != 0 {
				p.Later++
			}
			if c.Kind == tree.Folder {
				p.compare(w, c, at+c.Name+"/")
			}
			continue
		case c.Kind == tree.File && ln != nil && ln.HoldsAnything() && p.by.read(ln, c.Name):
			p.Held++
			continue
		case len(wanted.Children) == 0 && ln != nil && !ln.HoldsAnything():
			p.Owner += 1 + c.Count()
		default:
			p.Extra = append(p.Extra, at+c.Name)
		}
		p.Entries += c.Count()
	}
	for _, w := range wanted.Children {
		if known[w.Name] == w && w.Marks&tree.Later == 0 {
			p.Missing = append(p.Missing, at+w.Name)
		}
	}
	slices.Sort(p.Missing)
}

// readers are those of the conventions that folders hold.
type readers map[*template.Line]*naming.Reader

// read reports whether a convention that a line's folder holds reads a name.
func (r readers) read(ln *template.Line, name string) bool {
	reader := r[ln]
	if reader == nil {
		reader = naming.NewReader(ln.Holds)
		r[ln] = reader
	}
	_, _, misfit := reader.Read(name)
	return misfit == nil
}
