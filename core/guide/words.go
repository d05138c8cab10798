package guide

import (
	"embed"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"sync"
	"unicode"

	"github.com/goccy/go-yaml"

	"vestibula/core/template"
)

//go:embed words
var wordFiles embed.FS

// words are what a guide says in a language. The phrases are known by the English ones, which
// need no list; of a rule, says is what is asked, with {} for its setting, and why the reason.
// The common words tell the language from others.
type words struct {
	Common  []string
	Phrases map[string]string
	Rules   map[string]struct{ Says, Why string }
}

// languages are read when the first guide is made.
var languages = sync.OnceValue(func() map[string]words {
	all := map[string]words{}
	files, err := wordFiles.ReadDir("words")
	for _, file := range files {
		var w words
		var data []byte
		if data, err = wordFiles.ReadFile("words/" + file.Name()); err == nil {
			err = yaml.Unmarshal(data, &w)
		}
		if err != nil {
			break
		}
		all[strings.TrimSuffix(file.Name(), path.Ext(file.Name()))] = w
	}
	if err != nil {
		panic("the words of guides are part of the program, and cannot be read: " + err.Error())
	}
	return all
})

// sureWords is how many common words of a language a template must have at least.
const sureWords = 2

// language is the one that the header says, else that of the template's sentences, as far as guides can be
// written in it and one has more of its common words than any other; else "en". Names decide nothing.
// The most common words tell it: libraries for this know more languages, but bring tables
// that each start of the program would pay for.
func language(t *template.Template) string {
	if t.Language != "" {
		return t.Language
	}
	var texts strings.Builder
	add := func(text string) { texts.WriteString(strings.ToLower(text) + "\n") }
	add(t.About)
	for _, f := range t.Fields {
		if f.Ask != f.Name {
			add(f.Ask)
		}
		for _, o := range f.Type.Of {
			add(o.Meaning)
		}
	}
	for _, l := range t.Lines {
		add(l.Note)
	}
	has := map[string]int{}
	for _, word := range strings.FieldsFunc(texts.String(), func(r rune) bool { return !unicode.IsLetter(r) }) {
		has[word]++
	}
	count := func(of string) (n int) {
		for _, word := range languages()[of].Common {
			n += has[word]
		}
		return n
	}
	best, most := "en", max(count("en"), sureWords-1)
	for _, other := range slices.Sorted(maps.Keys(languages())) {
		switch n := count(other); {
		case n > most:
			best, most = other, n
		case n == most && other != best:
			best = "en"
		}
	}
	return best
}

// Say is one of the guide's own phrases in its language, with values in it as [fmt.Sprintf]
// puts them.
func (p *Page) Say(phrase string, args ...any) string {
	return say(p.Language, phrase, args...)
}

func say(language, phrase string, args ...any) string {
	if other, known := languages()[language].Phrases[phrase]; known {
		phrase = other
	}
	if len(args) == 0 {
		return phrase
	}
	return fmt.Sprintf(phrase, args...)
}
