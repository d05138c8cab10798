package rules

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
)

func systemRules() []*rule {
	return []*rule{{
		name:  "systems",
		about: "Every name can exist on each of these systems.",
		why: "A name that another system refuses stops a copy in the middle, or comes out changed: reserved characters, names of devices, dots and spaces at the end, " +
			"more than 255 units, and characters that a web address can only show as codes.",
		set:  "systems: [windows, mac, linux, web]",
		bad:  "Commission\n    Aux\n    Prices.",
		good: "Commission\n    Auxiliary\n    Prices",

		schema:   map[string]any{"type": "array", "items": map[string]any{"enum": systemNames}, "minItems": 1, "uniqueItems": true},
		standard: "[windows, mac, linux]", configure: systems,
	}}
}

var systemNames = []string{"windows", "mac", "linux", "web"}

// systems: every name can exist on each of these systems.
func systems(c *context) (check, error) {
	n := c.setting
	wanted := n.Texts()
	if n.Kind == template.Mapping || n.Kind == template.Null || len(wanted) == 0 {
		return check{}, fmt.Errorf("needs a list of %s", strings.Join(systemNames, ", "))
	}
	for _, s := range wanted {
		if !slices.Contains(systemNames, s) {
			return check{}, unknown("system", s, systemNames)
		}
	}
	on := func(s string) bool { return slices.Contains(wanted, s) }
	windows, mac, linux, web := on("windows"), on("mac"), on("linux"), on("web")
	return check{folder: func(f *Folder, report func(Finding)) {
		for _, c := range f.Node.Children {
			fail := func(severity Severity, message Message, help string) {
				finding := Finding{Rule: "systems", Severity: severity, Line: f.line(c), Path: f.Path(c), Message: message, Help: help}
				if name := strings.TrimRight(c.Name, ". "); name != c.Name {
					finding.Fix = f.renaming(c, name, true)
				} else if strings.ContainsAny(c.Name, pattern.Reserved) || strings.ContainsFunc(c.Name, unicode.IsControl) {
					name, _ := pattern.Clean(c.Name)
					finding.Fix = f.renaming(c, name, false)
				}
				report(finding)
			}
			if !utf8.ValidString(c.Name) {
				fail(Error, say("%s holds bytes that are no text (UTF-8): other systems show it garbled, or refuse it", shown(c.Name)), "rename it")
				continue
			}
			if windows {
				windowsName(c, fail)
			}
			if (mac || linux) && strings.ContainsAny(c.Name, "/:") && c.Marks&tree.Open == 0 {
				fail(Error, say("“%s” holds a slash or a colon, which macOS or Linux refuse", c.Name), "use a hyphen")
			}
			if linux && len(c.Name) > 255 {
				fail(Error, say("“%s” has %d bytes; Linux takes 255", c.Name, len(c.Name)), "shorten it")
			}
			if (windows || mac) && len(c.Name) > 255 && utf16Len(c.Name) > 255 {
				fail(Error, say("“%s” has %d characters; Windows and macOS take 255", c.Name, utf16Len(c.Name)), "shorten it")
			}
			if web && c.Marks&tree.Open == 0 {
				webName(c.Name, fail)
			}
		}
	}}, nil
}

// windowsName finds what Windows refuses (Microsoft, "Naming Files, Paths, and
// Namespaces").
func windowsName(c *tree.Node, fail func(Severity, Message, string)) {
	name := c.Name
	if c.Marks&tree.Open == 0 {
		if i := strings.IndexAny(name, pattern.Reserved); i >= 0 {
			fail(Error, say("“%s” holds %c, which Windows refuses", name, name[i]), "use a hyphen")
		}
	}
	if i := strings.IndexFunc(name, unicode.IsControl); i >= 0 {
		r, _ := utf8.DecodeRuneInString(name[i:])
		fail(Error, say("“%s” holds the control character U+%04X, which Windows refuses", name, r), "remove it")
	}
	switch name[len(name)-1] {
	case '.':
		fail(Error, say("“%s” ends in a dot, which Windows drops without a word", name), "leave the dot out")
	case ' ':
		fail(Error, say("“%s” ends in a space, which Windows drops without a word", name), "leave the space out")
	}
	if device := deviceName(name); device != "" {
		fail(Error, say("“%s” cannot exist on Windows: %s is the name of a device there", name, device), "add a word to it, or choose another")
	}
}

// devices are the names that Windows keeps for itself, with any ending. The
// digits of serial and parallel ports may be superscript.
var devices = sync.OnceValue(func() map[string]bool {
	m := map[string]bool{"CON": true, "PRN": true, "AUX": true, "NUL": true, "CONIN$": true, "CONOUT$": true}
	for _, d := range "0123456789¹²³" {
		m["COM"+string(d)], m["LPT"+string(d)] = true, true
	}
	return m
})

func deviceName(name string) string {
	if len(name) < 3 || !strings.ContainsRune("CPANLcpanl", rune(name[0])) {
		return ""
	}
	stem, _, _ := strings.Cut(name, ".")
	if stem = strings.ToUpper(strings.TrimRight(stem, " ")); devices()[stem] {
		return stem
	}
	return ""
}

// webName finds what a web address shows as a percent sign and digits: all but
// the unreserved characters of RFC 3986.
func webName(name string, fail func(Severity, Message, string)) {
	for _, r := range name {
		if r < 0x80 && (unicode.IsLetter(r) || unicode.IsDigit(r) || strings.ContainsRune("-._~", r)) {
			continue
		}
		what := fmt.Sprintf("the character %c", r)
		if r == ' ' {
			what = "a space"
		}
		fail(Warning, say("“%s” holds %s, which a web address can only show as a code", name, what), "use plain letters, digits and hyphens")
		return
	}
}

func utf16Len(s string) int {
	n := 0
	for _, r := range s {
		if n++; r > 0xFFFF {
			n++
		}
	}
	return n
}
