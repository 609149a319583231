//go:build !linux

package wholefile

import "os"

// beginWrite does nothing where the system knows no such hint.
func beginWrite(*os.File, int64, int64) {}
