package machine

import (
	"net"
	"syscall"
)

// forced is SO_RCVBUFFORCE of Linux: beyond what the system allows everybody, for who may.
const forced = 33

// Widen asks for room for packets that wait to be read: as much as is asked for where this process may, else as much as it gets.
func Widen(conn *net.UDPConn, bytes int) error {
	raw, err := conn.SyscallConn()
	if err != nil {
		return err
	}
	var failed error
	if err := raw.Control(func(fd uintptr) {
		failed = syscall.SetsockoptInt(int(fd), syscall.SOL_SOCKET, forced, bytes)
	}); err != nil {
		return err
	}
	if failed != nil {
		return conn.SetReadBuffer(bytes)
	}
	return nil
}
