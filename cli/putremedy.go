package cli

import (
	"cmp"
	"fmt"
	"maps"
	"path"
	"path/filepath"
	"slices"

	"vestibula/core/put"
	"vestibula/core/standing"
)

// remedy says, for a person, what would give a file a place.
func (r *putRun) remedy(o *standing.Outcome) string {
	// into is the advice to put that file alone into one place.
	into := func(good, dir string) string {
		if o.File.Content != nil || o.File.At == "" || len(o.Spots) == 0 && o.Help.Kind != standing.NamedElse {
			return good
		}
		return advise(good, append([]string{"put", typed(fromHere(filepath.FromSlash(o.File.At))), "--into", typed(dir)}, r.manner()...)...).String()
	}
	switch name := o.Help.Name; o.Help.Kind {
	case standing.SayField:
		return fmt.Sprintf("a name that says the %s would tell", name)
	case standing.NameProject:
		return into("name the project, for example", r.shownDir(o.Spots[0].Project, ""))
	case standing.NameFolder:
		return into("name the folder, for example", r.shownDir(o.Spots[0].Project, o.Spots[0].Dir))
	case standing.NamedElse:
		if len(r.projects) == 1 {
			return into("to put it there", r.shownDir(r.projects[0], name))
		}
	case standing.BuildProject:
		return "build the project that it belongs to, or give it another name"
	case standing.ByConvention:
		return fmt.Sprintf("it can be named as it comes in, by the convention %s", name)
	case standing.HoldEnding:
		return r.holdEnding(name)
	case standing.AddFolder:
		call := []string{"add", typed(fromHere(o.Help.In.Dir))}
		for _, field := range o.Help.Needs {
			call = append(call, field+"=…")
		}
		return advise("to make it, and then put again", call...).String()
	case standing.SayWhy:
		return r.sameCall("if it is meant there", "--why", "…").String()
	case standing.OtherName:
		return "give one of them another name"
	case standing.SayMore:
		return "give values, or a convention, by which they are told apart"
	}
	return ""
}

// manner are the words of the call that say how files are put, whichever they are.
func (r *putRun) manner() (words []string) {
	for _, name := range r.conventions {
		words = append(words, "--convention", name)
	}
	for _, name := range slices.Sorted(maps.Keys(r.raw)) {
		words = append(words, name+"="+r.raw[name].Text)
	}
	if way := r.way(); way != put.Usual {
		words = append(words, map[put.Way]string{put.Move: "--move", put.Copy: "--copy", put.Link: "--link"}[way])
	}
	return words
}

// holdEnding says how a template comes to hold files of an ending: its text, if somebody
// has it, and the projects by it.
func (r *putRun) holdEnding(ending string) string {
	var files []string
	for _, p := range r.projects {
		src := r.shelved(&p.Label.Build, p.Dir)
		if src == nil || src.path == "" {
			return ""
		}
		if at := fromHere(src.path); !slices.Contains(files, at) {
			files = append(files, at)
		}
	}
	if len(files) != 1 {
		return ""
	}
	return advise(fmt.Sprintf("write `holds: *.%s` behind a folder in %s, and then", ending, files[0]), "upgrade", typed(cmp.Or(r.into, "."))).String()
}

func (r *putRun) shownDir(p *standing.Project, dir string) string {
	at := filepath.ToSlash(fromHere(p.Dir))
	if at == "." {
		at = ""
	}
	if at = path.Join(at, dir); at == "" {
		return "."
	}
	return at
}
