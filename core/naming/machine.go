package naming

import (
	"regexp"
	"strings"
	"sync"

	"vestibula/core/template"
)

// machineNames are the names that cameras, scanners and programs give, copies, and
// those that stand for one to come: IMG_2044, Scan0012, Document1, report (1), Copy
// of …, Your name, TBD.
var machineNames = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)^(?:(?:img|dsc|dscf|dscn|pict|mvi|vid|gopr|scan|scanned|screenshot|screen shot)[ _-]?[0-9]*` +
		`|(?:image|photo|document|doc|book|sheet|page|presentation|recording|untitled)[0-9]+` +
		`|(?:screenshot|screen shot|copy of) .*|.+ \([0-9]{1,3}\)|.+ - copy|your name|name here|tbd|todo)$`)
})

// ByMachine reports whether a name, its ending included, is one that cameras, scanners and programs
// give, or that stands for one to come.
func ByMachine(name string) bool {
	stem := name
	if end := template.Extension(name); end != "" {
		stem = name[:len(name)-len(end)-1]
	}
	if stem == "" {
		return false
	}
	// Most names are none: those that are begin or end so.
	if last := stem[len(stem)-1]; !isDigit(last) && last != ')' && strings.IndexByte("ctnysCTNYS", stem[0]) < 0 {
		return false
	}
	return !(isDigit(stem[0]) && isDigit(stem[len(stem)-1])) && machineNames().MatchString(stem)
}
