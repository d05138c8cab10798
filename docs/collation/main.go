// Generate makes the tables of package collation:
//
//	go run ./docs/collation ROOT CLIB
//
// ROOT is allkeys_CLDR.txt of the Unicode Common Locale Data Repository (Debian:
// unicode-cldr-core), CLIB is iso14651_t1_common of the GNU C Library (Debian: locales).
// Of the second one its makers claim no copyright; the first one is under the Unicode
// license.
package main

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"log"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// An entry is a character or a sequence of them, and its weights on each level.
type entry struct {
	runes  []rune
	levels [][]uint32
}

func main() {
	if len(os.Args) != 3 {
		log.Fatal("usage: generate ROOT CLIB")
	}
	dir := filepath.Join("core", "collation")
	write(filepath.Join(dir, "root.bin"), root(lines(os.Args[1])), 3)
	write(filepath.Join(dir, "clib.bin"), clib(lines(os.Args[2])), 4)
}

func lines(file string) (list []string) {
	data, err := os.ReadFile(file)
	check(err)
	s := bufio.NewScanner(bytes.NewReader(data))
	for s.Scan() {
		list = append(list, s.Text())
	}
	return list
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

var element = regexp.MustCompile(`\[[.*]([0-9A-F]+)\.([0-9A-F]+)\.([0-9A-F]+)\]`)

// root reads lines such as `0041 ; [.23EC.0020.0008] # A`.
func root(lines []string) (list []entry) {
	for _, line := range lines {
		line, _, _ = strings.Cut(line, "#")
		points, weights, found := strings.Cut(line, ";")
		if !found {
			continue
		}
		e := entry{levels: make([][]uint32, 3)}
		for _, p := range strings.Fields(points) {
			e.runes = append(e.runes, rune(hex(p)))
		}
		for _, m := range element.FindAllStringSubmatch(weights, -1) {
			for level, text := range m[1:] {
				if w := uint32(hex(text)); w != 0 {
					e.levels[level] = append(e.levels[level], w)
				}
			}
		}
		list = append(list, e)
	}
	return list
}

func hex(s string) int64 {
	n, err := strconv.ParseInt(s, 16, 32)
	check(err)
	return n
}

var (
	symbol   = regexp.MustCompile(`<[^>]+>`)
	sequence = regexp.MustCompile(`^collating-element (<[^>]+>) from "((?:<U[0-9A-F]+>)+)"`)
	point    = regexp.MustCompile(`<U([0-9A-F]+)>`)
)

// lightest is the first weight of the C library: those below are left for what parts
// levels and texts.
const lightest = 4

// clib reads the order of a locale: a symbol weighs more than those of the lines before,
// and the line of a character gives the symbols of its levels.
func clib(lines []string) (list []entry) {
	weight := map[string]uint32{}
	sequences := map[string]string{}
	var named []string
	inOrder := false
	for _, line := range lines {
		if m := sequence.FindStringSubmatch(line); m != nil {
			sequences[m[1]] = m[2]
		}
		inOrder = inOrder || strings.HasPrefix(line, "order_start")
		line, _, _ = strings.Cut(line, "%")
		line = strings.TrimSpace(line)
		if !strings.HasPrefix(line, "<") {
			continue
		}
		name := symbol.FindString(line)
		if _, twice := weight[name]; !twice {
			weight[name] = uint32(len(weight) + lightest)
		}
		if strings.Contains(line, ";") {
			named = append(named, line)
		}
	}
	for _, line := range named {
		name, rest, _ := strings.Cut(line, " ")
		e := entry{levels: make([][]uint32, 4)}
		from := name
		if s, is := sequences[name]; is {
			from = s
		}
		for _, m := range point.FindAllStringSubmatch(from, -1) {
			e.runes = append(e.runes, rune(hex(m[1])))
		}
		if len(e.runes) == 0 {
			continue
		}
		for level, text := range strings.Split(strings.TrimSpace(rest), ";") {
			if level > 3 || text == "IGNORE" {
				continue
			}
			for _, s := range symbol.FindAllString(text, -1) {
				w, known := weight[s]
				if !known {
					log.Fatalf("%s of %s has no weight", s, name)
				}
				e.levels[level] = append(e.levels[level], w)
			}
		}
		list = append(list, e)
	}
	return list
}

// write packs entries: numbers of varying length, weights as the difference to the last
// one of their level.
func write(file string, list []entry, levels int) {
	slices.SortStableFunc(list, func(a, b entry) int { return slices.Compare(a.runes, b.runes) })
	list = slices.CompactFunc(list, func(a, b entry) bool { return slices.Equal(a.runes, b.runes) })
	var packed []byte
	packed = binary.AppendUvarint(packed, uint64(levels))
	packed = binary.AppendUvarint(packed, uint64(len(list)))
	first := rune(0)
	last := make([]uint32, levels)
	for _, e := range list {
		packed = binary.AppendUvarint(packed, uint64(len(e.runes)))
		packed = binary.AppendUvarint(packed, uint64(e.runes[0]-first))
		first = e.runes[0]
		for _, r := range e.runes[1:] {
			packed = binary.AppendUvarint(packed, uint64(r))
		}
		for level, weights := range e.levels {
			packed = binary.AppendUvarint(packed, uint64(len(weights)))
			for _, w := range weights {
				packed = binary.AppendVarint(packed, int64(w)-int64(last[level]))
				last[level] = w
			}
		}
	}
	check(os.WriteFile(file, packed, 0o666))
	log.Printf("%s: %d entries, %d bytes", file, len(list), len(packed))
}
