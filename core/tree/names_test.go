package tree

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What a number in front is, and what a day: the one only sorts, the other says what it is.
func TestNumbersInFront(t *testing.T) {
	for name, want := range map[string][2]string{
		"01 Notes": {"Notes", "Notes"}, "_01 Notes": {"Notes", "Notes"}, "z_Old": {"Old", "Old"}, "A.02 - Notes.md": {"Notes", "Notes"}, "0003_Notes": {"Notes", "Notes"},
		"3D models": {"3D models", "3D models"}, "01 3D models": {"3D models", "3D models"}, "01": {"01", "01"}, "Notes": {"Notes", "Notes"},
		"2027-03 Notes": {"Notes", "2027-03 Notes"}, "20270309_Notes.md": {"Notes", "20270309_Notes"}, "09.03.2027 Notes": {"Notes", "09.03.2027 Notes"}, "1999 Notes": {"Notes", "1999 Notes"},
	} {
		n := &Node{Name: name, Kind: File}
		assert.Equal(t, want, [2]string{Bare(n), Unnumbered(n)}, name)
	}
	alike := func(a, b string) [3]bool {
		x, y := &Node{Name: a}, &Node{Name: b}
		return [3]bool{Renumbered(x, y), Respelled(x, y), Slipped(x, y)}
	}
	assert.Equal(t, [3]bool{true, true, true}, alike("01 Notes", "_2 Notes"))
	assert.Equal(t, [3]bool{false, true, true}, alike("01 Notes", "NOTES"))
	assert.Equal(t, [3]bool{false, false, true}, alike("01 Notes", "Ntoes"))
	assert.Equal(t, [3]bool{false, true, true}, alike("Ærø Straße", "aero-strasse"), "as a form writes it")
	assert.Equal(t, [3]bool{}, alike("2027-03 Accounts", "2028-01 Accounts"), "two months are two things")
}
