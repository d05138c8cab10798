// Package pattern handles names with slots: `<received:yyyy-mm-dd> <client>`.
//
// A pattern is text and slots. A slot names a field and may say, behind a
// colon, how the value is to look: that is its form, an example of what
// comes out. [Parse] takes a pattern apart, [Pattern.Bind] joins it to fields
// and their types, and the [Name] that results writes values as names and
// reads names back.
//
// The characters that no portable file name may hold, `< > | / : " * ? \`, are
// never part of a name; so the language needs no escapes.
package pattern

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"vestibula/core/value"
)

// Reserved are the characters that cannot stand in a name.
const Reserved = value.Reserved

// OwnNumber is the field name of the slot `<#>`: a line's number among its
// siblings.
const OwnNumber = "#"

// An Error says what is wrong at a place of a pattern.
type Error struct {
	At      int // in characters from the start of the pattern
	Width   int // in characters
	Message string
	Help    string
	Lacks   string // the field that a slot names and that is not there; else empty
}

// Error returns the message.
func (e *Error) Error() string {
	if e.Help == "" {
		return e.Message
	}
	return e.Message + " (" + e.Help + ")"
}

// A Piece is a run of text or a slot.
type Piece struct {
	Text  string // as written; of a slot, with its angle brackets
	Field string // empty for text
	Form  string // empty where the slot has none
	Step  int    // how many steps after its value: <month - 1>
	At    int    // in characters from the start of the pattern
}

// A Pattern is a name with slots, parsed.
type Pattern struct {
	Source string
	Pieces []Piece
}

// Slots returns the names of the fields that the pattern mentions, each once,
// in order.
func (p *Pattern) Slots() []string {
	var fields []string
	seen := map[string]bool{}
	for _, piece := range p.Pieces {
		if piece.Field != "" && !seen[piece.Field] {
			seen[piece.Field] = true
			fields = append(fields, piece.Field)
		}
	}
	return fields
}

// Parse takes a pattern apart. The pattern is returned also where there are
// errors, as far as it could be understood.
func Parse(text string) (*Pattern, []*Error) {
	p := &Pattern{Source: text}
	var errs []*Error
	at := 0
	for rest := text; rest != ""; {
		var piece Piece
		if rest[0] == '<' {
			end := strings.IndexAny(rest[1:], "<>")
			if end < 0 || rest[1+end] != '>' {
				slot := rest
				if end >= 0 {
					slot = rest[:1+end]
				}
				errs = append(errs, &Error{At: at, Width: width(slot), Message: "this slot is not closed", Help: fmt.Sprintf("write %s>", strings.TrimRight(slot, " "))})
				rest, at = rest[len(slot):], at+width(slot)
				continue
			}
			piece = Piece{Text: rest[:end+2], At: at}
			field, form, colon := strings.Cut(rest[1:end+1], ":")
			piece.Field, piece.Form = strings.TrimSpace(field), form
			piece.Field, piece.Step = value.Stepped(piece.Field)
			switch {
			case piece.Field == "":
				errs = append(errs, &Error{At: at, Width: width(piece.Text), Message: "this slot names no field", Help: "write the field's name between < and >"})
				piece.Field = " "
			case colon && strings.TrimSpace(form) == "":
				errs = append(errs, &Error{At: at, Width: width(piece.Text), Message: "there is no form behind the colon", Help: fmt.Sprintf("write <%s> alone, or an example of how it is to look", piece.Field)})
			}
		} else {
			end := strings.IndexByte(rest, '<')
			if end < 0 {
				end = len(rest)
			}
			piece = Piece{Text: rest[:end], At: at}
			errs = append(errs, refused(piece.Text, at)...)
		}
		p.Pieces = append(p.Pieces, piece)
		rest, at = rest[len(piece.Text):], at+width(piece.Text)
	}
	return p, errs
}

// refused finds the characters of a text that cannot stand in a name.
func refused(text string, at int) []*Error {
	var errs []*Error
	for _, r := range text {
		switch {
		case r == '>':
			errs = append(errs, &Error{At: at, Width: 1, Message: "this > closes a slot that was never opened", Help: "write < in front of the field's name"})
		case strings.ContainsRune(Reserved, r):
			errs = append(errs, &Error{At: at, Width: 1, Message: fmt.Sprintf("a name cannot hold %c", r), Help: "a hyphen works everywhere"})
		case unicode.IsControl(r):
			errs = append(errs, &Error{At: at, Width: 1, Message: fmt.Sprintf("a name cannot hold the control character U+%04X", r), Help: "remove it"})
		case r == utf8.RuneError:
			errs = append(errs, &Error{At: at, Width: 1, Message: "this character is not valid text", Help: "save the file as UTF-8"})
		}
		at++
	}
	return errs
}

// Clean makes a text fit for a name: each reserved or control character
// becomes a hyphen. It reports whether there was one.
func Clean(s string) (string, bool) {
	bad := func(r rune) bool { return strings.ContainsRune(Reserved, r) || unicode.IsControl(r) }
	if strings.IndexFunc(s, bad) < 0 {
		return s, false
	}
	return strings.Map(func(r rune) rune {
		if bad(r) {
			return '-'
		}
		return r
	}, s), true
}

func width(s string) int { return utf8.RuneCountInString(s) }

// Twice returns a field that stands in more than one slot of a name, or "".
func (n *Name) Twice() string {
	if fields := n.twice(); len(fields) > 0 {
		return fields[0]
	}
	return ""
}
