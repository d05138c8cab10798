package rules

import (
	"fmt"
	"path"
	"strings"

	"vestibula/core/match"
	"vestibula/core/naming"
	"vestibula/core/tree"
)

func thingRules() []*rule {
	return []*rule{
		realRule(rule{
			name:  "missing",
			about: "All that the template makes for the project's values is there.",
			why:   "A folder that is not there is not missed until something that belongs in it lies somewhere else.",
			bad:   "Commission\n    01 Agreement",
			good:  "Commission\n    01 Agreement\n    02 Work",
		}, Error, match.Missing, missing),
		realRule(rule{
			name:  "misnamed",
			about: "Nothing stands under a former, renumbered or misspelled name of what is missing.",
			why:   "Under another name a thing is not found by those who know where it should be, nor by the program.",
			bad:   "Commission\n    01 Agreement\n    04 Work",
			good:  "Commission\n    01 Agreement\n    02 Work",
		}, Error, match.Misnamed, misnamed),
		realRule(rule{
			name:  "misplaced",
			about: "No file lies where its name or kind says that it does not belong, and no name contradicts its place.",
			why:   "A sheet of March in the folder of February is lost for both months.",
			bad:   "Books\n    Months\n        2027-02\n            2027-03 leather.txt\n        2027-03",
			good:  "# names: { sheet: \"<month:yyyy-mm> <what>\" }\nBooks\n    Months\n        <month:yyyy-mm>   | each: month in 2027-02..2027-03 | holds: sheet",
		}, Error, match.Misplaced, misplaced),
		realRule(rule{
			name:  "holds",
			about: "Files in a folder with `holds` are what it holds: named by one of its conventions, or of one of its kinds.",
			why:   "A convention that is written down but not followed sorts nothing and finds nothing.",
			bad:   "Scans\n    first.tif",
			good:  "# names: { scan: \"<n:000>\" }\nScans   | holds: scan",
		}, Error, match.Unfit, unfit),
		realRule(rule{
			name:  "strays",
			about: "In a folder whose subfolders the template lists there are no others and, where only subfolders are listed, no loose files.",
			why:   "Each folder beside the known ones is one more place to look in. Inside a folder that the template leaves empty, everything is its owner's.",
			bad:   "Commission\n    01 Agreement\n    02 Work\n    Misc notes",
			good:  "Commission\n    01 Agreement\n    02 Work",
		}, Warning, match.Stray, strayed),
		realRule(rule{
			name:  "overdue",
			about: "What is `due` and whose day has passed is there.",
			why:   "What nobody handed in is seen when it is too late, if nobody looks.",
			bad:   "Course\n    Notes",
			good:  "Course\n    Notes\n    Essay   | due: 2025-02-01",
		}, Error, match.Overdue, func(t *match.Thing) (Message, string) {
			return say("%s was due on %s, and is not there", shown(t.Node.Name), t.Day), ""
		}),
	}
}

func missing(t *match.Thing) (message Message, help string) {
	if t.Reason == match.InTheWay {
		return say("%s should be %s here, and something else has that name", shown(t.Node.Name), t.Node.Kind.Article()), "give what is there another name"
	}
	what, with := "a "+t.Node.Kind.String(), whatIsIn(t)
	if with.text == "" {
		return say("%s is missing ("+what+")", shown(t.Node.Name)), ""
	}
	return Message{"%s is missing (" + what + with.words + ")", fmt.Sprintf("%s is missing (%s%s)", shown(t.Node.Name), what, with)}, ""
}

// whatIsIn says how much is to lie in what is missing.
func whatIsIn(t *match.Thing) Message {
	switch t.Count {
	case 0:
		return Message{}
	case 1:
		return say(" with 1 thing in it")
	}
	return say(" with %d things in it", t.Count)
}

