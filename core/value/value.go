// Package value holds what a field can be filled with: texts, numbers, dates
// and the other kinds that a template may ask for.
//
// A [Type] says what is allowed and reads a value from what a person wrote; a
// [Value] is one such value. How a value looks in a name is not decided here
// but by a form (package pattern).
package value

import (
	"fmt"
	"strconv"
	"strings"
)

// A Kind is the kind of a value.
type Kind uint8

// The kinds, in the order in which they are listed to people. Unknown is the
// kind of the zero Value: nothing has been given.
const (
	Unknown Kind = iota
	Text
	Number
	Date
	Month
	Quarter
	Week
	Year
	Term
	Choice
	YesNo
	List
	// Pending is the kind of a value that is not known yet, though something was
	// built with it: Text is the name of its field.
	Pending
)

var kindNames = [...]string{"unknown", "text", "number", "date", "month", "quarter", "week", "year", "term", "choice", "yes-no", "list", "not known yet"}

// String returns the word by which templates name the kind.
func (k Kind) String() string { return kindNames[k] }

// KindNames returns the words for all kinds that a template may name.
func KindNames() []string { return kindNames[Text:Pending] }

// KindNamed returns the kind with that name, and whether there is one.
func KindNamed(name string) (Kind, bool) {
	for i, n := range kindNames {
		if n == name && Kind(i) != Unknown && Kind(i) != Pending {
			return Kind(i), true
		}
	}
	return Unknown, false
}

// Calendar reports whether values of the kind are times: a date, or a stretch
// of days such as a month or a term.
func (k Kind) Calendar() bool { return k >= Date && k <= Term }

// A Value is one value of a field. Which members hold something depends on
// its Kind.
type Value struct {
	Kind   Kind
	Part   uint8   // Date, Month: the month; Quarter, Week: its number; Term: its place in the year
	Day    uint8   // Date: the day of the month
	Year   int16   // the calendar kinds; for Week the ISO 8601 year
	Number int     // Number; YesNo: 1 for yes; Choice: its place among the options, from 0
	Text   string  // Text; Choice: the code; Term: the name
	Items  []Value // List
}

// Of returns a text value.
func Of(text string) Value { return Value{Kind: Text, Text: text} }

// OfNumber returns a number value.
func OfNumber(n int) Value { return Value{Kind: Number, Number: n} }

// Bool returns a yes-no value.
func Bool(yes bool) Value {
	v := Value{Kind: YesNo}
	if yes {
		v.Number = 1
	}
	return v
}

// Open is the text for a value that is not known yet.
const Open = "?"

// OfOpen returns the value of a field that is not known yet.
func OfOpen(field string) Value { return Value{Kind: Pending, Text: field} }

// Given reports whether v is a value at all.
func (v Value) Given() bool { return v.Kind != Unknown }

// Nothing returns the value of an optional field of that kind that was left
// out.
func Nothing(k Kind) Value {
	v := Value{Kind: k}
	if k == Number || k == YesNo {
		v.Number = -1
	}
	return v
}

// Empty reports whether v stands for nothing: it is unknown, or was left out.
func (v Value) Empty() bool {
	switch v.Kind {
	case Text, Choice, Pending:
		return v.Text == ""
	case Number, YesNo:
		return v.Number < 0
	case List:
		return len(v.Items) == 0
	}
	return v.Year == 0
}

// Holds reports whether a condition that names only this value is true: a yes,
// or anything that is given and not empty.
func (v Value) Holds() bool {
	if v.Kind == YesNo {
		return v.Number == 1
	}
	return !v.Empty()
}

// String writes the value the way a person would type it; [Type.Parse] reads
// it back.
func (v Value) String() string {
	if v.Empty() {
		return ""
	}
	switch v.Kind {
	case Text, Choice:
		return v.Text
	case Pending:
		return Open
	case Number:
		return strconv.Itoa(v.Number)
	case YesNo:
		if v.Number == 1 {
			return "yes"
		}
		return "no"
	case Date:
		return fmt.Sprintf("%04d-%02d-%02d", v.Year, v.Part, v.Day)
	case Month:
		return fmt.Sprintf("%04d-%02d", v.Year, v.Part)
	case Quarter:
		return fmt.Sprintf("%04d-Q%d", v.Year, v.Part)
	case Week:
		return fmt.Sprintf("%04d-W%02d", v.Year, v.Part)
	case Year:
		return fmt.Sprintf("%04d", v.Year)
	case Term:
		return fmt.Sprintf("%04d %s", v.Year, v.Text)
	case List:
		items := make([]string, len(v.Items))
		for i, it := range v.Items {
			items[i] = it.String()
		}
		if len(items) == 1 && strings.Contains(items[0], ",") {
			return items[0] + ";" // else it would be read as several
		}
		return strings.Join(items, "; ")
	}
	return ""
}

// Equal reports whether two values are the same.
func (v Value) Equal(w Value) bool {
	if len(v.Items) != len(w.Items) {
		return false
	}
	for i := range v.Items {
		if !v.Items[i].Equal(w.Items[i]) {
			return false
		}
	}
	return v.Kind == w.Kind && v.Text == w.Text && v.Number == w.Number &&
		v.Year == w.Year && v.Part == w.Part && v.Day == w.Day
}

// listYear is the year in which the list of a term began: where it crosses the new year, the first
// of the school year.
func (v Value) listYear() int { return int(v.Year) - int(v.Day) }

// Compare orders two values of one kind: numbers by size, times by the
// calendar, texts by their letters. The result is negative, zero or positive.
func (v Value) Compare(w Value) int {
	if v.Kind == Term && w.Kind == Term { // in the order of the years in which their lists began
		v.Year, w.Year = int16(v.listYear()), int16(w.listYear())
	}
	for _, d := range [...]int{v.Number - w.Number, int(v.Year) - int(w.Year), int(v.Part) - int(w.Part), int(v.Day) - int(w.Day)} {
		if d != 0 {
			return d
		}
	}
	return strings.Compare(v.Text, w.Text)
}
