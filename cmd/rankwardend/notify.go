package main

import (
	"fmt"
	"net/netip"

	"github.com/knadh/koanf/v2"
)

// notifyNetworks are the networks that notifications may go to beside public addresses.
func notifyNetworks(k *koanf.Koanf) ([]netip.Prefix, error) {
	var list []netip.Prefix
	for _, text := range k.Strings("notify-network") {
		network, err := netip.ParsePrefix(text)
		if err != nil {
			return nil, fmt.Errorf("notify-network %q must be a network such as 10.20.0.0/16, or one address such as "+
				"10.20.0.7/32", text)
		}
		list = append(list, network.Masked())
	}
	return list, nil
}
