package project

import (
	"iter"
	"path/filepath"
	"sync"
	"time"

	"vestibula/core/label"
	"vestibula/core/pool"
	"vestibula/core/template"
)

// A Store opens projects, for whoever asks for them: the template in labels of one text is read
// once. Several goroutines may ask.
type Store struct {
	// Shelf returns what the template of a project needs beside its text; the project is known
	// by its own folder.
	Shelf func(own string) Shelf
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
func (s *Store) Open(own string, l *label.Label) (*Project, error) {
	key := l.Template + "\x00" + l.Text + "\x00" + filepath.Dir(own)
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

// At opens the project whose own folder a folder is. The error says, for a person, why its label
// cannot be read, or is as that of [Store.Open].
func (s *Store) At(own string) (*Project, error) {
	l, _, err := ReadLabel(own)
	if err != nil {
		return nil, err
	}
	return s.Open(own, l)
}

// A Read label is one as it lies in a project, or why it cannot be read.
type Read struct {
	Label *label.Label
	Data  []byte
	Err   error
}

// ReadLabels reads the labels of projects, by their own folders, several at a time.
func ReadLabels(owns []string) []Read {
	list := make([]Read, len(owns))
	pool.Each(len(list), 1, func(numbers iter.Seq[int]) {
		for i := range numbers {
			r := &list[i]
			r.Label, r.Data, r.Err = ReadLabel(owns[i])
		}
	})
	return list
}

// Dirs are the own folders of what was found.
func (f *Found) Dirs() []string {
	dirs := make([]string, len(f.Projects))
	for i := range dirs {
		dirs[i] = f.Projects[i].Dir
	}
	return dirs
}
