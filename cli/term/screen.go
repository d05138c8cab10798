// Package term draws: colours, trees, tables and messages on a terminal, and
// the same without any ornament where the output goes to a file or a program.
package term

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"unicode"
	"unicode/utf16"
	"unicode/utf8"

	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/colorprofile"
	"github.com/charmbracelet/x/ansi"
	xterm "golang.org/x/term"
)

// A Shown is a text that can be sent to a terminal: one that this program wrote, or
// that went through [Visible]. A plain string does not become one by itself, and
// nobody but this package converts one: a test holds that.
type Shown string

// A Style is a look.
type Style struct{ lipgloss.Style }

// Render returns a text in the style.
func (s Style) Render(text Shown) Shown { return Shown(s.Style.Render(string(text))) }

// Italic returns the style with slanted letters.
func (s Style) Italic() Style { return Style{s.Style.Italic(true)} }

// Plain returns the style without bold letters.
func (s Style) Plain() Style { return Style{s.Style.Bold(false)} }

// Sprintf formats as [fmt.Sprintf] does; every text among the arguments that is
// none of this program's is made visible.
func Sprintf(format Shown, args ...any) Shown {
	for i, a := range args {
		switch a := a.(type) {
		case Shown:
		case string:
			args[i] = Visible(a)
		case error:
			args[i] = Visible(a.Error())
		case fmt.Stringer:
			args[i] = Visible(a.String())
		}
	}
	return Shown(fmt.Sprintf(string(format), args...))
}

// Join joins texts.
func Join(parts []Shown, separator Shown) Shown {
	var b strings.Builder
	for i, p := range parts {
		if i > 0 {
			b.WriteString(string(separator))
		}
		b.WriteString(string(p))
	}
	return Shown(b.String())
}

// Spaces returns so many spaces.
func Spaces(n int) Shown { return Shown(strings.Repeat(" ", max(n, 0))) }

// A Screen is where something is drawn.
type Screen struct {
	out      io.Writer
	Width    int  // in columns; 0 where lines are not cut
	Terminal bool // a person is looking
	failed   error
}

// unknownWidth is how wide a terminal is taken for that does not say it.
const unknownWidth = 80

// NewScreen returns the screen that w is, with the colours that it can show in
// the environment env (as from [os.Environ]).
func NewScreen(w io.Writer, env []string, noColor bool) *Screen {
	s := &Screen{}
	if f, ok := w.(*os.File); ok && xterm.IsTerminal(int(f.Fd())) {
		s.Terminal = true
		s.Width = unknownWidth
		if width, _, err := xterm.GetSize(int(f.Fd())); err == nil && width > 0 {
			s.Width = width
		}
	}
	profile := colorprofile.NoTTY
	if s.Terminal {
		if profile = colorprofile.Detect(w, env); noColor {
			profile = colorprofile.ASCII
		}
		ground := groundOf(env)
		if ground == Unknown && profile >= colorprofile.ANSI && !slices.Contains(env, "TERM=dumb") {
			ground = askedGround()
		}
		use(profile, ground)
	}
	s.out = &colorprofile.Writer{Forward: w, Profile: profile}
	return s
}

// Line writes one line, cut to the width of the screen.
func (s *Screen) Line(parts ...Shown) { s.print(s.cut(Join(parts, ""))) }

// Whole writes one line, however long: one that a person may want to copy.
func (s *Screen) Whole(text Shown) { s.print(text) }

// near is whether the last line on the terminal holds something.
var near atomic.Bool

// Apart reports whether what is written next stands apart from what was written before.
func Apart() bool { return !near.Load() }

func (s *Screen) print(text Shown) {
	if s.Terminal {
		near.Store(text != "" && !strings.HasSuffix(string(text), "\n"))
	}
	if _, err := fmt.Fprintln(s.out, string(text)); err != nil && s.failed == nil {
		s.failed = err
	}
}

// Erase clears the line of the cursor and so many above it.
func (s *Screen) Erase(lines int) {
	if s.Terminal {
		if lines > 0 {
			fmt.Fprintf(s.out, "\x1b[%dA", lines)
		}
		fmt.Fprint(s.out, "\r\x1b[J")
	}
}

// Err is the first error of writing.
func (s *Screen) Err() error { return s.failed }

// Text writes a text, broken into lines at the width of the screen.
func (s *Screen) Text(text Shown) {
	if s.Width > 0 {
		text = Join(Wrapped(text, s.Width), "\n")
	}
	s.print(text)
}

// call is a command that a person is told to type, at the end of a line.
var call = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile("(^|: )((?:\x1b\\[[0-9;]*m)*vestibula .*)$") })

// noBreak stands for a hyphen, behind which no line is broken: in a day, a name or an option. It is
// a sign that Visible lets nobody else have.
const noBreak = "\U0010FFFD"

// Wrapped breaks a text into lines of so many columns at the most. A command to be typed
// is never broken: where it has no room behind what it is good for, it is a line of its own, two
// columns in, which only the window breaks.
func Wrapped(text Shown, columns int) (lines []Shown) {
	for line := range strings.SplitSeq(string(text), "\n") {
		if ansi.StringWidth(line) <= columns {
			lines = append(lines, Shown(line))
			continue
		}
		typed := ""
		if at := call().FindStringSubmatchIndex(line); at != nil {
			line, typed = strings.TrimRight(line[:at[4]], " "), line[at[4]:]
		}
		if line != "" {
			broken := ansi.Wrap(strings.ReplaceAll(line, "-", noBreak), columns, "")
			for part := range strings.SplitSeq(strings.ReplaceAll(broken, noBreak, "-"), "\n") {
				lines = append(lines, Shown(part))
			}
		}
		if typed != "" {
			lines = append(lines, Spaces(2)+Shown(typed))
		}
	}
	return lines
}

