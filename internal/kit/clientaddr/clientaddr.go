// Package clientaddr finds the address of a client behind proxies.
//
// Each proxy appends the address that it took a request from to X-Forwarded-For. Whatever stands before the address
// that the first trusted proxy appended was written by the client, who may write anything. So the header is read from
// the right, as far as trusted proxies go (RFC 7239, section 8.1).
package clientaddr

import (
	"fmt"
	"net/netip"
	"strings"

	"github.com/gofiber/fiber/v3"
)

// Proxies are the networks of trusted proxies. No proxy is trusted when there are none.
type Proxies []netip.Prefix

// Parse reads addresses and networks.
func Parse(list []string) (Proxies, error) {
	var proxies Proxies
	for _, s := range list {
		if addr, err := netip.ParseAddr(s); err == nil {
			proxies = append(proxies, netip.PrefixFrom(addr, addr.BitLen()))
			continue
		}
		network, err := netip.ParsePrefix(s)
		if err != nil {
			return nil, fmt.Errorf("%q is neither an address (192.0.2.7) nor a network (192.0.2.0/24)", s)
		}
		proxies = append(proxies, network.Masked())
	}
	return proxies, nil
}

// Trust reports whether an address is that of a trusted proxy.
func (p Proxies) Trust(addr netip.Addr) bool {
	for _, network := range p {
		if network.Contains(addr.Unmap()) || network.Contains(addr) {
			return true
		}
	}
	return false
}

// Client is the address of the client of a request that came from a remote address with headers X-Forwarded-For, in
// order. It is the first from the right that is no trusted proxy; where the header ends before, or holds what is no
// address, it is the last proxy that is known.
func (p Proxies) Client(remote netip.Addr, forwarded []string) netip.Addr {
	client := remote.Unmap()
	hops := strings.Split(strings.Join(forwarded, ","), ",")
	for i := len(hops) - 1; i >= 0 && p.Trust(client); i-- {
		hop, err := netip.ParseAddr(strings.TrimSpace(hops[i]))
		if err != nil {
			break
		}
		client = hop.Unmap().WithZone("")
	}
	return client
}

type key struct{}

// Middleware notes the address of the client of each request, for [Of].
func (p Proxies) Middleware(c fiber.Ctx) error {
	remote, ok := netip.AddrFromSlice(c.RequestCtx().RemoteIP())
	if ok {
		var forwarded []string
		for _, header := range c.Request().Header.PeekAll(fiber.HeaderXForwardedFor) {
			forwarded = append(forwarded, string(header))
		}
		c.Locals(key{}, p.Client(remote, forwarded).String())
	}
	return c.Next()
}

// Of is the address of the client of a request, empty where it has none.
func Of(c fiber.Ctx) string {
	address, _ := c.Locals(key{}).(string)
	return address
}
