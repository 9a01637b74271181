package store

import (
	"errors"
	"strings"
	"syscall"

	"golang.org/x/sys/unix"
)

// userTimeout breaks a connection on which nothing is acknowledged any more (RFC 5482).
func userTimeout(network, _ string, conn syscall.RawConn) error {
	if !strings.HasPrefix(network, "tcp") {
		return nil
	}
	var set error
	err := conn.Control(func(fd uintptr) {
		set = unix.SetsockoptInt(int(fd), unix.IPPROTO_TCP, unix.TCP_USER_TIMEOUT, int(unanswered.Milliseconds()))
	})
	return errors.Join(err, set)
}
