package lookalike

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The golden list was made by ICU: see testdata/make.sh.
func TestSkeletonsAreThoseOfTheStandard(t *testing.T) {
	data, err := os.ReadFile("testdata/skeletons.txt")
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSuffix(string(data), "\n"), "\n")
	require.Len(t, lines, 2000)
	for _, line := range lines {
		name, want, _ := strings.Cut(line, "\t")
		assert.Equal(t, want, Skeleton(name), "%q", name)
	}
}

func TestWhatLooksAlike(t *testing.T) {
	for pair, want := range map[string]bool{
		"Аgreement Agreement":  true, // a Cyrillic A
		"Ιnvoices Invoices":    true, // a Greek iota
		"lnvoices Ιnvoices":    true,
		"lnvoices Invoices":    false, // both of a keyboard
		"ﬁles files":           true,
		"a\u2013b a-b":         true,
		"a\u00a0b a\u2009b":    true,
		"１ 1":                  true,
		"Réne Re\u0301ne":      false, // the same, in two forms
		"Réne Rene":            false,
		"Åsgerd1 ÅsgerdI":      false,
		"oriel-pask orielpask": false,
		"аa aа":                true, // one Cyrillic, in two places
	} {
		a, b, _ := strings.Cut(pair, " ")
		assert.Equal(t, want, Alike(a, b), pair)
		assert.Equal(t, want, Alike(b, a), pair)
	}
}