func misnamed(t *match.Thing) (message Message, help string) {
	is := path.Base(t.Path)
	if (t.Reason == match.Former || t.Reason == match.Shape) && t.Says != "" {
		return say("%s would be called %s now, and that name is taken", shown(is), shown(t.Says)), "look which of them is to stay"
	}
	to := shown(path.Base(t.Final()))
	switch t.Reason {
	case match.Former:
		message = say("%s is called %s now", shown(is), to)
	case match.Shape:
		message = say("%s should be %s: names there have that shape", shown(is), to)
	case match.Number:
		message = say("%s has another number or mark in front: it should be %s", shown(is), to)
	case match.Spelling:
		message = say("%s is spelled differently: it should be %s", shown(is), to)
	case match.Slip:
		message = say("%s is %s with a slip of the pen, it seems", shown(is), to)
	case match.Value:
		message = say("%s stands where %s should be: it says another value", shown(is), to)
	case match.Contents:
		message = say("%s holds what %s should hold, it seems", shown(is), to)
	case match.Copied:
		message = say("%s is called a copy, and %s is not there", shown(is), to)
	default:
		message = say("%s belongs in %s", shown(is), folderOf(t.Final()))
	}
	return message, ""
}

func misplaced(t *match.Thing) (message Message, help string) {
	name := path.Base(t.Path)
	switch {
	case t.Slot != "":
		message = say("%s says %s %s; here it is %s", shown(name), t.Slot, t.Says, t.Holds)
		if t.Within {
			message = say("%s says %s %s, which does not lie in %s", shown(name), t.Slot, t.Says, t.Holds)
		}
		if !t.Movable() {
			help = "rename it, or move it to where it belongs"
		}
	case t.Reason == match.Convention:
		message = say("%s is named as those in %s are", shown(name), shown(t.Holds))
	default:
		message = say("%s is of a kind that lies in %s", shown(name), shown(t.Holds))
	}
	if !t.Movable() && help == "" {
		help = "it cannot be moved there as it is: a file of that name is there"
	}
	return message, help
}

func unfit(t *match.Thing) (message Message, help string) {
	name := path.Base(t.Path)
	if t.Says == "" {
		return say("%s is not of the kinds that %s holds", shown(name), folderOf(t.Path)), ""
	}
	help = "they look like " + t.Says
	switch {
	case t.Other != "":
		return say("%s is a copy of %s in which somebody else had written at the same time", shown(name), shown(t.Other)), "look which of them is to stay"
	case naming.ByMachine(name):
		return say("%s is still named by the camera or a program", shown(name)), help
	case t.Misfit != nil:
		return say("%s is not named as files in %s are: %s", shown(name), folderOf(t.Path), t.Misfit.Message), help
	}
	return say("%s is not named as files in %s are", shown(name), folderOf(t.Path)), help
}

// Told says, for a person, why a file that lies in a project is not as it should be: as a check
// tells it.
func Told(t *match.Thing) string {
	message := Message{}
	switch t.Kind {
	case match.Misnamed:
		message, _ = misnamed(t)
	case match.Misplaced:
		message, _ = misplaced(t)
	case match.Unfit:
		message, _ = unfit(t)
	default:
		message, _ = strayed(t)
	}
	told := strings.TrimPrefix(message.String(), shown(path.Base(t.Path))+" ")
	if t.Kind == match.Misplaced && t.Slot == "" && !t.Movable() {
		told += ", and a file of that name is there"
	}
	return told
}

// RuleOf is the rule that tells of a thing.
func RuleOf(t *match.Thing) string {
	switch t.Kind {
	case match.Misnamed:
		return "misnamed"
	case match.Misplaced:
		return "misplaced"
	case match.Unfit:
		return "holds"
	}
	return "strays"
}

func strayed(t *match.Thing) (message Message, help string) {
	name := path.Base(t.Path)
	switch t.Reason {
	case match.Copied:
		return say("%s is called a copy of %s, which is there", shown(name), shown(t.Other)), "look which of them is to stay"
	case match.Doubled:
		return say("%s is %s once more, under another number or spelling", shown(name), shown(t.Other)), "look which of them is to stay"
	case match.Another:
		return say("%s is not in the list “%s” of this project", shown(name), t.Other), ""
	}
	if t.Node.Kind == tree.File {
		return say("%s lies loose in %s, where only folders are meant to be", shown(name), folderOf(t.Path)), ""
	}
	if t.Refused != "" {
		help = "somebody said that it is not “" + t.Refused + "”; if it is now, give it that name"
	}
	return say("%s is not one of the folders that belong in %s", shown(name), folderOf(t.Path)), help
}
