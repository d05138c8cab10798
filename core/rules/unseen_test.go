package rules

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What nobody sees is found, whatever it is; joiners, selectors and tags that belong to
// what stands before them are seen with that.
func TestWhatNobodySees(t *testing.T) {
	for _, r := range []rune{0xAD, 0x34F, 0x61C, 0x115F, 0x1160, 0x17B4, 0x180E, 0x200B, 0x200E, 0x200F, 0x2028, 0x2029, 0x202A, 0x202E, 0x2060, 0x2066, 0x2069, 0x2800, 0x3164, 0xFEFF, 0xFFA0, 0xE0061, 0xE0100} {
		name := "a" + string(r) + "b"
		hidden, clean := unseenIn(name)
		assert.Equal(t, r, hidden, "U+%04X", r)
		assert.Equal(t, "ab", clean, "U+%04X", r)
	}
	for _, name := range []string{"👩\u200d💻 work", "❤\ufe0f", "🏴\U000e0067\U000e0062\U000e007f", "می\u200cخواهم", "葛\U000e0100", "Åsgerd", "日本", "a\u0301"} {
		hidden, _ := unseenIn(name)
		assert.Zero(t, hidden, name)
	}
}
