package rename

import (
	"fmt"
	"path"
	"path/filepath"
	"strings"

	"golang.org/x/text/unicode/norm"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/journal"
	"vestibula/core/naming"
	"vestibula/core/proposal"
	"vestibula/core/template"
	"vestibula/core/tree"
)

// Propose returns what gives files their new names, with a part for each folder, and what is
// left. Projects are those that the files lie in, by their own folders: where all of it lies in
// one, paths begin there, so that its label is in reach. The error says that a file lies in no
// folder of the others.
func Propose(conv *template.Convention, outcomes []*Outcome, projects []string) (*proposal.Proposal, error) {
	out := &proposal.Proposal{Set: &change.Set{}, Roots: []journal.Root{{Path: "."}}}
	var dirs []string
	count := map[Kind]int{}
	for _, o := range outcomes {
		if count[o.Kind]++; o.Kind == Renamed && (len(dirs) == 0 || dirs[len(dirs)-1] != o.File.Dir) {
			dirs = append(dirs, o.File.Dir)
		}
	}
	if len(dirs) > 0 {
		out.Set.Places = []address.Address{address.Address(place(address.Common(dirs), projects))}
		out.Set.Changes = make([]change.Change, 0, count[Renamed]+1)
	}
	why := "its name is brought to " + conv.Name
	dir, in, part := "", change.At{}, (*proposal.Part)(nil)
	for _, o := range outcomes {
		if o.Kind != Renamed {
			continue
		}
		if o.File.Dir != dir {
			at, err := out.Set.Find(address.Address(o.File.At()))
			if err != nil {
				return nil, err
			}
			dir, in, part = o.File.Dir, change.At{In: at.In, Path: path.Dir(at.Path)}, out.Part(address.Address(filepath.FromSlash(o.File.Dir)))
			part.Most = shown
		}
		o.step = &proposal.Step{Op: change.Move, From: o.File.Name, To: o.Becomes, Why: o.Note, Probable: o.Probable, Agreed: o.Agreed, Group: o.Shape}
		part.Steps = append(part.Steps, o.step)
		if o.step.Goes() {
			moves := out.Set.Move(in.Below(o.File.Name), in.Below(o.Becomes), change.Is(tree.File), why)
			if moves.Probable = o.Probable; o.Probable {
				for _, name := range o.Or {
					moves.Or = append(moves.Or, in.Below(name).Path)
				}
			}
		}
	}
	leave(out, outcomes, count[Left])
	if n := count[Fits]; n > 0 {
		out.Remark(files(n, "is", "are") + " named as " + conv.Name + " already.")
	}
	if n := count[Other]; n > 0 {
		out.Remark(files(n, "is", "are") + " skipped: " + conv.Name + " is for " + strings.Join(conv.For, ", ") + ".")
	}
	return out, nil
}

// Answered takes over what somebody has answered to the steps of a proposal, and reports whether it is
// another one now.
func Answered(outcomes []*Outcome) (changed bool) {
	for _, o := range outcomes {
		if s := o.step; s != nil && o.Probable && (s.Agreed || s.Refused) {
			if changed, o.Agreed = true, s.Agreed; s.Refused {
				o.Kind, o.Why = Left, "somebody said no to “"+o.Becomes+"”"
			}
		}
	}
	return changed
}

// shown is how many files of a folder are shown: a person reads them one by one.
const shown = 80

// leave adds a part with what is left.
func leave(out *proposal.Proposal, outcomes []*Outcome, n int) {
	if n == 0 {
		return
	}
	part := out.Part("")
	part.Title, part.About = "Left as they are", ": "+files(n, "", "")
	for _, o := range outcomes {
		if o.Kind == Left {
			part.Leave(proposal.Left{Kind: proposal.Nowhere, Op: change.Move, Path: o.File.At(), Name: norm.NFC.String(o.File.Name), Why: o.Why, Alike: o.alike(), Lacks: o.Lacks, At: o.Stopped})
		}
	}
}

// alike is what is said of all that are left for one reason; "" where its own reason says it.
func (o *Outcome) alike() string {
	if stem, _ := tree.Split(o.File.Name); naming.ByMachine(naming.Single(stem)) {
		return "a camera, a scanner or a program gave them their names, which say nothing"
	}
	return o.Alike
}

// place is the folder that paths begin in: the project in which all of it lies, else the
// folder itself.
func place(dir string, projects []string) string {
	for _, p := range projects {
		if strings.HasPrefix(dir+"/", strings.TrimSuffix(filepath.ToSlash(p), "/")+"/") {
			return p
		}
	}
	return filepath.FromSlash(dir)
}

// files says how many files there are, and what they do.
func files(n int, one, several string) string {
	text, verb := fmt.Sprintf("%d files", n), several
	if n == 1 {
		text, verb = "1 file", one
	}
	return strings.TrimSpace(text + " " + verb)
}
