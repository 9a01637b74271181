package transport

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"syscall"
)

// Network says where messages may go: to public addresses, and to those permitted. Without a permission nobody who may
// set up a receiver can reach the service's own machine or network through it. The zero Network permits public
// addresses.
type Network struct{ Permitted []netip.Prefix }

// ErrNotPermitted is matched by the errors of connections to addresses that are not permitted.
var ErrNotPermitted = errors.New("addresses of the service's own networks are refused; whoever runs the service may " +
	"permit one with notify-network")

// special are ranges that look public and lead elsewhere (RFC 6890 and its registries).
var special = prefixes(
	"0.0.0.0/8", "100.64.0.0/10", "192.0.0.0/24", "192.0.2.0/24", "192.88.99.0/24", "198.18.0.0/15", "198.51.100.0/24",
	"203.0.113.0/24", "240.0.0.0/4", "64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001::/23", "2001:db8::/32",
	"2002::/16", "fec0::/10",
)

func prefixes(list ...string) []netip.Prefix {
	parsed := make([]netip.Prefix, len(list))
	for i, p := range list {
		parsed[i] = netip.MustParsePrefix(p)
	}
	return parsed
}

// Permits reports whether messages may go to an address.
func (n Network) Permits(a netip.Addr) bool {
	a = a.Unmap().WithZone("")
	return within(n.Permitted, a) || a.IsGlobalUnicast() && !a.IsPrivate() && !within(special, a) && !ownAddress(a)
}

// Names reports whether an address is one of those permitted beside public ones.
func (n Network) Names(a netip.Addr) bool { return within(n.Permitted, a) }

func within(list []netip.Prefix, a netip.Addr) bool {
	return slices.ContainsFunc(list, func(p netip.Prefix) bool { return p.Contains(a) })
}

// ownAddress reports whether an address is one of this machine.
func ownAddress(a netip.Addr) bool {
	list, err := net.InterfaceAddrs()
	if err != nil {
		return true // nothing is known, so nothing is permitted
	}
	return slices.ContainsFunc(list, func(found net.Addr) bool {
		p, err := netip.ParsePrefix(found.String())
		return err == nil && p.Addr().Unmap().WithZone("") == a
	})
}

// CheckHost refuses a host that is an address which is not permitted. What a name stands for is checked at each
// connection.
func (n Network) CheckHost(host string) error {
	if a, err := netip.ParseAddr(host); err == nil && !n.Permits(a) {
		return fmt.Errorf("%s: %w", host, ErrNotPermitted)
	}
	return nil
}

// dial connects, and refuses the address that a name turned out to stand for where it is not permitted.
func (n Network) dial(ctx context.Context, network, address string) (net.Conn, error) {
	d := net.Dialer{Timeout: patience, ControlContext: func(_ context.Context, _, address string,
		_ syscall.RawConn) error {
		at, err := netip.ParseAddrPort(address)
		if err != nil {
			return err
		}
		if !n.Permits(at.Addr()) {
			return fmt.Errorf("%s: %w", at.Addr(), ErrNotPermitted)
		}
		return nil
	}}
	return d.DialContext(ctx, network, address)
}
