package collation

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// The whole conformance test of CLDR 41 for the root table, where signs count
// (CollationTest_CLDR_NON_IGNORABLE_SHORT.txt, without its comments): each line must not
// stand before the one above it.
func TestTheRootTableConforms(t *testing.T) {
	f, err := os.Open("testdata/CollationTest_CLDR_NON_IGNORABLE.txt.gz")
	require.NoError(t, err)
	defer f.Close()
	unzipped, err := gzip.NewReader(f)
	require.NoError(t, err)
	c := Root().Collator()
	var before []byte
	last, n := "", 0
	for s := bufio.NewScanner(unzipped); s.Scan(); {
		var text []rune
		for _, p := range strings.Fields(s.Text()) {
			r, err := strconv.ParseInt(p, 16, 32)
			require.NoError(t, err)
			text = append(text, rune(r))
		}
		switch {
		case len(text) == 0, text[0] >= 0xD800 && text[0] < 0xE000:
			continue // half a character is none
		case text[0] >= 0x2B739 && text[0] <= 0x2B73F:
			continue // assigned since, and an ideograph now
		}
		n++
		key := c.AppendKey(nil, string(text))
		require.LessOrEqual(t, bytes.Compare(before, key), 0, "%s stands before %s", s.Text(), last)
		before, last = key, s.Text()
	}
	assert.Greater(t, n, 176_000)
}

// Comparing is the same as comparing keys, whatever the texts are.
func TestComparingIsComparingKeys(t *testing.T) {
	text := rapid.OneOf(rapid.StringOf(rapid.SampledFrom([]rune("abAB01l·é\u0301\u0327 _-.本한🗂ﬁĿ"))), rapid.String())
	rapid.Check(t, func(t *rapid.T) {
		begin := text.Draw(t, "begin")
		a, b := begin+text.Draw(t, "a"), begin+text.Draw(t, "b")
		for _, table := range []*Table{Root(), CLibrary()} {
			c := table.Collator()
			assert.Equal(t, bytes.Compare(c.AppendKey(nil, a), c.AppendKey(nil, b)), sign(c.Compare(a, b)), "%q and %q", a, b)
		}
	})
}

func sign(n int) int {
	switch {
	case n < 0:
		return -1
	case n > 0:
		return 1
	}
	return 0
}
