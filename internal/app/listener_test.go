package app

import (
	"io"
	"net"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whoever is answered before having sent everything can send the rest, and reads the answer.
func TestARefusalReachesWhoeverIsStillSending(t *testing.T) {
	plain, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	l := remember(plain)
	t.Cleanup(func() { l.Close() })
	closed := make(chan error, 1)
	go func() {
		c, err := l.Accept()
		if err == nil {
			_, err = io.ReadFull(c, make([]byte, 10))
		}
		if err == nil {
			_, err = io.WriteString(c, "too large")
		}
		if err == nil {
			err = c.Close()
		}
		closed <- err
	}()
	c, err := net.Dial("tcp", plain.Addr().String())
	require.NoError(t, err)
	_, err = io.WriteString(c, "0123456789")
	require.NoError(t, err)
	answer, err := io.ReadAll(c) // to the end: nothing more comes
	require.NoError(t, err)
	for range 100 {
		_, err = io.WriteString(c, strings.Repeat("x", 8<<10))
		require.NoError(t, err)
	}
	require.NoError(t, c.Close())
	assert.Equal(t, "too large", string(answer))
	assert.NoError(t, <-closed)
}
