package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/outline"
	"vestibula/core/template"
)

// called runs the program in a folder of its own, and returns what it prints and its status.
func called(t *testing.T, args ...string) (out string, status int) {
	t.Chdir(t.TempDir())
	var b bytes.Buffer
	a := &app{in: strings.NewReader(""), out: &b, err: &b, now: time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC), version: Version, state: filepath.Join(t.TempDir(), "state")}
	status = a.run(args)
	return b.String(), status
}

// Whoever leaves out a letter of an option is told which one they most likely meant, by each
// command, and where to read on.
func TestEachOptionIsFoundDespiteASlip(t *testing.T) {
	for _, c := range Command().Commands() {
		name := c.Name()
		for _, f := range options(c) {
			if len(f.Name) < 5 || f.Name == "no-color" {
				continue
			}
			for _, slip := range []string{f.Name[:len(f.Name)-1], f.Name[:2] + f.Name[3:], f.Name + "s"} {
				if c.Flags().Lookup(slip) != nil || c.InheritedFlags().Lookup(slip) != nil {
					continue
				}
				out, status := called(t, name, "--"+slip)
				assert.Equal(t, statusUnclear, status, "%s --%s", name, slip)
				assert.Contains(t, out, "there is no option --"+slip)
				near := false
				for _, other := range options(c) { // of two that are as near, either will do
					near = near || strings.Contains(out, "did you mean --"+other.Name+"?")
				}
				assert.True(t, near, "%s --%s:\n%s", name, slip, out)
				assert.Contains(t, out, "what there is: vestibula "+name+" --help")
			}
		}
	}
}

// An option that needs something behind it says what, in the words of its help; each value
// has a name in capitals or an example, and none that a library gives.
func TestEachOptionSaysWhatBelongsBehindIt(t *testing.T) {
	seen := 0
	for _, c := range Command().Commands() {
		for _, f := range options(c) {
			name, usage := pflag.UnquoteUsage(f)
			assert.NotEmpty(t, usage, "%s --%s", c.Name(), f.Name)
			assert.NotContains(t, []string{"int", "string", "strings", "stringArray", "stringSlice", "value"}, name, "%s --%s", c.Name(), f.Name)
			assert.False(t, strings.HasSuffix(usage, "."), "%s --%s: %s", c.Name(), f.Name, usage)
			if f.NoOptDefVal != "" && f.Value.Type() != "bool" {
				continue // it may have something behind it
			}
			if f.Value.Type() == "bool" {
				assert.Empty(t, name, "%s --%s takes nothing", c.Name(), f.Name)
				continue
			}
			seen++
			assert.NotEmpty(t, name, "%s --%s", c.Name(), f.Name)
			out, status := called(t, c.Name(), "--"+f.Name)
			assert.Equal(t, statusUnclear, status)
			assert.Contains(t, out, "--"+f.Name+" needs something behind it: "+usage)
		}
	}
	assert.Greater(t, seen, 40)
}

// Each word by which people ask for a command leads to one that there is.
func TestOtherWordsLeadToCommands(t *testing.T) {
	root := Command()
	for word, command := range alsoCalled {
		for _, c := range root.Commands() {
			require.NotEqual(t, word, c.Name(), "it is a command by itself")
		}
		out, status := called(t, word)
		assert.Equal(t, statusUnclear, status)
		assert.Contains(t, out, "did you mean "+command+"?", word)
		help, status := called(t, command, "--help")
		assert.Zero(t, status)
		assert.Contains(t, help, "vestibula "+command)
	}
}

// What help language shows can be built, and its words are those of the language.
func TestTheLanguageOnAScreenIsTheLanguage(t *testing.T) {
	out, status := called(t, "help", "language")
	require.Zero(t, status)
	sample, rest, found := strings.Cut(out, "In a name")
	require.True(t, found)
	var lines []string
	for line := range strings.Lines(sample) {
		if text, indented := strings.CutPrefix(line, "  "); indented {
			lines = append(lines, text)
		}
	}
	tpl, err := template.Parse("sample", strings.Join(lines, ""), nil)
	require.NoError(t, err, strings.Join(lines, ""))
	values, wrong := tpl.ParseValues(map[string]template.Raw{"client": {Text: "Oriel Pask"}, "received": {Text: "2027-03-09"}}, time.Now())
	require.Empty(t, wrong)
	x, err := tpl.Tree(tpl.Complete(values, time.Now()), 100)
	require.NoError(t, err)
	var names []string
	for at := range x.Root.All() {
		names = append(names, at)
	}
	assert.Equal(t, []string{"2027-03 Oriel Pask", "2027-03 Oriel Pask/01 Agreement", "2027-03 Oriel Pask/02 Work", "2027-03 Oriel Pask/02 Work/01 survey", "2027-03 Oriel Pask/02 Work/02 repair", "2027-03 Oriel Pask/90 Settled"}, names)
	for _, word := range append(outline.Words(), outline.HeaderKeys()...) {
		assert.Contains(t, rest, word)
	}
}

// A text for a message that comes from elsewhere stays in one line, whatever it holds.
func TestNamesOfOthersCannotMakeLinesOfTheirOwn(t *testing.T) {
	t.Chdir(t.TempDir())
	for _, name := range []string{"a\nvestibula: Built 100 folders", "b\r\x1b[2J", "c\u202egpj.txt"} {
		out, status := called(t, "show", name)
		assert.Equal(t, statusUnclear, status)
		for _, bad := range []string{"\x1b", "\r", "\u202e", "\nvestibula: Built"} {
			assert.NotContains(t, out, bad, "%q", name)
		}
		out, _ = called(t, name)
		assert.NotContains(t, out, "\nvestibula: Built", "%q", name)
	}
	_, err := os.Stat("a")
	assert.Error(t, err)
}

// A command that is made alone is the one that its word names, and knows all of its options.
func TestACallMakesTheCommandThatItNames(t *testing.T) {
	a := &app{in: strings.NewReader(""), out: &bytes.Buffer{}, err: &bytes.Buffer{}}
	a.prepare()
	for _, c := range Command().Commands() {
		if c.Name() == "help" || c.Name() == "completion" {
			continue
		}
		list := a.root([]string{c.Name()}).Commands()
		require.Len(t, list, 1, c.Name())
		assert.Equal(t, c.Name(), list[0].Name())
		assert.Equal(t, c.Flags().FlagUsages(), list[0].Flags().FlagUsages())
	}
}
