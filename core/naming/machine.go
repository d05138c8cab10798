package naming

import (
	"regexp"
	"slices"
	"strings"
	"sync"
	"vestibula/core/tree"
)

// machineNames are the names that cameras, scanners and programs give, copies, and
// those that stand for one to come: IMG_2044, Scan0012, Document1, report (1), Copy
// of …, Your name, TBD.
var machineNames = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)^(?:(?:img|dsc|dscf|dscn|pict|p(?:[0-9]{7})|mvi|vid|gopr|scan|scanned|screenshot|screen shot)[ _-]?[0-9]*` +
		`|(?:image|photo|document|doc|book|sheet|page|presentation|recording|untitled)[0-9]+` +
		`|(?:screenshot|screen shot) .*|your name|name here|tbd|todo)$`)
})

// ByMachine reports whether a name, its ending included, is one that cameras, scanners and programs
// give, or that stands for one to come.
func ByMachine(name string) bool {
	stem, _ := tree.Split(name)
	if stem == "" || Single(stem) != stem {
		return stem != ""
	}
	// Most names are none: those that are begin or end so.
	if last := stem[len(stem)-1]; !isDigit(last) && strings.IndexByte("ctnysCTNYS", stem[0]) < 0 {
		return false
	}
	return !(isDigit(stem[0]) && isDigit(stem[len(stem)-1])) && machineNames().MatchString(stem)
}

// conflicts are what the programs that keep drives in step add to the name of a file in which two have
// written at a time.
var conflicts = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)[ ._-]*(?:\([^()]*(?:conflict(?:ed)? copy|conflict [0-9]|konfliktkopie|in konflikt|copie en conflit|copia en conflicto)[^()]*\)|[._-]sync-conflict-[0-9a-z-]+)$`)
})

// Conflict is the name, without its ending, of the file beside which a drive's sync program has put another
// copy, since two have written in it; "" where a name says nothing of that.
func Conflict(stem string) (of string) {
	if !strings.HasSuffix(stem, ")") && !strings.Contains(stem, "sync-conflict-") {
		return ""
	}
	if at := conflicts().FindStringIndex(stem); at != nil && at[0] > 0 {
		return stem[:at[0]]
	}
	return ""
}

// computers are what the same programs add where they name a copy after the computer that it came from.
var computers = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)^(.+)[-_ ](?:(?:desktop|laptop|pc|macbook(?:[- ](?:air|pro))?|imac|notebook|thinkpad|surface|tablet|iphone|ipad|workstation)(?:-[a-z0-9]{1,12})?|[a-z0-9]{2,15}['’]?s?-(?:pc|laptop|desktop|macbook|imac))$`)
})

// computerWords are in the names of computers that the expression knows, within the last bytes of a name.
var computerWords = []string{"top", "pc", "mac", "notebook", "thinkpad", "surface", "tablet", "phone", "pad", "workstation"}

const longestComputer = 32

// ConflictBeside is as [Conflict], and knows also what is called after a computer, where the file that it is a copy of
// lies beside it: beside tells whether one with such a stem does.
func ConflictBeside(stem string, beside func(stem string) bool) (of string) {
	if of = Conflict(stem); of != "" {
		return of
	}
	end := strings.ToLower(stem[max(0, len(stem)-longestComputer):])
	if !slices.ContainsFunc(computerWords, func(w string) bool { return strings.Contains(end, w) }) {
		return "" // most names are none
	}
	if m := computers().FindStringSubmatch(stem); m != nil && beside(m[1]) {
		return m[1]
	}
	return ""
}

// InConflict says of such a copy what it is.
func InConflict(of string) string {
	return "it is a copy of “" + of + "” in which somebody else had written at the same time: look which of them is to stay"
}
