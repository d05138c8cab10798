package digest

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The sums are those of FIPS 180-2, appendix B.
func TestSumsAreThoseOfTheStandard(t *testing.T) {
	for text, want := range map[string]string{
		"abc": "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad",
		"abcdbcdecdefdefgefghfghighijhijkijkljklmklmnlmnomnopnopq": "248d6a61d20638b8e5c026930c3e6039a33ce45964ff2167f6ecedd419db06c1",
		strings.Repeat("a", 1_000_000):                             "cdc76e5c9914fb9281a1c7e284d73e67f1809a48a497200e046d39ccc7112cd0",
	} {
		assert.Equal(t, want, Bytes([]byte(text)))
		sum, err := Of(strings.NewReader(text))
		require.NoError(t, err)
		assert.Equal(t, want, sum)
		var out bytes.Buffer
		w := NewWriter(&out)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
		assert.Equal(t, want, w.Sum())
		assert.Equal(t, text, out.String())
	}
}
