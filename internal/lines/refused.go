package lines

import (
	"errors"
	"syscall"
)

// refused reports whether nobody listens at the other end, as a machine may tell of a packet that came before: what is sent over lines is
// sent whether anybody listens or not, and whoever plugs in later hears the rest.
func refused(err error) bool { return errors.Is(err, syscall.ECONNREFUSED) }
