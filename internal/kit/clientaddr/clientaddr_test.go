package clientaddr_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/kit/clientaddr"
)

func TestTheClientBehindProxies(t *testing.T) {
	proxies, err := clientaddr.Parse([]string{"192.0.2.1", "198.51.100.0/24", "2001:db8::/32"})
	require.NoError(t, err)
	for name, c := range map[string]struct {
		remote    string
		forwarded []string
		want      string
	}{
		"no proxy":                       {"203.0.113.5", nil, "203.0.113.5"},
		"somebody who says to be one":    {"203.0.113.5", []string{"10.0.0.1"}, "203.0.113.5"},
		"one proxy":                      {"192.0.2.1", []string{"203.0.113.5"}, "203.0.113.5"},
		"what the client wrote before":   {"192.0.2.1", []string{"10.0.0.1, 203.0.113.5"}, "203.0.113.5"},
		"in a header of its own":         {"192.0.2.1", []string{"10.0.0.1", "203.0.113.5"}, "203.0.113.5"},
		"a client that names a proxy":    {"192.0.2.1", []string{"192.0.2.1, 203.0.113.5"}, "203.0.113.5"},
		"two proxies":                    {"192.0.2.1", []string{"10.0.0.1, 203.0.113.5, 198.51.100.7"}, "203.0.113.5"},
		"a proxy that says nothing":      {"192.0.2.1", nil, "192.0.2.1"},
		"nonsense":                       {"192.0.2.1", []string{"10.0.0.1, nonsense"}, "192.0.2.1"},
		"nonsense behind a proxy":        {"192.0.2.1", []string{"10.0.0.1,, 198.51.100.7"}, "198.51.100.7"},
		"all of them are proxies":        {"192.0.2.1", []string{"198.51.100.8, 198.51.100.7"}, "198.51.100.8"},
		"the newer protocol":             {"2001:db8::1", []string{"10.0.0.1, 2001:470::5"}, "2001:470::5"},
		"an older address in a new form": {"::ffff:192.0.2.1", []string{"::ffff:203.0.113.5"}, "203.0.113.5"},
		"a zone":                         {"192.0.2.1", []string{"fe80::1%eth0"}, "fe80::1"},
	} {
		assert.Equal(t, c.want, proxies.Client(netip.MustParseAddr(c.remote), c.forwarded).String(), name)
	}
	var none clientaddr.Proxies
	assert.Equal(t, "192.0.2.1", none.Client(netip.MustParseAddr("192.0.2.1"), []string{"10.0.0.1"}).String())
	_, err = clientaddr.Parse([]string{"proxy.skerryline.example"})
	assert.ErrorContains(t, err, "neither an address")
}
