package value

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// MaxNumber is the largest number a field takes; twelve digits are more than
// any name can use.
const MaxNumber = 999_999_999_999

// MaxItems is how many items a list written out may have.
const MaxItems = 10_000

// An Option is one of the values that a choice or a term allows.
type Option struct {
	Code    string
	Meaning string // what the code stands for; empty where only codes are listed
}

// A Type says which values a field takes.
type Type struct {
	Kind     Kind
	Of       []Option // Choice, Term: what is allowed
	Min, Max *int     // Number: the bounds; Text: of its length in characters
	Months   []string // twelve names of months, or nil for those of the language
	Language string   // in which months and days are named, as a code of ISO 639-1; "" for English
	Without  []string // Text: what it cannot hold, also not together with a space put before and behind it
	NewYear  int      // Term: the place in the list of the first term of the next calendar year, from 2 on; 0 where the list lies in one
	Letter   byte     // Number: 'A' or 'a' where it is shown as letters if nothing else is asked for
}

// Parse reads a value as a person typed it. Text is brought into Unicode
// normal form C, trimmed, and runs of spaces are made one. Of a time, words such as "today"
// and "next friday" are told from now. The error is a clause that can stand behind a name:
// "is not a date: …".
func (t *Type) Parse(s string, now time.Time) (Value, error) {
	if t.Kind == List && strings.ContainsAny(strings.TrimSpace(s), "\r\n") { // lines of their own are items
		return parseItems(s, "\r\n;")
	}
	s, err := tidy(s)
	if err != nil {
		return Value{}, err
	}
	if s == "" {
		return Value{}, fmt.Errorf("is empty")
	}
	switch t.Kind {
	case Number:
		return t.parseNumber(s)
	case Choice:
		for i, o := range t.Of {
			if o.Code == s {
				return t.Option(i), nil
			}
		}
		for i, o := range t.Of {
			if strings.EqualFold(o.Code, s) || strings.EqualFold(o.Meaning, s) {
				return t.Option(i), nil
			}
		}
		return Value{}, fmt.Errorf("\"%s\" is not one of %s", s, t.Allowed())
	case YesNo:
		if yes, no := Says(s); yes || no {
			return Bool(yes), nil
		}
		return Value{}, fmt.Errorf("\"%s\" is neither yes nor no", s)
	case List:
		return parseList(s)
	case Date, Month, Quarter, Week, Year, Term:
		return t.parseCalendar(s, now)
	}
	return t.parseText(s)
}

// Says reports whether a text means yes, or no, as people write it in questions and tables.
func Says(text string) (yes, no bool) {
	switch strings.ToLower(text) {
	case "yes", "y", "true", "on", "1", "x", "✓", "✔", "☑", "☒":
		return true, false
	case "no", "n", "false", "off", "0", "-", "☐":
		return false, true
	}
	return false, false
}

// Option returns the value of the i-th option of a choice.
func (t *Type) Option(i int) Value {
	return Value{Kind: Choice, Text: t.Of[i].Code, Number: i}
}

// tidy brings a text into normal form C, trims it and makes runs of spaces
// one. Control characters are refused: no name can hold them and a terminal
// would obey them.
func tidy(s string) (string, error) {
	for _, r := range s {
		switch {
		case r == '\n' || r == '\r' || r == '\u2028' || r == '\u2029':
			return "", fmt.Errorf("holds a line break")
		case r == unicode.ReplacementChar:
			return "", fmt.Errorf("holds a character that is not valid text (UTF-8)")
		case r == '\t':
		case unicode.IsControl(r) || invisible(r):
			return "", fmt.Errorf("holds the control character U+%04X", r)
		}
	}
	s = strings.TrimSpace(norm.NFC.String(s))
	if strings.Contains(s, "  ") || strings.IndexFunc(s, func(r rune) bool { return r != ' ' && unicode.IsSpace(r) }) >= 0 {
		s = strings.Join(strings.Fields(s), " ")
	}
	return s, nil
}

// invisible reports whether r changes the direction of a text or shows
// nothing: such a character makes a name look like another one.
func invisible(r rune) bool {
	return r >= 0x202A && r <= 0x202E || r >= 0x2066 && r <= 0x2069 || r == 0x200B || r == 0x2060 || r == 0xFEFF
}

func (t *Type) parseText(s string) (Value, error) {
	if strings.Trim(s, ". ") == "" {
		return Value{}, fmt.Errorf("\"%s\" cannot be a name: it is only dots", s)
	}
	if n := len([]rune(s)); t.Min != nil && n < *t.Min {
		return Value{}, fmt.Errorf("\"%s\" has %d characters; at least %d are needed", s, n, *t.Min)
	}
	if w := t.Barred(s); w != "" {
		return Value{}, fmt.Errorf("\"%s\" holds \"%s\", which would not be told from what stands beside it in names", s, w)
	}
	return Of(s), nil
}

