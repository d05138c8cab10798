package naming

import (
	"cmp"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// A Version is what tells a file from others of which it is a version: a day, and a
// number.
type Version struct {
	Of     string // equal for all versions of one thing
	day    int    // 20270309; 0 where there is none
	number []int
}

var (
	days = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`(\d{4})-(\d{2})-(\d{2})|(\d{1,2})\.(\d{1,2})\.(\d{4})|\b(\d{4})(\d{2})(\d{2})\b`)
	})
	// lastNumber is a version at the end of a name: v2, ver. 3, rev 4, (5), _06.
	lastNumber = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`(?i)(?:[ ._-]*\(([0-9]{1,6})\)|[ ._-]+(?:v|ver|version|rev|revision|draft|no)?[ ._-]*([0-9]{1,6}(?:\.[0-9]{1,4})*)|v([0-9]{1,4}))$`)
	})
)

// VersionOf takes the name of a file, without its ending, apart: what it is a version of,
// and which. A day counts wherever it stands, a number at the end.
func VersionOf(stem string) Version {
	v := Version{}
	rest := days().ReplaceAllStringFunc(stem, func(text string) string {
		m := days().FindStringSubmatch(text)
		var parts [3]int
		for i, at := range [][3]int{{1, 6, 7}, {2, 5, 8}, {3, 4, 9}} {
			for _, k := range at {
				if n, err := strconv.Atoi(m[k]); err == nil {
					parts[i] = n
				}
			}
		}
		if parts[1] < 1 || parts[1] > 12 || parts[2] < 1 || parts[2] > 31 {
			return text
		}
		v.day = max(v.day, parts[0]*10000+parts[1]*100+parts[2])
		return "\x00"
	})
	if m := lastNumber().FindStringSubmatch(rest); m != nil && len(m[0]) < len(rest) {
		rest = rest[:len(rest)-len(m[0])]
		for part := range strings.SplitSeq(m[1]+m[2]+m[3], ".") {
			n, _ := strconv.Atoi(part)
			v.number = append(v.number, n)
		}
	}
	v.Of = Plainly(strings.Trim(strings.ReplaceAll(rest, "\x00", " day "), " ._-"))
	return v
}

// Said reports whether the name has a day or a number: without, nobody knows whether it
// is the first or the last.
func (v Version) Said() bool { return v.day > 0 || len(v.number) > 0 }

// Compare says which of two versions of one thing is the newer one: by their days, then
// by their numbers.
func (v Version) Compare(w Version) int {
	return cmp.Or(cmp.Compare(v.day, w.day), slices.Compare(v.number, w.number))
}
