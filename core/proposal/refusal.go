package proposal

import "fmt"

// A Refusal is why a planner proposes nothing, for a person.
type Refusal struct {
	Message string
	Help    string // what to do; it names no command
}

// Error says why.
func (r *Refusal) Error() string { return r.Message }

// Refused returns a [Refusal] with a message that is formatted as by [fmt.Sprintf].
func Refused(help, format string, args ...any) error {
	return &Refusal{fmt.Sprintf(format, args...), help}
}
