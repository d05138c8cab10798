package match

import (
	"path"

	"vestibula/core/pattern"
	"vestibula/core/tree"
	"vestibula/core/value"
)

// A Kind is what is not as it should be.
type Kind uint8

// The kinds.
const (
	Missing   Kind = iota // it is wanted, and not there
	Misnamed              // it is there, under another name or in another folder
	Misplaced             // a file that belongs elsewhere by its name or kind
	Unfit                 // a file that its folder does not hold
	Stray                 // it is not wanted, in a folder of which all is listed
	Overdue               // it was to be delivered by a day that has passed
	Recounted             // a file whose number counts on, and is taken
)

// A Reason is what a match of two things, or a thing's place, is told from.
type Reason uint8

// The reasons.
const (
	NoReason   Reason = iota
	Former            // a former name, or a former path
	Number            // the same name under another number
	Spelling          // the same letters: capitals, accents, spaces or joints differ
	Slip              // a slip of the pen
	Value             // another value of the same slots
	Contents          // what lies in it
	SameName          // the same name, in another folder
	Convention        // what its name says
	FileKind          // its kind or ending
	Copied            // it is called a copy of something that is there
	Doubled           // the same under another number is there
	InTheWay          // something of another kind has the name
	Another           // it could be one more of a line that repeats
	Followed          // the line that it comes from: see [Wanted]
	Shape             // it says what the convention asks for, in another shape
)

// reasons are the words for reasons.
var reasons = [...]string{
	Former: "a former name", Shape: "named like the others", Number: "another number or mark in front", Spelling: "spelled differently", Slip: "a slip of the pen, it seems",
	Value: "the same line with other values", Contents: "it holds the same, it seems", SameName: "it belongs in another folder", Copied: "called a copy, it seems",
	Followed: "its name or number in the template changed", Convention: "by its name", FileKind: "by its kind",
}

// String says in a few words what is told from that, for a person; "" where that is not said.
func (r Reason) String() string {
	if int(r) < len(reasons) {
		return reasons[r]
	}
	return ""
}

// A Thing is something that is not as it should be.
type Thing struct {
	Kind   Kind
	Reason Reason
	// Sure says that it follows from what is known; else it is probable.
	Sure bool
	Node *tree.Node // what is wanted; of Misplaced, Unfit and Stray, what is there
	// Path is where it lies, from the project's own folder; of Missing and Overdue,
	// where it is wanted, as the folders on the way are called on the disk.
	Path  string
	Other string // the name of what it is a copy or a double of, or is in the way of; of Recounted, what has the number
	Slot  string // of a contradiction: the field
	Says  string // what the name says, or why it does not fit
	Holds string // what the place says
	// Within says that the place says in what longer time it must lie.
	Within bool
	// Misfit says where reading the name stopped, by the convention of its folder that came
	// nearest; nil where none came near.
	Misfit *pattern.Misfit
	// Refused is what somebody said that a stray is not.
	Refused string
	Day     value.Value
	Count   int // how many things lie in what is missing

	in *Thing // the misnamed folder that it comes to lie in
	to string // its place below that, or from the own folder; empty where there is none

	stays spot // of what is there under another name: where it lies if it is left so
}

// Movable reports whether it is known where the thing belongs.
func (t *Thing) Movable() bool { return t.to != "" && t.Kind != Overdue }

// Target is the path at which a thing belongs, when the things that chosen accepts
// have been moved to theirs.
func (t *Thing) Target(chosen func(*Thing) bool) string {
	switch {
	case t.in == nil:
		return t.to
	case chosen(t.in):
		return path.Join(t.in.Target(chosen), t.to)
	}
	return path.Join(t.in.stays.target(chosen), t.to)
}

// Settle notes that it was found where a file belongs: at a path from the own folder as it is now.
// Other is the convention that its name reads by; "" where its kind says it. Where it is not free,
// something has that path, and it stays.
func (t *Thing) Settle(to, other string, free bool) {
	if t.Kind = Misplaced; free {
		t.Sure, t.in, t.to = true, nil, to
	}
	if t.Reason = FileKind; other != "" {
		t.Reason, t.Other = Convention, other
	}
	if t.Slot == "" {
		t.Holds = path.Dir(to)
	}
}

// Final is the path at which a thing belongs, when all things have been moved to theirs.
func (t *Thing) Final() string { return t.Target(all) }

func all(*Thing) bool { return true }
