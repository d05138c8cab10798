// Package term draws: colours, trees, tables and messages on a terminal, and
// the same without any ornament where the output goes to a file or a program.
package term

import (
	"fmt"
	"io"
	"os"
	"strings"
	"unicode"
	"unicode/utf8"

	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/colorprofile"
	"github.com/charmbracelet/x/ansi"
	xterm "golang.org/x/term"
)

// The styles, in tones that can be read on light and on dark grounds alike.
var (
	Strong = lipgloss.NewStyle().Bold(true)
	Dim    = lipgloss.NewStyle().Foreground(lipgloss.Color("244"))
	Accent = lipgloss.NewStyle().Foreground(lipgloss.Color("30"))
	Title  = lipgloss.NewStyle().Foreground(lipgloss.Color("30")).Bold(true)
	Good   = lipgloss.NewStyle().Foreground(lipgloss.Color("29")).Bold(true)
	Warn   = lipgloss.NewStyle().Foreground(lipgloss.Color("136")).Bold(true)
	Bad    = lipgloss.NewStyle().Foreground(lipgloss.Color("160")).Bold(true)
)

// A Screen is where something is drawn.
type Screen struct {
	out      io.Writer
	Width    int  // in columns; 0 where lines are not cut
	Terminal bool // a person is looking
}

// NewScreen returns the screen that w is, with the colours that it can show in
// the environment env (as from [os.Environ]).
func NewScreen(w io.Writer, env []string, noColor bool) *Screen {
	s := &Screen{}
	if f, ok := w.(*os.File); ok && xterm.IsTerminal(int(f.Fd())) {
		s.Terminal = true
		if width, _, err := xterm.GetSize(int(f.Fd())); err == nil {
			s.Width = width
		}
	}
	profile := colorprofile.NoTTY
	if s.Terminal {
		if profile = colorprofile.Detect(w, env); noColor {
			profile = colorprofile.ASCII
		}
	}
	s.out = &colorprofile.Writer{Forward: w, Profile: profile}
	return s
}

// Line writes one line, cut to the width of the screen.
func (s *Screen) Line(parts ...string) {
	fmt.Fprintln(s.out, s.cut(strings.Join(parts, "")))
}

// Text writes a text, broken into lines at the width of the screen.
func (s *Screen) Text(text string) {
	if s.Width > 0 {
		text = ansi.Wordwrap(text, s.Width, "")
	}
	fmt.Fprintln(s.out, text)
}

func (s *Screen) cut(line string) string {
	if s.Width > 0 {
		return Cut(line, s.Width)
	}
	return line
}

// Cut shortens a line to a number of columns; an ellipsis shows that it did.
func Cut(line string, columns int) string {
	if ansi.StringWidth(line) > columns {
		return ansi.Truncate(line, columns, "…")
	}
	return line
}

// Columns returns how many columns a text takes, by grapheme clusters.
func Columns(s string) int { return ansi.StringWidth(s) }

// Pad fills a text with blanks up to a number of columns.
func Pad(s string, columns int) string {
	return s + strings.Repeat(" ", max(0, columns-Columns(s)))
}

// Visible returns a name with its control characters, and those that change the
// direction of writing, shown as their codes. A terminal would obey them.
func Visible(s string) string {
	if strings.IndexFunc(s, hidden) < 0 && utf8.ValidString(s) {
		return s
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
	return b.String()
}

func hidden(r rune) bool {
	return unicode.IsControl(r) || unicode.Is(unicode.Cf, r) && r != '\u200D' || r == '\u2028' || r == '\u2029'
}

// Count writes a number with its noun: "1 folder", "12,000 folders".
func Count(n int, noun string) string {
	if n != 1 {
		noun += "s"
	}
	return Number(n) + " " + noun
}

// Number writes a number with commas between the thousands.
func Number(n int) string {
	s := fmt.Sprint(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// Lines makes each line of a text visible.
func Lines(text string) string {
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		lines[i] = Visible(l)
	}
	return strings.Join(lines, "\n")
}

// Size writes a number of bytes.
func Size(bytes int64) string {
	const unit = 1000
	if bytes < unit {
		return Count(int(bytes), "byte")
	}
	value, prefix := float64(bytes), 0
	for value >= unit && prefix < 5 {
		value, prefix = value/unit, prefix+1
	}
	return fmt.Sprintf("%.1f %cB", value, " kMGTP"[prefix])
}
