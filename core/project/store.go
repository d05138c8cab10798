package project

import (
	"iter"
	"sync"
	"time"

	"vestibula/core/address"
	"vestibula/core/label"
	"vestibula/core/pool"
	"vestibula/core/template"
)

// A Store opens projects, for whoever asks for them: the template in labels of one text is read
// once. Several goroutines may ask.
type Store struct {
	// Shelf returns what the template of a project needs beside its text; the project is known
	// by its own folder.
	Shelf func(own address.Address) Shelf
	Now   time.Time // the date that "today" means

	mutex sync.Mutex
	texts map[string]*parsed
}

// A parsed text is the template in labels of one text, beside which the same starters are found.
type parsed struct {
	template *template.Template
	missing  map[int]string
	err      error
}

// Open opens a project by its label. The error is a [TemplateError] or a [ValuesError].
func (s *Store) Open(own address.Address, l *label.Label) (*Project, error) {
	key := l.Template + "\x00" + l.Text + "\x00" + string(own.Parent())
	s.mutex.Lock()
	t := s.texts[key]
	if t == nil {
		t = &parsed{}
		t.template, t.missing, t.err = Parse(l, s.Shelf(own))
		if s.texts == nil {
			s.texts = map[string]*parsed{}
		}
		s.texts[key] = t
	}
	s.mutex.Unlock()
	if t.err != nil {
		return nil, t.err
	}
	return With(own, l, t.template, t.missing, s.Now)
}

// A Read label is one as it lies in a project, or why it cannot be read.
type Read struct {
	Label *label.Label
	Data  []byte
	Err   error
}

// readLabels reads the labels of what was found, several at a time.
func (f *Found) readLabels() {
	pool.Each(len(f.Projects), 1, func(numbers iter.Seq[int]) {
		for i := range numbers {
			own := &f.Projects[i]
			own.Label, own.Data, own.Err = ReadLabel(own.Dir)
		}
	})
}

// Layout opens a project that was found, with its places: see [Project.Layout]. The error is as
// that of [Store.Open], or that of the template.
func (s *Store) Layout(own *Own) (*Layout, error) {
	if own.Err != nil {
		return nil, own.Err
	}
	p, err := s.Open(own.Dir, own.Label)
	if err != nil {
		return nil, err
	}
	return p.Layout(own.Root, template.DefaultLimit, s.Now)
}
