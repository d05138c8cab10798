package naming

import (
	"slices"
	"strings"
	"sync"

	"vestibula/core/template"
	"vestibula/core/tree"
)

// Files that belong together have one stem with several endings (a photograph as raw data, as a
// picture, and what a program notes of it), or the whole name of another one, or of a folder, with
// a further ending.

// Unended is the name of a file without its last ending; "" where it has none.
func Unended(name string) string {
	end := tree.Extension(name)
	if end == "" {
		return ""
	}
	return name[:len(name)-len(end)-1]
}

// Along is the name that a file gets when another thing in its folder gets a new one, to which it
// belongs; "" where it does not belong to it.
func Along(name, of, becomes string, folder bool) string {
	bare := Unended(name)
	switch {
	case bare == "" || name == of:
		return ""
	case bare == of:
		return becomes + name[len(bare):]
	case folder || bare != Unended(of):
		return ""
	}
	if stem := Unended(becomes); stem != "" {
		becomes = stem
	}
	return becomes + name[len(bare):]
}

// Speaks reports whether an ending says by itself what kind of file it is: what has another one
// says nothing without the file that it belongs to.
func Speaks(name string) bool {
	_, ending := tree.Split(name)
	return ending == "" || spoken()[ending]
}

var spoken = sync.OnceValue(func() map[string]bool {
	all := map[string]bool{}
	for _, endings := range template.FileKinds {
		for _, ending := range endings {
			all[ending] = true
		}
	}
	return all
})

// Goes reports whether a file goes with one that it belongs to into another folder: what has the
// whole name of that does, and what says nothing by itself.
func Goes(name, of string) bool {
	return !Speaks(name) || strings.HasPrefix(name, of+".") && Unended(name) == of
}

// Companies finds what may belong to others among the names in a folder: by the name or the stem
// of that, without its ending.
func Companies(names []string) map[string][]string {
	found := map[string][]string{}
	for _, name := range names {
		if bare := Unended(name); bare != "" {
			found[bare] = append(found[bare], name)
		}
	}
	return found
}

// Ending is the ending, with its dot, that a file of some name has under a name of a convention: as
// the convention writes it, if it names it, else as it is.
func Ending(conv *template.Convention, name string) string {
	if _, ending := tree.Split(name); ending != "" && slices.Contains(conv.For, ending) {
		return "." + ending
	}
	stem, _ := tree.Split(name)
	return name[len(stem):]
}
