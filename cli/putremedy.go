package cli

import (
	"cmp"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"vestibula/core/put"
)

// remedy says, for a person, what would give a file a place.
func (r *putRun) remedy(o *put.Outcome) string {
	// into is the advice to put that file alone into one place.
	into := func(good, dir string) string {
		if o.File.Content != nil || o.File.At == "" || len(o.Spots) == 0 && o.Help.Kind != put.NamedElse {
			return good
		}
		return advise(good, "put", typed(fromHere(filepath.FromSlash(o.File.At))), "--into", typed(dir)).String()
	}
	switch name := o.Help.Name; o.Help.Kind {
	case put.SayField:
		return fmt.Sprintf("a name that says the %s would tell", name)
	case put.NameProject:
		return into("name the project, for example", r.shownDir(o.Spots[0].Project, ""))
	case put.NameFolder:
		return into("name the folder, for example", r.shownDir(o.Spots[0].Project, o.Spots[0].Dir))
	case put.NamedElse:
		if len(r.projects) == 1 {
			return into("to put it there", r.shownDir(r.projects[0], name))
		}
	case put.BuildProject:
		return "build the project that it belongs to, or give it another name"
	case put.ByConvention:
		return fmt.Sprintf("it can be named as it comes in, by the convention %s", name)
	case put.HoldEnding:
		return r.holdEnding(name)
	case put.AddFolder:
		call := []string{"add", typed(fromHere(o.Help.In.Dir))}
		for _, field := range o.Help.Needs {
			call = append(call, field+"=…")
		}
		return advise("to make it, and then put again", call...).String()
	case put.OtherName:
		return "give one of them another name"
	case put.SayMore:
		return "give values, or a convention, by which they are told apart"
	}
	return ""
}

// holdEnding says how a template comes to hold files of an ending: its text, if somebody
// has it, and the projects by it.
func (r *putRun) holdEnding(ending string) string {
	var files []string
	for _, p := range r.projects {
		src := r.shelved(p.Label.Template, p.Dir)
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

func (r *putRun) shownDir(p *put.Project, dir string) string {
	at := filepath.ToSlash(fromHere(p.Dir))
	if at == "." {
		at = ""
	}
	if at = path.Join(at, dir); at == "" {
		return "."
	}
	return at
}
