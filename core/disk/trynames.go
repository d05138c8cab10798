package disk

import (
	"errors"
	"iter"
	"slices"
	"strings"
	"sync"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/folder"
	"vestibula/core/order"
	"vestibula/core/place"
	"vestibula/core/pool"
	"vestibula/core/tree"
)

// awkward are names that some system, server or program refuses, changes or hides.
var awkward = []string{
	"a:b", "a*b", "a?b", "a\"b", "a<b", "a>b", "a|b", "a\\b", "a%b", "a#b", "a&b", "a+b", "a~b", "a;b", "a'b", "100 %", "a=b", "a@b", "[a]", "{a}",
	"ends with a dot.", "ends with a space ", " begins with a space", ".hidden", "~$open", "CON", "aux.txt", "Thumbs.db", "desktop.ini",
	"a\u0308 composed of two", "\u00e4 as one", "\U0001F4DA books", "\u0442\u0435\u043a\u0441\u0442", "\u65e5\u672c\u8a9e", strings.Repeat("long ", 40) + "200", strings.Repeat("a", 255),
	"Case", "case",
	"10 z", "2 z", "_x", "Zebra", "apple", "\u00c4pfel", "A b", "A-b", // and how they are listed
}

// A NameTrial is what a place did with names.
type NameTrial struct {
	Names   []string          // that were tried
	Refused map[string]string // why, by the names
	Changed map[string]string // what became of them
	Orders  []order.Order     // that its listing follows; several where these names do not tell them apart
	Listed  bool              // it lists in one of the orders, and not just as it comes
}

// TryNames makes empty folders of such names in a hidden folder at an address, lists them, and takes
// them away again. Without names, awkward ones are tried. The error is a [BusyError] where a run is at
// work there.
func (w *Writer) TryNames(at address.Address, names []string) (t *NameTrial, err error) {
	if names == nil {
		names = awkward
	}
	t = &NameTrial{Names: names, Refused: map[string]string{}, Changed: map[string]string{}}
	release, err := w.take([]address.Address{at})
	if err != nil {
		return nil, err
	}
	defer release()
	h, err := folder.Open(string(at))
	if err != nil {
		return nil, err
	}
	defer h.Close()
	hidden := change.NewWork()
	if err := h.Mkdir(hidden, 0o700); err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, folder.RemoveEmpty(h, hidden)) }()
	work, err := h.Folder(hidden)
	if err != nil {
		return nil, err
	}
	defer work.Close()
	made := t.make(work)
	listed, err := t.list(work, made)
	if err != nil {
		listed = made
	}
	for _, name := range listed {
		if wrong := folder.RemoveEmpty(work, name); err == nil {
			err = wrong
		}
	}
	return t, err
}

// make tries all names, and returns those that were taken.
func (t *NameTrial) make(work folder.Folder) (made []string) {
	var mutex sync.Mutex
	pool.With(folder.Hands(work, 1), len(t.Names), 1, func(numbers iter.Seq[int]) {
		for i := range numbers {
			name := t.Names[i]
			err := work.Mkdir(name, 0o777)
			mutex.Lock()
			if err == nil {
				made = append(made, name)
			} else {
				t.Refused[name] = place.Reason(err)
			}
			mutex.Unlock()
		}
	})
	return made
}

// list says what became of names, and in which order they stand.
func (t *NameTrial) list(work folder.Folder, made []string) (listed []string, err error) {
	entries, err := work.List()
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		listed = append(listed, e.Name)
	}
	var kept []string
	for _, name := range listed {
		if slices.Contains(made, name) {
			kept = append(kept, name)
		}
	}
	for _, name := range made {
		if slices.Contains(listed, name) {
			continue
		}
		t.Changed[name] = "?"
		for _, is := range listed {
			if !slices.Contains(made, is) && alike(is, name) {
				t.Changed[name] = is
			}
		}
	}
	for _, o := range order.All() {
		sorted := slices.Clone(kept)
		order.Sort(o, sorted, func(name string) string { return name })
		if slices.Equal(sorted, kept) && len(kept) > 2 {
			t.Orders, t.Listed = append(t.Orders, o), true
		}
	}
	return listed, nil
}

// alike reports whether a name can have become another one: signs went, or have another form.
func alike(is, was string) bool {
	return tree.Folded(is) == tree.Folded(was) || strings.TrimRight(was, ". ") == is || strings.TrimSpace(was) == is
}