// Reserved are the characters that cannot stand in a name: Windows refuses them
// (Microsoft, "Naming Files, Paths, and Namespaces"), and the slash is refused
// everywhere. In names, a hyphen stands for each.
const Reserved = `<>|/:"*?\`

// Barred returns what a text holds that it cannot, or "".
func (t *Type) Barred(s string) string {
	if len(t.Without) == 0 {
		return ""
	}
	s = " " + strings.Map(func(r rune) rune {
		if strings.ContainsRune(Reserved, r) {
			return '-'
		}
		return r
	}, s) + " "
	for _, w := range t.Without {
		if strings.Contains(s, w) {
			return w
		}
	}
	return ""
}

func (t *Type) parseNumber(s string) (Value, error) {
	n, err := strconv.Atoi(s)
	switch {
	case err != nil || n < 0:
		return Value{}, fmt.Errorf("\"%s\" is not a whole number such as 7", s)
	case n > MaxNumber:
		return Value{}, fmt.Errorf("%s is too large", s)
	case t.Min != nil && n < *t.Min:
		return Value{}, fmt.Errorf("%d is too small: at least %d", n, *t.Min)
	case t.Max != nil && n > *t.Max:
		return Value{}, fmt.Errorf("%d is too large: at most %d", n, *t.Max)
	}
	return OfNumber(n), nil
}

func parseList(s string) (Value, error) {
	if strings.Contains(s, ";") {
		return parseItems(s, ";")
	}
	return parseItems(s, ",")
}

// parseItems reads the items between any of the characters of seps.
func parseItems(s, seps string) (Value, error) {
	items := strings.FieldsFunc(s, func(r rune) bool { return strings.ContainsRune(seps, r) })
	items = slices.DeleteFunc(items, func(item string) bool { return strings.TrimSpace(item) == "" })
	if len(items) == 0 {
		return Value{}, fmt.Errorf("is empty")
	}
	return NewList(items)
}

// NewList returns the list of those texts, each trimmed and checked like a
// value of type text. None may hold a semicolon, by which a list in one line
// of text is read.
func NewList(items []string) (Value, error) {
	if len(items) > MaxItems {
		return Value{}, fmt.Errorf("has %d items; at most %d are allowed", len(items), MaxItems)
	}
	text := Type{Kind: Text}
	list := Value{Kind: List}
	for _, s := range items {
		v, err := text.Parse(s, time.Time{})
		if err != nil {
			return Value{}, fmt.Errorf("has an item that %w", err)
		}
		if strings.Contains(s, ";") {
			return Value{}, fmt.Errorf("has an item with a semicolon, \"%s\": that sign stands between items; write another one", s)
		}
		list.Items = append(list.Items, v)
	}
	return list, nil
}

// Allowed lists the options for a message: `BK (book), BX (box)`.
func (t *Type) Allowed() string {
	parts := make([]string, len(t.Of))
	for i, o := range t.Of {
		parts[i] = o.Code
		if o.Meaning != "" {
			parts[i] += " (" + o.Meaning + ")"
		}
	}
	return strings.Join(parts, ", ")
}

// forms shows how each calendar kind is written.
var forms = map[Kind]string{
	Date: "2027-03-09", Month: "2027-03", Quarter: "2027-Q1", Week: "2027-W10", Year: "2027",
}

func (t *Type) parseCalendar(s string, now time.Time) (Value, error) {
	if t.Kind == Term {
		return t.parseTerm(s)
	}
	if day, ok := relative(s, now); ok {
		return t.covering(day), nil
	}
	var year, part, day int
	ok := false
	upper := strings.ToUpper(s)
	switch t.Kind {
	case Date:
		ok = digits(s, "0000-00-00", &year, &part, &day)
	case Month:
		ok = digits(s, "0000-00", &year, &part)
	case Quarter:
		ok = digits(upper, "0000-Q0", &year, &part)
	case Week:
		ok = digits(upper, "0000-W00", &year, &part)
	case Year:
		ok = digits(s, "0000", &year)
	}
	if !ok {
		return Value{}, fmt.Errorf("\"%s\" is not a %s: write it like %s", s, t.Kind, forms[t.Kind])
	}
	v := Value{Kind: t.Kind, Year: int16(year), Part: uint8(part), Day: uint8(day)}
	if err := v.exists(); err != nil {
		return Value{}, err
	}
	return v, nil
}

// relative reads a day that is told from the one that now is in: today, yesterday, tomorrow,
// and the first of a weekday after it or the last one before it, as in "next friday".
func relative(s string, now time.Time) (time.Time, bool) {
	if now.IsZero() {
		return now, false
	}
	words := strings.Fields(strings.ToLower(s))
	switch strings.Join(words, " ") {
	case "today":
		return now, true
	case "yesterday":
		return now.AddDate(0, 0, -1), true
	case "tomorrow":
		return now.AddDate(0, 0, 1), true
	}
	if len(words) != 2 || words[0] != "next" && words[0] != "last" {
		return now, false
	}
	for day := time.Sunday; day <= time.Saturday; day++ {
		name := strings.ToLower(day.String())
		if words[1] != name && words[1] != name[:3] {
			continue
		}
		// Never the day itself: 1 to 7 days away.
		if words[0] == "last" {
			return now.AddDate(0, 0, -((int(now.Weekday()-day)+6)%7 + 1)), true
		}
		return now.AddDate(0, 0, (int(day-now.Weekday())+6)%7+1), true
	}
	return now, false
}

// OnDay returns how a day is written for this type, or the text that shows it
// where the type is not of the calendar.
func (t *Type) OnDay(text string, day time.Time) string {
	switch t.Kind {
	case Date, Month, Quarter, Week, Year:
		return t.covering(day).String()
	}
	return text
}

// Specimen returns some value of the type, as an example shows it: a text is the name
// of its field, a time the one that a day lies in, and a number the smallest.
func (t *Type) Specimen(field string, day Value) Value {
	switch {
	case t.Kind == Number && t.Min != nil:
		return OfNumber(*t.Min)
	case t.Kind == Number:
		return OfNumber(1)
	case t.Kind == Choice:
		return t.Option(0)
	case t.Kind == YesNo:
		return Bool(true)
	case t.Kind == Term:
		return t.Term(int(day.Year), 1)
	case t.Kind.Calendar():
		return t.covering(day.Time())
	}
	return Of(field)
}

// covering returns the value of the type that the day now lies in.
func (t *Type) covering(now time.Time) Value {
	v := Value{Kind: t.Kind, Year: int16(now.Year())}
	switch t.Kind {
	case Date:
		return OfDate(now)
	case Month:
		v.Part = uint8(now.Month())
	case Quarter:
		v.Part = uint8(now.Month()+2) / 3
	case Week:
		year, week := now.ISOWeek()
		v.Year, v.Part = int16(year), uint8(week)
	}
	return v
}

// Term is the term of a calendar year with a place in the list, from 1.
func (t *Type) Term(year, place int) Value {
	v := Value{Kind: Term, Year: int16(year), Part: uint8(place), Text: t.Of[place-1].Code}
	if t.NewYear > 0 && place >= t.NewYear {
		v.Day = 1 // its list began a year before
	}
	return v
}

// parseTerm reads a term, with the year in front or behind.
func (t *Type) parseTerm(s string) (Value, error) {
	year, name, _ := strings.Cut(s, " ")
	number := 0
	if i := strings.LastIndexByte(s, ' '); i > 0 && !digits(year, "0000", &number) {
		year, name = s[i+1:], s[:i]
	}
	example := "2027 winter"
	if len(t.Of) > 0 {
		example = "2027 " + t.Of[0].Code
	}
	if !digits(year, "0000", &number) || name == "" || number < MinYear {
		return Value{}, fmt.Errorf("\"%s\" is not a term: write the year and the name, like \"%s\"", s, example)
	}
	for i, o := range t.Of {
		if strings.EqualFold(o.Code, name) {
			return t.Term(number, i+1), nil
		}
	}
	return Value{}, fmt.Errorf("\"%s\" is not a term: \"%s\" is not one of %s", s, name, t.Allowed())
}

// exists says why a day, month, quarter or week is not in the calendar.
func (v Value) exists() error {
	limit, noun := 0, v.Kind.String()
	switch v.Kind {
	case Date, Month:
		limit, noun = 12, "month"
	case Quarter:
		limit = 4
	case Week:
		limit = WeeksIn(int(v.Year))
	}
	switch {
	case v.Year < MinYear:
		return fmt.Errorf("%s: there is no year %d", v, v.Year)
	case limit > 0 && (v.Part < 1 || int(v.Part) > limit):
		return fmt.Errorf("%s: there is no %s %d, only 1 to %d", v, noun, v.Part, limit)
	case v.Kind == Date && (v.Day < 1 || int(v.Day) > DaysIn(int(v.Year), int(v.Part))):
		return fmt.Errorf("%s is not a date: that month has %d days", v, DaysIn(int(v.Year), int(v.Part)))
	}
	return nil
}

// digits matches s against a form in which 0 stands for a digit and all else
// for itself, and puts the runs of digits into the numbers.
func digits(s, form string, into ...*int) bool {
	if len(s) != len(form) {
		return false
	}
	k := -1
	for i := range len(form) {
		if form[i] != '0' {
			if s[i] != form[i] {
				return false
			}
			continue
		}
		if s[i] < '0' || s[i] > '9' {
			return false
		}
		if i == 0 || form[i-1] != '0' {
			k++
			*into[k] = 0
		}
		*into[k] = *into[k]*10 + int(s[i]-'0')
	}
	return true
}
