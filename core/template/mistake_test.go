package template

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/outline"
)

// A header is the lines of one that can be read, and a slot for each of its fields.
func drawHeader(t *rapid.T) (lines []string, names []string) {
	if rapid.Bool().Draw(t, "titled") {
		lines = append(lines, "title: Bookbinding commission")
	}
	if rapid.Bool().Draw(t, "about") {
		lines = append(lines, `about: "One for each: client, year"`)
	}
	lines = append(lines, "fields:")
	for i := range rapid.IntRange(1, 5).Draw(t, "fields") {
		name := fmt.Sprintf("%s%d", rapid.SampledFrom([]string{"client", "day", "kind"}).Draw(t, "name"), i)
		names = append(names, name)
		lines = append(lines, "  "+name+": "+rapid.SampledFrom([]string{"Who is it for?", "{ ask: Who?, example: Oriel }", "'What: really?'", "{ of: [BK, BX], default: BK }", "{ ask: \"Who, then?\" }"}).Draw(t, "declared"))
	}
	if rapid.Bool().Draw(t, "ruled") {
		lines = append(lines, "rules:", "  depth: 4")
	}
	return lines, names
}

func written(lines, names []string) string {
	return "---\n" + strings.Join(lines, "\n") + "\n---\n<" + strings.Join(names, "> <") + ">\n    Letters\n"
}

// A header that can be read is read without a word. One slip of the pen in one line of it
// gives one message, about that line.
func TestOneSlipInAHeaderIsOneMessageAtItsLine(t *testing.T) {
	slips := map[string]func(line, name string) string{
		"a tab":              func(line, _ string) string { return "\t" + strings.TrimSpace(line) },
		"no colon":           func(_, name string) string { return "  " + name + " Who is it" },
		"no space":           func(_, name string) string { return "  " + name + ":Who?" },
		"a colon too many":   func(_, name string) string { return "  " + name + ": Who: really?" },
		"an open quote":      func(_, name string) string { return "  " + name + `: "Who?` },
		"a sign in front":    func(_, name string) string { return "  " + name + ": @who" },
		"two words":          func(_, name string) string { return "  " + name + " too: Who?" },
		"an unquoted option": func(_, name string) string { return "  " + name + ": { of: A, B }" },
		"too far to the left": func(_, name string) string {
			return " " + name + ": Who?"
		},
	}
	rapid.Check(t, func(t *rapid.T) {
		lines, names := drawHeader(t)
		_, err := Parse("t", written(lines, names), nil)
		require.NoError(t, err, written(lines, names))

		slip := rapid.SampledFrom([]string{"a tab", "no colon", "no space", "a colon too many", "an open quote", "a sign in front", "two words", "an unquoted option", "too far to the left"}).Draw(t, "slip")
		at := rapid.IntRange(0, len(names)-1).Draw(t, "at")
		first := 0
		for i, l := range lines {
			if l == "fields:" {
				first = i + 1
			}
		}
		if slip == "too far to the left" && at == 0 {
			return // the first line says how far
		}
		lines[first+at] = slips[slip](lines[first+at], names[at])
		if slip == "two words" {
			names[at] += " too"
		}
		text := written(lines, names)
		_, err = Parse("t", text, nil)
		var errs outline.Errors
		require.ErrorAs(t, err, &errs, text)
		require.Len(t, errs, 1, "%s\n%v", text, err)
		assert.Equal(t, first+at+2, errs[0].Line, "%s\n%v", text, err)
		assert.NotEmpty(t, errs[0].Help, "it says what to write")
		assert.LessOrEqual(t, errs[0].Column, len(lines[first+at])+1)
	})
}

// Where a header stands, or ends, in a way that it should not, that is told once, and what it
// says is known all the same.
func TestAHeaderThatIsAstrayIsOneMessage(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		lines, names := drawHeader(t)
		header, rest := strings.Join(lines, "\n")+"\n", "<"+strings.Join(names, "> <")+">\n    Letters\n"
		text := rapid.SampledFrom([]string{
			header + "---\n" + rest,                     // no line above
			"---\n" + header + rest,                     // none below
			"---\n" + header + "--\n" + rest,            // two hyphens
			"---\n" + header + "————\n" + rest,          // four of another kind
			"---\n" + header + "---\n---\n" + rest,      // one too many
			"\n---\n" + header + "---\n" + rest,         // not at the top
			rest + "---\n" + header + "---\n",           // at the end
			"// mine\n" + header + "---\n" + rest,       // no line above, and a remark
			"---\r\n" + header + "----\r\n" + rest,      // of a text from Windows
			"A\n---\n" + header + "---\n    B\n" + rest, // in the middle
			header + rest,                                  // no line at all
			"\ufeff" + header + "---\n" + rest,             // with a mark in front
			"---\n" + header + "  ---  x\n---\n" + rest,    // something that is no line of a header
			"---\n" + header + "- - -\n" + rest,            // hyphens apart
			"---\n" + header + "===\n" + rest,              // another sign
			"---\n" + header + "\n\n***\n" + rest,          // and another
			"---\n" + header + "---\n\n\n---\n\n" + rest,   // one too many, further down
			"\n\n" + header + "---\n" + rest,               // spaces above
			"---\n" + header + "\n" + rest,                 // an empty line is no end
			"---\n" + header + "// a remark\n---\n" + rest, // a remark of the outline's kind
		}).Draw(t, "text")
		_, err := Parse("t", text, nil)
		if err == nil {
			return // it could be read
		}
		var errs outline.Errors
		require.ErrorAs(t, err, &errs)
		assert.Len(t, errs, 1, "%s\n%v", text, err)
	})
}
