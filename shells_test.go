package main

import (
	"encoding/json"
	"os"
	"os/exec"
	"regexp"
	"sort"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Each shell that is there reads what is printed for it, and completes with it: in a bash without the package
// bash-completion, too.
func TestShellsComplete(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "job.folders", "---\nfields: { client: Who?, kind: { of: [BK, MP] } }\n---\n<client>\n    Letters\n")
	d.must("build", "job", "client=Oriel Pask", "kind=BK", "--into", ".", "--yes")
	bash := func(words ...string) string {
		line := strings.NewReplacer(" = ", "=", " : ", ":").Replace(strings.Join(words, " "))
		quoted := make([]string, len(words))
		for i, w := range words {
			quoted[i] = "'" + w + "'"
		}
		return "source <(vestibula completion bash); COMP_LINE='" + line + "'; COMP_POINT=${#COMP_LINE}; COMP_WORDS=(" + strings.Join(quoted, " ") + "); COMP_CWORD=$((${#COMP_WORDS[@]} - 1)); __start_vestibula; printf '%s\\n' \"${COMPREPLY[@]}\""
	}
	zsh := func(line string) string {
		return "compdef() { :; }; source <(vestibula completion zsh) 2>/dev/null; _describe() { print -l -- ${(P)3} ${(P)2}; }; words=(" + line + "); CURRENT=${#words}; _vestibula"
	}
	for _, c := range []struct {
		shell []string
		line  string
		want  []string
	}{
		{[]string{"bash", "--norc", "--noprofile", "-c"}, bash("vestibula", "bui"), []string{"build"}},
		{[]string{"bash", "--norc", "--noprofile", "-c"}, bash("vestibula", "build", "jo"), []string{"job"}},
		{[]string{"bash", "--norc", "--noprofile", "-c"}, bash("vestibula", "build", "job", "kind", "=", ""), []string{"BK", "MP"}},
		{[]string{"bash", "--norc", "--noprofile", "-c"}, bash("vestibula", "projects", ".", "--where", "client", "=", "Or"), []string{`Oriel\ Pask`}},
		{[]string{"zsh", "-f", "-c"}, zsh("vestibula bui"), []string{"build"}},
		{[]string{"zsh", "-f", "-c"}, zsh("vestibula build jo"), []string{"job"}},
		{[]string{"fish", "--no-config", "-c"}, "vestibula completion fish | source; complete -C 'vestibula bui'", []string{"build"}},
		{[]string{"fish", "--no-config", "-c"}, "vestibula completion fish | source; complete -C 'vestibula build job kind='", []string{"kind=BK", "kind=MP"}},
		{[]string{"pwsh", "-NoProfile", "-c"}, "vestibula completion powershell | Out-String | Invoke-Expression; (TabExpansion2 'vestibula bui' 13).CompletionMatches.CompletionText", []string{"build"}},
	} {
		if _, err := exec.LookPath(c.shell[0]); err != nil {
			continue // each is tried where it is
		}
		out, status := d.exec(c.shell[0], append(c.shell[1:], c.line)...)
		assert.Zero(t, status, "%s: %s", c.line, out)
		for _, want := range c.want {
			assert.Contains(t, out, want, "%s %s", c.shell[0], c.line)
		}
	}
	out, _ := d.run("__complete", "put", "--")
	assert.NotContains(t, out, "`", "what options say of themselves is read as it is")
}

// jsonKeys are the keys of all that was printed with --json in these tests, by command; each has to stand in the
// document about it.
var jsonKeys = struct {
	sync.Mutex
	of map[string]map[string]bool
}{of: map[string]map[string]bool{}}

// noteJSON notes the keys of what was printed.
func noteJSON(args []string, out string) {
	printed, command := false, ""
	for _, a := range args {
		printed = printed || a == "--json"
		if command == "" && !strings.HasPrefix(a, "-") {
			command = a
		}
	}
	if !printed {
		return
	}
	dec := json.NewDecoder(strings.NewReader(out[max(strings.IndexAny(out, "{["), 0):]))
	for {
		var v any
		if dec.Decode(&v) != nil {
			return
		}
		jsonKeys.Lock()
		if jsonKeys.of[command] == nil {
			jsonKeys.of[command] = map[string]bool{}
		}
		keysOf(v, jsonKeys.of[command])
		jsonKeys.Unlock()
	}
}

// ownKeys are those under which names of a person's fields, or of conventions, stand.
var ownKeys = map[string]bool{"values": true, "fields": true, "given": true, "says": true, "project-values": true}

func keysOf(v any, into map[string]bool) {
	switch v := v.(type) {
	case []any:
		for _, x := range v {
			keysOf(x, into)
		}
	case map[string]any:
		for key, x := range v {
			into[key] = true
			if _, inner := x.(map[string]any); inner && ownKeys[key] {
				continue
			}
			keysOf(x, into)
		}
	}
}

// undocumented are keys that were printed and stand in no document.
func undocumented() (list []string) {
	text, err := os.ReadFile("docs/json.md")
	if err != nil {
		return []string{err.Error()}
	}
	known := map[string]bool{}
	for _, m := range regexp.MustCompile("`([a-z-]+)`").FindAllStringSubmatch(string(text), -1) {
		known[m[1]] = true
	}
	for _, m := range regexp.MustCompile(`"([a-z-]+)":`).FindAllStringSubmatch(string(text), -1) {
		known[m[1]] = true
	}
	for command, keys := range jsonKeys.of {
		for key := range keys {
			if !known[key] {
				list = append(list, command+": "+key)
			}
		}
	}
	sort.Strings(list)
	return list
}

// The page about JSON says what each command that prints it prints.
func TestThePageAboutJSONHasASectionForEachCommand(t *testing.T) {
	text, err := os.ReadFile("docs/json.md")
	require.NoError(t, err)
	for _, command := range []string{"check", "show", "build", "guide", "compare", "projects", "put", "rename", "read", "name", "upgrade", "next", "archive", "backup", "undo", "history", "draft", "templates", "tick", "do", "add"} {
		assert.Contains(t, string(text), command)
	}
}