// IsCall reports whether a line is a command to be typed, as Wrapped sets it apart.
func IsCall(line Shown) bool { return strings.HasPrefix(ansi.Strip(string(line)), "  vestibula ") }

func (s *Screen) cut(line Shown) Shown {
	if s.Width > 0 {
		return Cut(line, s.Width)
	}
	return line
}

// Cut shortens a line to a number of columns; an ellipsis shows that it did.
func Cut(line Shown, columns int) Shown {
	if Columns(line) > columns {
		return Shown(ansi.Truncate(string(line), columns, "…"))
	}
	return line
}

// CutFront shortens a line to a number of columns, leaving out what it begins with.
func CutFront(line Shown, columns int) Shown {
	if n := Columns(line); n > columns {
		return Shown(ansi.TruncateLeft(string(line), n-columns+1, "…"))
	}
	return line
}

// Columns returns how many columns a text takes, by grapheme clusters.
func Columns(s Shown) int { return ansi.StringWidth(string(s)) }

// Pad fills a text with spaces up to a number of columns.
func Pad(s Shown, columns int) Shown { return s + Spaces(columns-Columns(s)) }

// Names, if it is not nil, writes addresses in a text as a person does.
var Names func(text string) string

// Called is a text in which addresses on drives stand as a person writes them.
func Called(s string) string {
	if Names == nil || !strings.Contains(s, ":/") && !strings.Contains(s, `:\`) {
		return s
	}
	return Names(s)
}

// Visible returns a name with its control characters, and those that change the
// direction of writing, shown as their codes. A terminal would obey them.
//
// It is the one gate through which texts of others reach a terminal.
func Visible(s string) Shown {
	s = Called(s)
	if strings.IndexFunc(s, hidden) < 0 && utf8.ValidString(s) {
		return Shown(s)
	}
	var b strings.Builder
	for i, r := range s {
		switch {
		case r == utf8.RuneError && !strings.HasPrefix(s[i:], "\uFFFD"):
			fmt.Fprintf(&b, "‹%02X›", s[i])
		case hidden(r):
			fmt.Fprintf(&b, "‹U+%04X›", r)
		default:
			b.WriteRune(r)
		}
	}
	return Shown(b.String())
}

func hidden(r rune) bool {
	return unicode.IsControl(r) || unicode.Is(unicode.Cf, r) && r != '\u200D' || r == '\u2028' || r == '\u2029' || string(r) == noBreak
}

// Count writes a number with its noun: "1 folder", "12,000 folders".
func Count(n int, noun Shown) Shown {
	if n != 1 {
		noun += "s"
	}
	return Number(n) + " " + noun
}

// Number writes a number with commas between the thousands.
func Number(n int) Shown {
	s := fmt.Sprint(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return Shown(s)
}

// Lines makes each line of a text visible.
func Lines(text string) Shown {
	var lines []Shown
	for l := range strings.SplitSeq(text, "\n") {
		lines = append(lines, Visible(l))
	}
	return Join(lines, "\n")
}

// Typed is a line at which somebody types, as the library draws it: it lets no character through that a terminal obeys.
func Typed(view string) Shown { return Shown(view) }

// Size writes a number of bytes.
func Size(bytes int64) Shown {
	const unit = 1000
	if bytes < unit {
		return Count(int(bytes), "byte")
	}
	value, prefix := float64(bytes), 0
	for value >= unit && prefix < 5 {
		value, prefix = value/unit, prefix+1
	}
	return Sprintf("%.1f %cB", value, " kMGTP"[prefix])
}

// EscapeJSON writes the characters of a JSON text that a terminal would obey as
// their codes. They can stand in its texts only.
func EscapeJSON(data []byte) []byte {
	if bytes.IndexFunc(data, func(r rune) bool { return hidden(r) && r != '\n' }) < 0 {
		return data
	}
	var b bytes.Buffer
	for _, r := range string(data) {
		switch {
		case r == '\n' || !hidden(r):
			b.WriteRune(r)
		case r > 0xFFFF:
			high, low := utf16.EncodeRune(r)
			fmt.Fprintf(&b, `\u%04x\u%04x`, high, low)
		default:
			fmt.Fprintf(&b, `\u%04x`, r)
		}
	}
	return b.Bytes()
}

// Drawn is what is drawn on a screen that looks as this one, line by line, cut to a number of
// columns; 0 cuts none.
func (s *Screen) Drawn(columns int, draw func(on *Screen)) (lines []Shown) {
	var out bytes.Buffer
	on := *s
	on.out, on.Width, on.failed = &out, columns, nil
	if colours, ok := s.out.(*colorprofile.Writer); ok {
		on.out = &colorprofile.Writer{Forward: &out, Profile: colours.Profile}
	}
	draw(&on)
	for line := range strings.SplitSeq(strings.Trim(out.String(), "\n"), "\n") {
		lines = append(lines, Shown(line))
	}
	return lines
}
