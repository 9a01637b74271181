package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"strconv"
	"time"

	"rankwarden.example/client"
	"rankwarden.example/demo"
	"rankwarden.example/demo/receiver"
)

// loopback is where the stand-ins of the demo are.
var loopback = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}

// standInReceivers starts a webhook, a collector of syslog and a mail server, and sets them up as targets. They are at
// other ports after each start.
func standInReceivers(ctx context.Context, owner *client.Client) (stop func() error, err error) {
	r := &receiver.Receiver{}
	listeners := make([]net.Listener, 3)
	for i := range listeners {
		if listeners[i], err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
			return nil, fmt.Errorf("the stand-ins for receivers of notifications: %w", err)
		}
	}
	web, mail := &http.Server{Handler: r, ReadHeaderTimeout: 10 * time.Second}, r.MailServer()
	go func() { _ = web.Serve(listeners[0]) }() // until it is stopped
	go r.CollectSyslog(listeners[1])
	go func() { _ = mail.Serve(listeners[2]) }()
	stop = func() error { return errors.Join(web.Close(), listeners[1].Close(), mail.Close()) }
	port := func(i int) string { return strconv.Itoa(listeners[i].Addr().(*net.TCPAddr).Port) } // was listened on
	err = demo.Targets(ctx, owner, demo.Receivers{
		Webhook: "http://127.0.0.1:" + port(0) + "/warden",
		Syslog:  "tcp://127.0.0.1:" + port(1),
		Mail:    "smtp+clear://127.0.0.1:" + port(2),
	})
	if err != nil {
		return nil, errors.Join(fmt.Errorf("setting up notifications: %w", err), stop())
	}
	return stop, nil
}
