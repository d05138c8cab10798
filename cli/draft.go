package cli

import (
	"errors"
	"io/fs"
	"path"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/outline"
	"vestibula/core/place"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/examples"
)

func (a *app) draftCommand() *cobra.Command {
	r := &learning{app: a}
	var like, update string
	c := &cobra.Command{
		Use:   "draft NAME [FOLDER… | FILE] [field=value …]",
		Short: "Write a new template: from real folders, from a list, or to start from.",
		Long: `Write a new template. From real folders it takes what they share as it is, and what
differs as a value, as narrowly as they allow; names of files become conventions, and what
only some have gets a condition. What it gives of them again, and what it does not explain,
is told in the end. Tell it with field=value what a value is called.

Of one FOLDER with many it tells what kinds of folders there are, and takes those that are
alike; a second FOLDER, in it, says which kind. What the years have made of one thing is
taken as one: case, numbers, the order of a day, a slip of the pen.

From a FILE with a list or a drawn tree, or - for what is typed or piped in, it makes that
list a template. With --update, what folders have in common beyond a template is put into
it, as an edit that is shown first. With neither, it is a template to start from, with a
comment at each part; with --like a copy of a built-in one. Nothing is ever overwritten.`,
		Example: `  vestibula draft clients Clients/*
  vestibula draft clients "Clients/2027-03 Oriel Pask BK" client="Oriel Pask"
  vestibula draft clients Clients
  vestibula draft course notes.txt
  vestibula draft --update clients Clients/*
  vestibula draft clients --like commission`,
		RunE: func(_ *cobra.Command, args []string) error {
			if update != "" {
				return r.update(update, args)
			}
			if len(args) == 0 {
				return unclear(examplesOf("draft"), "which name is the new template to have?")
			}
			if len(args) == 1 {
				return a.draft(args[0], like)
			}
			if like != "" {
				return unclear("leave one of them out", "--like starts from a template, and not from folders")
			}
			return r.run(args[0], args[1:])
		},
	}
	c.Flags().StringVar(&update, "update", "", "put what FOLDERs have in common beyond this `TEMPLATE` into it")
	c.Flags().BoolVar(&r.starters, "starters", false, "copy files that are alike in all folders, to start from")
	c.Flags().BoolVar(&r.preview, "preview", false, "show the template, and write nothing")
	c.Flags().BoolVarP(&r.yes, "yes", "y", false, "read also a folder that is too large to be meant; with --update: write it")
	c.Flags().BoolVar(&r.asJSON, "json", false, "print JSON")
	c.Flags().StringVar(&like, "like", "", "copy this built-in `EXAMPLE`")
	_ = c.RegisterFlagCompletionFunc("like", func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		return shelf{}.files(), cobra.ShellCompDirectiveNoFileComp
	})
	return c
}

// newTemplate is what draft writes.
const newTemplate = `---
title: NAME
about: One folder for each client.
# Everything down to the next three hyphens can be left out.
fields:
  client: Who is it for?
  begun:  { ask: When does it begin?, type: date, default: today }
  stages: { ask: Which stages?, type: list, default: [plan, work, delivery] }
  hurry:  { ask: Is it urgent?, type: yes-no, default: no }
names:
  note: "<day:yyyy-mm-dd> <topic:like-this>"
rules:
  depth: 4
---
// One line for each folder or file; what is indented lies inside.
// <client> is filled with the value; <begun:yyyy-mm> shows how it is to look.
<begun:yyyy-mm> <client>
    // <#> numbers the lines by itself.
    <#> Notes        | holds: note | note: named by the convention above
    <#> Work
        <#> <stage:Like this>    | each: stage in stages
    <#> Urgent       | when: hurry
    <#> Settled      | number: 90
`

func (a *app) draft(name, like string) error {
	name = strings.TrimSuffix(name, template.Ending)
	title := filepath.Base(name)
	if title == "." || strings.HasSuffix(name, "/") {
		return unclear("", "\"%s\" is no name for a template", name)
	}
	dir := filepath.Dir(name)
	pages := []newFile{{name + template.Ending, tree.Bytes(strings.Replace(newTemplate, "NAME", outline.Quoted(title), 1))}}
	if like != "" {
		var err error
		if pages, err = copyOf(like, name, dir); err != nil {
			return err
		}
	}
	var fresh []newFile
	for _, p := range pages {
		have, err := place.ReadFile(p.path, outline.MaxBytes)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			fresh = append(fresh, p)
		case err == nil && string(have) == string(p.content.(tree.Bytes)) && p.path != name+template.Ending:
			// A starter that is there already, from another copy.
		default:
			return refused("choose another name, or another folder; nothing was written", "%s is there already", p.path)
		}
	}
	if err := a.makeFiles("draft", filepath.Base(name)+template.Ending, fresh, false); err != nil {
		return err
	}
	a.screen.Text(term.Good.Render("Wrote") + " " + term.Visible(name+template.Ending))
	a.screen.Text(term.Dim.Render(advise("Change it in any text editor, and look at it with", "show", typed(name+template.Ending)).line()))
	return nil
}

// copyOf returns a built-in template under a new name, and its starters.
func copyOf(like, name, dir string) ([]newFile, error) {
	known := shelf{}.files()
	text, err := examples.Files.ReadFile(like + template.Ending)
	if err != nil {
		help := outline.Meant(like, known, "the built-in ones are "+strings.Join(known, ", "))
		return nil, unclear(help, "there is no built-in template \"%s\"", like)
	}
	pages := []newFile{{name + template.Ending, tree.Bytes(text)}}
	t, err := template.Parse(like, string(text), examples.Files)
	if err != nil {
		return nil, err
	}
	for _, from := range t.Starters() {
		data, err := examples.Files.ReadFile(from)
		if err != nil {
			return nil, err
		}
		pages = append(pages, newFile{filepath.Join(dir, filepath.FromSlash(path.Clean(from))), tree.Bytes(data)})
	}
	return pages, nil
}
