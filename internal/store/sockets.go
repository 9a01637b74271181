package store

import (
	"net"
	"time"
)

// How soon either side of a connection notices that the other one vanished without a word.
const (
	keepAliveIdle  = 10 * time.Second
	keepAliveEvery = 5 * time.Second
	keepAlives     = 2                // probes without an answer
	unanswered     = 20 * time.Second // after which what was sent and not acknowledged breaks the connection
)

// dialer dials the database.
var dialer = net.Dialer{
	KeepAliveConfig: net.KeepAliveConfig{Enable: true, Idle: keepAliveIdle, Interval: keepAliveEvery,
		Count: keepAlives},
	Control: userTimeout,
}
