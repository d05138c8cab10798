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
