package term

import (
	"fmt"
	"math"
	"strconv"
	"testing"

	"github.com/charmbracelet/colorprofile"
	"github.com/stretchr/testify/assert"
)

// luminance is that of WCAG 2.2.
func luminance(hex string) float64 {
	n, err := strconv.ParseUint(hex[1:], 16, 32)
	if err != nil {
		panic(err)
	}
	part := func(shift int) float64 {
		c := float64(n>>shift&255) / 255
		if c <= 0.04045 {
			return c / 12.92
		}
		return math.Pow((c+0.055)/1.055, 2.4)
	}
	return 0.2126*part(16) + 0.7152*part(8) + 0.0722*part(0)
}

func contrast(a, b string) float64 {
	x, y := luminance(a), luminance(b)
	return (max(x, y) + 0.05) / (min(x, y) + 0.05)
}

// sixteen are the first 16 colours as terminals have them: xterm, the consoles of Linux and
// of Windows, and two desktops.
var sixteen = [][16]string{
	{"#000000", "#cd0000", "#00cd00", "#cdcd00", "#0000ee", "#cd00cd", "#00cdcd", "#e5e5e5", "#7f7f7f", "#ff0000", "#00ff00", "#ffff00", "#5c5cff", "#ff00ff", "#00ffff", "#ffffff"},
	{"#000000", "#aa0000", "#00aa00", "#aa5500", "#0000aa", "#aa00aa", "#00aaaa", "#aaaaaa", "#555555", "#ff5555", "#55ff55", "#ffff55", "#5555ff", "#ff55ff", "#55ffff", "#ffffff"},
	{"#0c0c0c", "#c50f1f", "#13a10e", "#c19c00", "#0037da", "#881798", "#3a96dd", "#cccccc", "#767676", "#e74856", "#16c60c", "#f9f1a5", "#3b78ff", "#d66bcf", "#61d6d6", "#f2f2f2"},
	{"#2e3436", "#cc0000", "#4e9a06", "#c4a000", "#3465a4", "#75507b", "#06989a", "#d3d7cf", "#555753", "#ef2929", "#8ae234", "#fce94f", "#729fcf", "#c99cc4", "#34e2e2", "#eeeeec"},
}

// tones are what a colour looks like.
func tones(color string) []string {
	if color[0] == '#' {
		return []string{color}
	}
	n, _ := strconv.Atoi(color)
	switch step := []int{0, 95, 135, 175, 215, 255}; {
	case n < 16:
		var list []string
		for _, p := range sixteen {
			list = append(list, p[n])
		}
		return list
	case n < 232:
		n -= 16
		return []string{fmt.Sprintf("#%02x%02x%02x", step[n/36], step[n/6%6], step[n%6])}
	}
	return []string{fmt.Sprintf("#%02[1]x%02[1]x%02[1]x", 8+10*(n-232))}
}

func TestColoursCanBeReadOnTheirGround(t *testing.T) {
	grounds := map[Ground][]string{
		Unknown: {"#ffffff", "#000000"},
		Light:   {"#ffffff", "#fbfaf7", "#fdf6e3", "#fffdd0"},
		Dark:    {"#000000", "#0c0c0c", "#1e1e1e", "#2d2d2d"},
	}
	for ground, list := range palettes {
		for _, p := range list {
			for _, color := range []string{p.dim, p.accent, p.good, p.warn, p.bad} {
				if color == "" {
					continue
				}
				for _, tone := range tones(color) {
					for _, under := range grounds[ground] {
						assert.GreaterOrEqual(t, contrast(tone, under), 4.5, "%s (%s) on %s", color, tone, under)
					}
				}
			}
		}
	}
	assert.InDelta(t, 21, contrast("#ffffff", "#000000"), 0.01)
	assert.InDelta(t, 4.54, contrast("#767676", "#ffffff"), 0.01)
}

func TestTheGroundIsWhatTheTerminalSays(t *testing.T) {
	for text, want := range map[string]Ground{"rgb:ffff/ffff/ffff": Light, "rgb:fdfd/f6f6/e3e3": Light, "rgb:2d2d/2d2d/2d2d": Dark, "rgb:0000/0000/0000": Dark, "#1e1e1e": Dark, "no colour": Unknown} {
		assert.Equal(t, want, groundIn(text), text)
	}
}

func TestTheGroundIsWhatTheEnvironmentSays(t *testing.T) {
	for _, c := range []struct {
		env  []string
		want Ground
	}{
		{nil, Unknown},
		{[]string{"COLORFGBG=15;0"}, Dark},
		{[]string{"COLORFGBG=0;default;15"}, Light},
		{[]string{"COLORFGBG=12;8"}, Dark},
		{[]string{"COLORFGBG=0;default"}, Unknown},
		{[]string{"COLORFGBG=12;12"}, Unknown},
		{[]string{"COLORFGBG=15;0", "VESTIBULA_GROUND=Light"}, Light},
	} {
		assert.Equal(t, c.want, groundOf(c.env), c.env)
	}
	defer use(colorprofile.TrueColor, Unknown)
	use(colorprofile.ANSI, Unknown)
	assert.Equal(t, Shown("\x1b[1merror\x1b[m"), Bad.Render("error"), "bold, and of the colour of all text")
	use(colorprofile.ANSI, Light)
	assert.Equal(t, Shown("\x1b[1;31merror\x1b[m"), Bad.Render("error"))
}
