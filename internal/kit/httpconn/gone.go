// Package httpconn looks at connections that are parked.
package httpconn

import (
	"errors"
	"os"
	"syscall"
)

// Gone waits until the read deadline of a connection, and is true when the other side closed it before, or
// sent something although it was not asked. Nothing is taken from the connection.
func Gone(conn syscall.Conn) bool {
	raw, err := conn.SyscallConn()
	if err != nil {
		return true
	}
	err = raw.Read(func(fd uintptr) bool {
		var peeked [1]byte
		_, _, err := syscall.Recvfrom(int(fd), peeked[:], syscall.MSG_PEEK|syscall.MSG_DONTWAIT)
		return !errors.Is(err, syscall.EAGAIN) && !errors.Is(err, syscall.EINTR)
	})
	return !errors.Is(err, os.ErrDeadlineExceeded)
}
