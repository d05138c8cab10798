package cli

import (
	"bytes"
	"path"
	"path/filepath"
	"strings"

	"github.com/emersion/go-ical"

	"vestibula/cli/term"
	"vestibula/core/digest"
	"vestibula/core/inspect"
)

// writeCalendar writes what is still due as a calendar (RFC 5545): each a whole day, which a program that reads
// the file anew knows again.
func (r *projectsRun) writeCalendar() error {
	c := ical.NewCalendar()
	c.Props.SetText(ical.PropVersion, "2.0")
	c.Props.SetText(ical.PropProductID, "-//Vestibula//EN")
	n := 0
	r.eachOpen(func(s *standingRow, d *inspect.Delivery) {
		n++
		id := string(s.subject.Dir)
		if s.subject.Project != nil {
			id = s.subject.Project.Label.ID
		}
		project := path.Base(filepath.ToSlash(s.name))
		e := ical.NewEvent()
		e.Props.SetText(ical.PropUID, digest.Bytes([]byte(id + "\x00" + d.Path))[:32]+"@vestibula")
		e.Props.SetDateTime(ical.PropDateTimeStamp, r.now.UTC())
		e.Props.SetDate(ical.PropDateTimeStart, d.Day.Time())
		e.Props.SetDate(ical.PropDateTimeEnd, d.Day.Time().AddDate(0, 0, 1))
		e.Props.SetText(ical.PropSummary, calendarText(path.Base(d.Path)+": "+project))
		e.Props.SetText(ical.PropDescription, calendarText(d.Path+" is due in "+project))
		c.Children = append(c.Children, e.Component)
	})
	if n == 0 { // a calendar has at least one event
		r.screen.Text(term.Good.Render("Nothing is due") + ": no calendar was written.")
		return nil
	}
	var text bytes.Buffer
	if err := ical.NewEncoder(&text).Encode(c); err != nil {
		return unclear("", "it cannot be written as a calendar: %v", err)
	}
	return r.writeFile("projects", r.outFile, text.Bytes(), term.Count(n, "day"))
}

// calendarText is a text without the characters that a calendar cannot hold; the rest the library escapes.
func calendarText(text string) string {
	return strings.ToValidUTF8(visible(text), "\uFFFD")
}
