package table

import (
	"math"
	"strconv"
	"strings"
	"time"
)

// A format says how the number in a cell is shown.
type format struct {
	day, clock bool
	zeros      int // digits that a whole number is filled up to
}

// builtInFormat returns a format that a workbook refers to without writing it
// out (ECMA-376, part 1, 18.8.30). Those from 27 to 58 are dates in East Asian
// versions.
func builtInFormat(id int) format {
	switch {
	case id >= 14 && id <= 17, id >= 27 && id <= 31, id == 36, id >= 50 && id <= 54, id == 57, id == 58:
		return format{day: true}
	case id >= 18 && id <= 21, id >= 32 && id <= 35, id == 45, id == 47, id == 55, id == 56:
		return format{clock: true}
	case id == 22:
		return format{day: true, clock: true}
	}
	return format{}
}

// parseFormat reads a format that is written out, such as dd/mm/yyyy or "000"
// (ECMA-376, part 1, 18.8.31).
func parseFormat(code string) format {
	var letters strings.Builder
	for i := 0; i < len(code) && code[i] != ';'; i++ {
		switch code[i] {
		case '"', '[': // a text to show; a colour, a language or a span of hours
			end := byte('"')
			if code[i] == '[' {
				end = ']'
			}
			n := strings.IndexByte(code[i+1:], end)
			if n < 0 {
				return format{}
			}
			i += n + 1
		case '\\', '_', '*':
			i++ // stands for the next character itself
		default:
			letters.WriteByte(code[i])
		}
	}
	shown := strings.ToLower(letters.String())
	if shown == "general" || shown == "standard" {
		return format{}
	}
	if shown != "" && strings.Trim(shown, "0") == "" {
		return format{zeros: len(shown)}
	}
	f := format{clock: strings.ContainsAny(shown, "hs")}
	f.day = strings.ContainsAny(shown, "dy") || strings.Contains(shown, "m") && !f.clock
	return f
}

// An epoch is the day from which a workbook counts.
type epoch int

const (
	epoch1900 epoch = iota
	epoch1904
)

// lastSerial is the last day of the year 9999, counted from 1900.
const lastSerial = 2958465

// time returns the moment that a number stands for (ECMA-376, part 1, 18.17.4).
func (e epoch) time(serial float64) (time.Time, bool) {
	if serial < 0 || serial > lastSerial+1 || math.IsNaN(serial) {
		return time.Time{}, false
	}
	base := time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
	switch {
	case e == epoch1904:
		base = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	case serial < 60:
		base = base.AddDate(0, 0, 1) // the year 1900 has a 29 February there
	}
	days := math.Floor(serial)
	seconds := math.Round((serial - days) * 86400)
	return base.AddDate(0, 0, int(days)).Add(time.Duration(seconds) * time.Second), true
}

// number returns the cell that a number is shown as.
func (f format) number(text string, from epoch) Cell {
	n, err := strconv.ParseFloat(text, 64)
	if err != nil {
		return Cell{Text: text}
	}
	if f.day || f.clock {
		if at, ok := from.time(n); ok {
			c := Cell{}
			switch midnight := at.Hour() == 0 && at.Minute() == 0; {
			case !f.day:
				return Cell{Text: at.Format("15:04")}
			case f.clock && !midnight:
				c.Text = at.Format("2006-01-02 15:04")
			default:
				c.Text = at.Format(time.DateOnly)
			}
			c.Day = at.Truncate(24 * time.Hour)
			return c
		}
	}
	// Fifteen digits are what a spreadsheet keeps of a number.
	n, _ = strconv.ParseFloat(strconv.FormatFloat(n, 'g', 15, 64), 64)
	text = strconv.FormatFloat(n, 'f', -1, 64)
	if missing := f.zeros - len(text); missing > 0 && n >= 0 && !strings.Contains(text, ".") {
		text = strings.Repeat("0", missing) + text
	}
	return Cell{Text: text}
}

// unescaped turns _x000D_ into the character with that code, as workbooks write
// those that XML cannot hold (ECMA-376, part 1, 22.9.2.19).
func unescaped(s string) string {
	if !strings.Contains(s, "_x") {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		if s[i] == '_' && i+6 < len(s) && s[i+1] == 'x' && s[i+6] == '_' {
			if code, err := strconv.ParseUint(s[i+2:i+6], 16, 16); err == nil {
				b.WriteRune(rune(code))
				i += 6
				continue
			}
		}
		b.WriteByte(s[i])
	}
	return b.String()
}
