package value

import "time"

// Years that a template can speak of: those that four digits hold.
const (
	MinYear = 1
	MaxYear = 9999
)

// DaysIn returns the number of days of a month in the Gregorian calendar.
func DaysIn(year, month int) int {
	switch {
	case month == 2 && year%4 == 0 && (year%100 != 0 || year%400 == 0):
		return 29
	case month == 2:
		return 28
	case month == 4 || month == 6 || month == 9 || month == 11:
		return 30
	}
	return 31
}

// WeeksIn returns how many weeks an ISO 8601 year has, 52 or 53: the 28th of
// December always lies in the last one.
func WeeksIn(year int) int {
	_, w := time.Date(year, time.December, 28, 0, 0, 0, 0, time.UTC).ISOWeek()
	return w
}

// OfDate returns the date value of a day.
func OfDate(t time.Time) Value {
	return Value{Kind: Date, Year: int16(t.Year()), Part: uint8(t.Month()), Day: uint8(t.Day())}
}

// Time returns the first day that a value of a calendar kind covers, at
// midnight UTC. A term is placed at the start of its year.
func (v Value) Time() time.Time {
	month, day := 1, 1
	switch v.Kind {
	case Date:
		month, day = int(v.Part), int(v.Day)
	case Month:
		month = int(v.Part)
	case Quarter:
		month = 3*int(v.Part) - 2
	case Week:
		// ISO 8601: week 1 is the week of the 4th of January.
		fourth := time.Date(int(v.Year), time.January, 4, 0, 0, 0, 0, time.UTC)
		monday := fourth.AddDate(0, 0, -int((fourth.Weekday()+6)%7))
		return monday.AddDate(0, 0, 7*(int(v.Part)-1))
	}
	return time.Date(int(v.Year), time.Month(month), day, 0, 0, 0, 0, time.UTC)
}

// Next returns the value that follows v in a range: the next number, day,
// month, quarter, week or year. Other kinds have none; v itself is returned.
func (v Value) Next() Value {
	switch v.Kind {
	case Number:
		v.Number++
	case Date:
		return OfDate(v.Time().AddDate(0, 0, 1))
	case Month:
		v.step(12)
	case Quarter:
		v.step(4)
	case Week:
		v.step(WeeksIn(int(v.Year)))
	case Year:
		v.Year++
	}
	return v
}

func (v *Value) step(perYear int) {
	if v.Part++; int(v.Part) > perYear {
		v.Year, v.Part = v.Year+1, 1
	}
}

// Distance returns how many steps of [Value.Next] lead from v to w, which is
// negative where w lies before v. Both are of the same kind.
func (v Value) Distance(w Value) int {
	years, parts := int(w.Year)-int(v.Year), int(w.Part)-int(v.Part)
	days := func() int { return int(w.Time().Sub(v.Time()).Hours()) / 24 }
	switch v.Kind {
	case Number:
		return w.Number - v.Number
	case Date:
		return days()
	case Week:
		return days() / 7
	case Month:
		return 12*years + parts
	case Quarter:
		return 4*years + parts
	case Year:
		return years
	}
	return 0
}

// Shift returns the value that lies so many steps after v, or before it where they
// are negative: days after a date, months after a month, and so on; terms are those
// of the type. A value that no name can hold is returned as it is, and not ok.
func (v Value) Shift(steps int, t *Type) (w Value, ok bool) {
	if steps == 0 || v.Kind == Pending || v.Empty() {
		return v, true
	}
	w = v
	turn := func(perYear int) {
		n := int(v.Year)*perYear + int(v.Part) - 1 + steps
		w.Year, w.Part = int16(n/perYear), uint8(n%perYear+1)
		ok = n >= perYear*MinYear && n < perYear*(MaxYear+1)
	}
	switch v.Kind {
	case Number:
		w.Number += steps
		return w, w.Number >= 0 && w.Number <= MaxNumber
	case Date:
		day := v.Time().AddDate(0, 0, steps)
		return OfDate(day), day.Year() >= MinYear && day.Year() <= MaxYear
	case Week:
		day := v.Time().AddDate(0, 0, 7*steps+3) // the Thursday tells the year
		year, week := day.ISOWeek()
		w.Year, w.Part = int16(year), uint8(week)
		return w, year >= MinYear && year <= MaxYear
	case Month:
		turn(12)
	case Quarter:
		turn(4)
	case Year:
		n := int(v.Year) + steps
		w.Year = int16(n)
		return w, n >= MinYear && n <= MaxYear
	case Term:
		n := v.listYear()*len(t.Of) + int(v.Part) - 1 + steps
		year, place := n/len(t.Of), n%len(t.Of)+1
		if t.NewYear > 0 && place >= t.NewYear {
			year++
		}
		if ok = year >= MinYear && year <= MaxYear; ok {
			w = t.Term(year, place)
		}
	default:
		return v, false
	}
	return w, ok
}

// Steps reports whether values of the kind have a next and a previous one.
func (k Kind) Steps() bool { return k == Number || k.Calendar() }

// Covers reports whether the days of a time lie in another one: a date in its
// month, a month in its year. Known says that both are times of which that can be
// told; a term is known to lie in its year alone.
func (v Value) Covers(w Value) (covers, known bool) {
	if !v.Kind.Calendar() || !w.Kind.Calendar() || v.Empty() || w.Empty() {
		return false, false
	}
	if v.Kind == w.Kind {
		return v.Equal(w), true
	}
	if v.Kind == Term || w.Kind == Term {
		if v.Kind == Year || w.Kind == Year {
			return v.Year == w.Year, true
		}
		return false, false
	}
	first, after := v.span()
	start, end := w.span()
	return !start.Before(first) && !end.After(after), true
}

// span returns the first day of a time, and the first one after it.
func (v Value) span() (first, after time.Time) {
	first = v.Time()
	switch v.Kind {
	case Year:
		return first, first.AddDate(1, 0, 0)
	case Quarter:
		return first, first.AddDate(0, 3, 0)
	case Month:
		return first, first.AddDate(0, 1, 0)
	case Week:
		return first, first.AddDate(0, 0, 7)
	}
	return first, first.AddDate(0, 0, 1)
}
