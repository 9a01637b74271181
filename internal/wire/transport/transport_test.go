package transport

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"net/http"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The example of RFC 9421, appendix B.2.5, with the shared secret of B.1.5.
func TestSignatureOfTheStandard(t *testing.T) {
	req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, "https://example.com/foo?param=Value&Pet=dog",
		nil)
	require.NoError(t, err)
	req.Header.Set("Date", "Tue, 20 Apr 2021 02:07:55 GMT")
	req.Header.Set("Content-Type", "application/json")
	secret, err := base64.StdEncoding.DecodeString(
		"uzvJfB4u3N0Jy4T7NZ75MDVcr8zSTInedJtkgcu46YW4XByzNJjxBdtjUkdJPBtbmHhIDi6pcl8jsasjlTMtDQ==")
	require.NoError(t, err)
	base := signatureBase(req, []string{"date", "@authority", "content-type"},
		`("date" "@authority" "content-type");created=1618884473;keyid="test-shared-secret"`)
	mac := hmac.New(sha256.New, secret)
	mac.Write(base)
	assert.Equal(t, "pxcQw6G3AjtMBQjwo8XzkZf/bws5LelbaMk5rGIGtE8=", base64.StdEncoding.EncodeToString(mac.Sum(nil)))
	assert.Equal(t, 3, bytes.Count(base, []byte("\n")))
}

// What leads into networks of the service is refused, however it is written.
func TestAddressesThatAreNotPermitted(t *testing.T) {
	for _, a := range []string{
		"127.0.0.1", "127.9.9.9", "::1", "::ffff:127.0.0.1", "10.1.2.3", "172.16.0.1", "192.168.1.1", "169.254.169.254",
		"fe80::1", "fd00::1",
		"0.0.0.0", "::", "100.64.0.1", "224.0.0.1", "255.255.255.255", "ff02::1", "64:ff9b::7f00:1", "2002:7f00:1::",
		"192.0.0.192",
		"::ffff:10.0.0.1", "240.0.0.1", "198.18.0.1",
	} {
		assert.False(t, Network{}.Permits(netip.MustParseAddr(a)), a)
	}
	for _, a := range []string{"9.9.9.9", "2620:fe::fe"} {
		assert.True(t, Network{}.Permits(netip.MustParseAddr(a)), a)
	}
	within := Network{Permitted: []netip.Prefix{netip.MustParsePrefix("10.20.0.0/16")}}
	assert.True(t, within.Permits(netip.MustParseAddr("10.20.3.4")))
	assert.True(t, within.Permits(netip.MustParseAddr("::ffff:10.20.3.4")))
	assert.False(t, within.Permits(netip.MustParseAddr("10.21.3.4")))
	_, err := Network{}.dial(t.Context(), "tcp", "localhost:1")
	assert.ErrorIs(t, err, ErrNotPermitted, "a name that stands for such an address")
}
