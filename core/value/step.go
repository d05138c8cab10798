package value

import (
	"strconv"
	"strings"
)

// Stepped takes the step from what stands in front of a slot's colon: `month - 1`.
// The spaces are required, since a name can hold a hyphen.
func Stepped(text string) (field string, step int) {
	for _, sign := range []string{" + ", " - "} {
		if before, after, found := strings.Cut(text, sign); found {
			if n, err := strconv.Atoi(strings.TrimSpace(after)); err == nil && n >= 0 && n <= MaxStep {
				if sign == " - " {
					n = -n
				}
				return strings.TrimSpace(before), n
			}
		}
	}
	return text, 0
}

// MaxStep is how many steps a slot may go.
const MaxStep = 100_000
