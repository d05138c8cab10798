package naming

import (
	"regexp"
	"strings"
	"sync"

	"vestibula/core/tree"
)

// copied is the word that systems put into the name of a copy: Windows, macOS, GNOME and KDE, in the
// languages that guides know.
const copied = `(?:copy|kopie|copie|copia|cópia|kopia|kopi)`

// copyOf stands in front of what it is a copy of.
var copyOf = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)^(?:copy of |kopie von |copie de |copia de )`)
})

// doubles are what systems add to names to tell doubles apart, and hardly anybody else.
var doubles = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(copyOf().String() + `|(?: - ` + copied + `)?(?: \([0-9]{1,3}\))?$`)
})

// copies are what they add besides; a person may write that as well.
var copies = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)(?: - |[ _-])` + copied + `(?: ?[0-9]{1,3})?$| \(` + copied + `(?: [0-9]{1,3})?\)$`)
})

// Single is a name, without its ending, without what systems add to tell doubles apart.
func Single(stem string) string {
	if !strings.HasSuffix(stem, ")") && !strings.Contains(stem, " - ") && (stem == "" || strings.IndexByte("cCkK", stem[0]) < 0) {
		return stem
	}
	return doubles().ReplaceAllString(stem, "")
}

// Copied reports whether a system gave a file its name when it was copied.
func Copied(name string) bool {
	stem, _ := tree.Split(name)
	return Single(stem) != stem
}

// CopyOf is the name of what a name says that it is a copy of, where that lies beside it or is looked for; else "".
func CopyOf(name string) string {
	stem, _ := tree.Split(name)
	if lead := copyOf().FindString(stem); lead != "" {
		return name[len(lead):]
	}
	of := copies().ReplaceAllString(Single(stem), "")
	if of = strings.TrimRight(of, " "); of == "" || of == stem {
		return ""
	}
	return of + name[len(stem):]
}
