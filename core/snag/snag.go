// Package snag has the two ways in which the core says that something is not as it should be:
// a Snag, which is reported while the work goes on, and a Refusal, which stops the one thing it
// is about and nothing else.
package snag

import (
	"errors"
	"fmt"
)

// Snag is something a person should know of, with a stable code for programs.
type Snag struct {
	Code    string `json:"code"`
	Message string `json:"message"`
}

// New makes a snag.
func New(code, format string, args ...any) Snag {
	return Snag{Code: code, Message: fmt.Sprintf(format, args...)}
}

// Refusal is an error with a stable code and a message that says what was found, what was
// expected and what to do.
type Refusal struct {
	Code    string `json:"code"`
	Message string `json:"message"`
	cause   error
}

// Refuse makes a Refusal. A %w verb in format keeps its operand as the cause.
func Refuse(code, format string, args ...any) *Refusal {
	err := fmt.Errorf(format, args...)
	return &Refusal{Code: code, Message: err.Error(), cause: errors.Unwrap(err)}
}

// In is an error with where in a file it is: the chunk, and the byte at which that begins. It keeps its code, and is its own cause;
// nil stays nil.
func In(err error, chunk string, at int64) error {
	if err == nil {
		return nil
	}
	return &Refusal{Code: Of(err).Code, Message: fmt.Sprintf("%s (%s chunk at byte %d)", err.Error(), chunk, at), cause: err}
}

// Error returns the message.
func (r *Refusal) Error() string { return r.Message }

// Unwrap returns the cause, if any.
func (r *Refusal) Unwrap() error { return r.cause }

// Of returns err as a Refusal; an error of another kind gets the code "unreadable".
func Of(err error) *Refusal {
	var r *Refusal
	if errors.As(err, &r) {
		return r
	}
	return &Refusal{Code: "unreadable", Message: err.Error(), cause: err}
}
