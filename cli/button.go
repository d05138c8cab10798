package cli

import (
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"unicode"

	"github.com/spf13/cobra"

	"vestibula/cli/term"
	"vestibula/core/change"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// A button is a small file for a double click: it runs a call in a window of its own, which asks what the call would ask,
// and stays until it was read.

// buttons are the endings of such files, by the systems that know them.
var buttons = map[string]string{"darwin": ".command", "windows": ".cmd", "linux": ".desktop"}

// withButton gives a command the option --button.
func (a *app) withButton(c *cobra.Command) *cobra.Command {
	file, run := "", c.RunE
	c.Flags().StringVar(&file, "button", "", "write a `FILE` to double-click that makes this call in a window; nothing else is done")
	_ = c.MarkFlagFilename("button", "command", "cmd", "desktop")
	c.RunE = func(c *cobra.Command, args []string) error {
		if file == "" {
			return run(c, args)
		}
		return a.writeButton(file)
	}
	return c
}

// writeButton writes the call into a file for a double click.
func (a *app) writeButton(file string) error {
	ending := filepath.Ext(file)
	if ending == "" {
		ending = buttons[runtime.GOOS]
		file += ending
	}
	program, err := os.Executable()
	if err != nil {
		return refused("", "it cannot be told where this program lies: %s", place.Reason(err))
	}
	dir, err := place.Real(".")
	if err != nil {
		return unreadable(".", err)
	}
	call := append([]string{program}, withoutButton(a.call)...)
	for _, w := range append(call, string(dir)) {
		if strings.ContainsFunc(w, unicode.IsControl) {
			return unclear("", "“%s” has characters that such a file cannot hold", w)
		}
	}
	write := map[string]func(dir string, call []string, name string) string{".command": shellButton, ".sh": shellButton, ".desktop": desktopButton, ".cmd": windowsButton}[strings.ToLower(ending)]
	if write == nil {
		return unclear("end it in .command for a Mac, .cmd for Windows, .desktop or .sh for Linux", "%s: its ending does not say which system clicks it", file)
	}
	if strings.EqualFold(ending, ".cmd") && slices.ContainsFunc(call, func(w string) bool { return strings.Contains(w, `"`) }) {
		return unclear("give that value when it asks", "a file for Windows cannot hold a value with a quotation mark in it")
	}
	name := strings.TrimSuffix(filepath.Base(file), ending)
	set, roots, err := fileSet([]newFile{{file, tree.Bytes(write(string(dir), call, name))}})
	if err != nil {
		return refused("nothing was written", "%s", place.Reason(err))
	}
	for i := range set.Changes {
		if c := &set.Changes[i]; c.Kind() == tree.File {
			c.As = change.Dress{Mode: 0o755}
		}
	}
	if err := a.makeNew("button", filepath.Base(file), set, roots, false); err != nil {
		return err
	}
	a.screen.Text(term.Good.Render("Written") + term.Sprintf(": %s. A double click on it makes this call, and asks what it would ask.", file))
	return nil
}

// withoutButton are the words of a call without what asks for the button.
func withoutButton(call []string) (words []string) {
	for i := 0; i < len(call); i++ {
		switch {
		case call[i] == "--button":
			i++
		case strings.HasPrefix(call[i], "--button="):
		default:
			words = append(words, call[i])
		}
	}
	return words
}

// posix quotes a word for a POSIX shell.
func posix(word string) string { return "'" + strings.ReplaceAll(word, "'", `'\''`) + "'" }

// posixCall is what a shell runs.
func posixCall(dir string, call []string) string {
	words := slices.Clone(call)
	for i := range words {
		words[i] = posix(words[i])
	}
	return "cd " + posix(dir) + " && " + strings.Join(words, " ") + "; printf '\\nReturn closes this window. '; read -r _"
}

func shellButton(dir string, call []string, _ string) string {
	return "#!/bin/sh\n" + posixCall(dir, call) + "\n"
}

// desktopButton is a desktop entry; its Exec line is quoted twice, as a text and as an argument (Desktop Entry
// Specification 1.5, "The Exec key").
func desktopButton(dir string, call []string, name string) string {
	argument := strings.NewReplacer(`\`, `\\`, `"`, `\"`, "`", "\\`", `$`, `\$`, `%`, `%%`).Replace(posixCall(dir, call))
	text := func(s string) string { return strings.ReplaceAll(s, `\`, `\\`) }
	return "[Desktop Entry]\nType=Application\nTerminal=true\nName=" + text(name) + "\nExec=sh -c \"" + text(argument) + "\"\n"
}

// windowsButton is a batch file: signs of percent are doubled, words stand between quotes, which none of them may hold, and a
// backslash before the last of these is doubled, as programs there read it.
func windowsButton(dir string, call []string, _ string) string {
	quote := func(word string) string {
		bare := strings.TrimRight(word, `\`)
		return `"` + strings.ReplaceAll(word+word[len(bare):], "%", "%%") + `"`
	}
	words := make([]string, len(call))
	for i, w := range call {
		words[i] = quote(w)
	}
	return "@echo off\r\nchcp 65001 >nul\r\ncd /d " + quote(dir) + "\r\n" + strings.Join(words, " ") + "\r\npause\r\n"
}
