package term

import (
	"strconv"
	"strings"

	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/colorprofile"
	"github.com/charmbracelet/x/ansi"
)

// A Ground is what a terminal writes on.
type Ground int

// Of an unknown ground, colours are such as can be read on white and on black.
const (
	Unknown Ground = iota
	Light
	Dark
)

// A palette is the colours of the styles: as a terminal knows them by number, or as red,
// green and blue. What is empty has the colour of all text.
type palette struct{ dim, accent, good, warn, bad string }

// palettes are those for 16, for 256 and for all colours. Each can be read on its ground,
// at 4.5:1 and more by the formula of WCAG 2.2 (a test measures it). No tone of 16 can be
// read on every ground: where it is unknown, text is bold or plain there.
var palettes = map[Ground][3]palette{
	Unknown: {{}, {"243", "63", "29", "131", "163"}, {"#71767b", "#158095", "#18864f", "#a36904", "#dd313f"}},
	Light:   {{"", "4", "", "", "1"}, {"241", "24", "22", "94", "124"}, {"#606468", "#126d7f", "#147243", "#8a5904", "#c11f2d"}},
	Dark:    {{"", "14", "10", "11", ""}, {"247", "44", "41", "214", "210"}, {"#9fa2a6", "#1db1ce", "#21b96d", "#e19006", "#eb848c"}},
}

// The styles.
var (
	Strong = Style{lipgloss.NewStyle().Bold(true)}
	Dim    = Style{lipgloss.NewStyle()}
	Accent = Dim
	Title  = Strong
	Good   = Strong
	Warn   = Strong
	Bad    = Strong
)

func init() { use(colorprofile.TrueColor, Unknown) }

// use sets the styles to those of a palette.
func use(profile colorprofile.Profile, ground Ground) {
	p := palettes[ground][0]
	switch profile {
	case colorprofile.TrueColor:
		p = palettes[ground][2]
	case colorprofile.ANSI256:
		p = palettes[ground][1]
	}
	in := func(style lipgloss.Style, color string) Style {
		if color != "" {
			style = style.Foreground(lipgloss.Color(color))
		}
		return Style{style}
	}
	Dim, Accent = in(lipgloss.NewStyle(), p.dim), in(lipgloss.NewStyle(), p.accent)
	bold := lipgloss.NewStyle().Bold(true)
	Title, Good, Warn, Bad = in(bold, p.accent), in(bold, p.good), in(bold, p.warn), in(bold, p.bad)
}

// groundIn is what a colour is for a ground, as a terminal says it: rgb:ffff/ffff/ffff.
func groundIn(text string) Ground {
	c := ansi.XParseColor(text)
	if c == nil {
		return Unknown
	}
	r, g, b, _ := c.RGBA()
	if luma := (2126*r + 7152*g + 722*b) / 10000; luma > 0x8000 {
		return Light
	}
	return Dark
}

// groundOf is what the environment says of the ground: the person, or the terminal, whose
// COLORFGBG ends in the number of the colour of the ground.
func groundOf(env []string) Ground {
	known := map[string]string{}
	for _, kv := range env {
		name, v, _ := strings.Cut(kv, "=")
		known[name] = v
	}
	switch strings.ToLower(known["VESTIBULA_GROUND"]) {
	case "light":
		return Light
	case "dark":
		return Dark
	}
	text := known["COLORFGBG"]
	switch n, err := strconv.Atoi(text[strings.LastIndexByte(text, ';')+1:]); {
	case err != nil:
		return Unknown
	case n == 7 || n == 15:
		return Light
	case n < 7 || n == 8:
		return Dark
	}
	return Unknown
}
