package batch

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"vestibula/core/template"
	"vestibula/core/value"
)

// Dates say how days are written in cells that are texts to the spreadsheet: in which
// order, as in d.m.yyyy.
type Dates struct {
	order string // of the letters d, m and y
	short bool   // years have two digits
}

// ParseDates reads a form of a day such as d.m.yyyy or mm/dd/yy. Which sign stands
// between its parts, and whether a zero stands in front of them, does not matter.
func ParseDates(form string) (*Dates, error) {
	d := &Dates{}
	for _, part := range strings.FieldsFunc(strings.ToLower(form), func(r rune) bool { return strings.ContainsRune("./- ", r) }) {
		switch part {
		case "d", "dd", "m", "mm", "yyyy":
		case "yy":
			d.short = true
		default:
			return nil, fmt.Errorf("\"%s\" is no form of a day: write it with d, m and yyyy", form)
		}
		d.order += part[:1]
	}
	sorted := []byte(d.order)
	slices.Sort(sorted)
	if string(sorted) != "dmy" {
		return nil, fmt.Errorf("\"%s\" is no form of a day: write it with d, m and yyyy", form)
	}
	return d, nil
}

// day reads a day of a field of dates or periods.
func (d *Dates) day(f *template.Field, text string) (day time.Time, is bool) {
	if d == nil || !f.Type.Kind.Calendar() || f.Type.Kind == value.Term {
		return day, false
	}
	return d.read(text)
}

func (d *Dates) read(text string) (day time.Time, is bool) {
	parts := threeNumbers(text)
	if parts == nil {
		return day, false
	}
	at := map[byte]int{}
	for i := range parts {
		n, err := strconv.Atoi(parts[i])
		if err != nil {
			return day, false
		}
		letter := d.order[i]
		if letter == 'y' && len(parts[i]) != map[bool]int{true: 2, false: 4}[d.short] || letter != 'y' && len(parts[i]) > 2 {
			return day, false
		}
		at[letter] = n
	}
	if d.short {
		at['y'] += 2000
	}
	day = time.Date(at['y'], time.Month(at['m']), at['d'], 0, 0, 0, 0, time.UTC)
	return day, day.Day() == at['d'] && int(day.Month()) == at['m']
}

// threeNumbers are the parts of a text that may be a day, or nil.
func threeNumbers(text string) []string {
	sign := strings.IndexAny(text, "./-")
	if sign < 1 {
		return nil
	}
	parts := strings.Split(text, text[sign:sign+1])
	if len(parts) != 3 {
		return nil
	}
	for i, p := range parts {
		parts[i] = strings.TrimSpace(p)
		if strings.Trim(parts[i], "0123456789") != "" || parts[i] == "" || len(parts[i]) > 4 {
			return nil
		}
	}
	return parts
}

// A DateColumn is one with days that could be meant in more than one way.
type DateColumn struct {
	Heading, Example string
	Forms            []string // in which they may be written
	Row              int
}

// OddDates finds the first column of days which are no dates to the spreadsheet, and are
// not written with the year first: only a person knows how they are meant.
func (b *Batch) OddDates() *DateColumn {
	for _, f := range b.Template.Fields {
		if f.Type.Kind != value.Date && f.Type.Kind != value.Month && f.Type.Kind != value.Quarter && f.Type.Kind != value.Week {
			continue
		}
		for _, i := range b.Columns[f.Name] {
			for k := range b.Table.Rows {
				cell := &b.Table.Rows[k].Cells[i]
				if !cell.Day.IsZero() || cell.Problem != "" {
					continue
				}
				parts := threeNumbers(cell.Text)
				if parts == nil || len(parts[0]) > 2 {
					continue
				}
				if _, known := b.Dates.day(f, cell.Text); known {
					continue
				}
				sign := strings.Trim(cell.Text, "0123456789 ")[:1]
				year := map[bool]string{true: "yyyy", false: "yy"}[len(parts[2]) == 4]
				odd := &DateColumn{Heading: b.Table.Headings[i], Example: cell.Text, Row: b.Table.Rows[k].Number}
				for _, order := range []string{"d" + sign + "m" + sign + year, "m" + sign + "d" + sign + year} {
					d, err := ParseDates(order)
					if err != nil {
						continue
					}
					if _, is := d.read(cell.Text); is {
						odd.Forms = append(odd.Forms, order)
					}
				}
				if len(odd.Forms) > 0 && b.Dates == nil {
					return odd
				}
			}
		}
	}
	return nil
}

// DayShown is a text as a day by a form, or "".
func DayShown(form, text string) string {
	d, err := ParseDates(form)
	if err != nil {
		return ""
	}
	day, is := d.read(text)
	if !is {
		return ""
	}
	return day.Format("2 January 2006")
}
