package digest

import (
	"errors"
	"io"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// The oracle compares the texts themselves.
func TestFilesArePartedByWhatTheyHold(t *testing.T) {
	head := strings.Repeat("h", headBytes)
	rapid.Check(t, func(t *rapid.T) {
		large := rapid.Bool().Draw(t, "large")
		texts := rapid.SliceOfN(rapid.SampledFrom([]string{"aa", "ab", "ba", "bb"}), 1, 8).Draw(t, "texts")
		broken := rapid.IntRange(-1, len(texts)-1).Draw(t, "broken")
		size := int64(2)
		for i := range texts {
			if large {
				texts[i] = texts[i][:1] + head + texts[i][1:]
				size = int64(len(texts[i]))
			}
		}
		var failed []int
		parts := Same(len(texts), size, func(i int) (io.ReadCloser, error) {
			if i == broken {
				return nil, errors.New("no")
			}
			return io.NopCloser(strings.NewReader(texts[i])), nil
		}, func(i int, _ error) { failed = append(failed, i) })
		seen := map[int]bool{}
		for _, part := range parts {
			require.True(t, slices.IsSorted(part))
			for _, i := range part {
				require.False(t, seen[i])
				seen[i] = true
				require.Equal(t, texts[part[0]], texts[i])
			}
		}
		for k, part := range parts {
			for _, other := range parts[k+1:] {
				require.NotEqual(t, texts[part[0]], texts[other[0]])
			}
		}
		if len(texts) > 1 && broken >= 0 {
			require.Equal(t, []int{broken}, failed)
			require.False(t, seen[broken])
		}
	})
}

func TestTheRestOfALargeFileIsReadOnlyWhereItsBeginIsEqual(t *testing.T) {
	texts := []string{"a" + strings.Repeat("x", 3*headBytes), "b" + strings.Repeat("x", 3*headBytes), "c" + strings.Repeat("x", 3*headBytes), "c" + strings.Repeat("x", 3*headBytes)}
	read := make([]int64, len(texts))
	parts := Same(len(texts), int64(len(texts[0])), func(i int) (io.ReadCloser, error) {
		return io.NopCloser(countingReader{strings.NewReader(texts[i]), &read[i]}), nil
	}, nil)
	assert.Equal(t, [][]int{{0}, {1}, {2, 3}}, parts)
	assert.LessOrEqual(t, read[0], int64(headBytes))
	assert.Greater(t, read[2], int64(headBytes))
}

type countingReader struct {
	io.Reader
	n *int64
}

func (r countingReader) Read(b []byte) (int, error) {
	n, err := r.Reader.Read(b)
	*r.n += int64(n)
	return n, err
}
