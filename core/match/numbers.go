package match

import (
	"path"

	"vestibula/core/naming"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// A numberKey is a number that counts on, where it does.
type numberKey struct {
	conv   *template.Convention
	folder string // where each folder counts by itself
	apart  string
	n      int
}

// series returns that of a convention; nil where none of its fields counts on.
func (m *matcher) seriesOf(conv *template.Convention) *naming.Series {
	s, known := m.series[conv]
	if !known {
		if m.series == nil {
			m.series = map[*template.Convention]*naming.Series{}
		}
		s = naming.SeriesOf(conv)
		m.series[conv] = s
	}
	return s
}

// given reports whether a name that a file is to get has a number that another file of the project bears
// already, or gets; else it has it from now on.
func (m *matcher) given(conv *template.Convention, name, folder string) bool {
	s := m.seriesOf(conv)
	if s == nil {
		return false
	}
	numberOf := func(name, folder string) (key numberKey, ok bool) {
		stem, _ := tree.Split(name)
		n, apart, ok := s.Read(stem)
		if s.Field.Next != template.InFolder {
			folder = ""
		}
		return numberKey{conv, folder, apart, n}, ok
	}
	if m.numbers == nil {
		m.numbers, m.counts = map[numberKey]bool{}, map[*template.Convention]bool{}
	}
	if !m.counts[conv] {
		m.counts[conv] = true
		for at, n := range m.top.All() {
			if n.Kind == tree.Folder {
				continue
			}
			if key, ok := numberOf(n.Name, path.Dir(at)); ok {
				m.numbers[key] = true
			}
		}
	}
	key, ok := numberOf(name, folder)
	if !ok || m.numbers[key] {
		return ok
	}
	m.numbers[key] = true
	return false
}
