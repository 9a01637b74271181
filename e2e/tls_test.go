package e2e

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"io"
	"log/slog"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/console"
	"rankwarden.example/internal/app"
)

// certificate makes a certificate for loopback and writes it with its key.
func certificate(t *testing.T) (certFile, keyFile string, pool *x509.CertPool) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{
		SerialNumber:          big.NewInt(1),
		Subject:               pkix.Name{CommonName: "warden.skerryline.example"},
		NotBefore:             time.Now().Add(-time.Hour),
		NotAfter:              time.Now().Add(time.Hour),
		IPAddresses:           []net.IP{net.IPv4(127, 0, 0, 1)},
		IsCA:                  true,
		BasicConstraintsValid: true,
	}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	require.NoError(t, err)
	keyDER, err := x509.MarshalECPrivateKey(key)
	require.NoError(t, err)
	dir := t.TempDir()
	write := func(name, kind string, data []byte) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: data}), 0o600))
		return path
	}
	pool = x509.NewCertPool()
	parsed, err := x509.ParseCertificate(der)
	require.NoError(t, err)
	pool.AddCert(parsed)
	return write("cert.pem", "CERTIFICATE", der), write("key.pem", "EC PRIVATE KEY", keyDER), pool
}

func TestTLS(t *testing.T) {
	certFile, keyFile, pool := certificate(t)
	url, err := cluster.CreateDatabase(t.Context(), "tls")
	require.NoError(t, err)
	config := app.Config{
		Listen:       "127.0.0.1:0",
		TLSCert:      certFile,
		TLSKey:       keyFile,
		Database:     url,
		Keys:         filepath.Join(t.TempDir(), "keys.json"),
		Organisation: "Skerry Line",
		Interval:     time.Minute,
	}
	require.NoError(t, app.CreateKeys(t.Context(), config))
	s, err := app.Start(t.Context(), config, console.Files(), slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Stop()) })
	_, err = s.Access.EnsureOwner(t.Context(), "asta", ownerPassword)
	require.NoError(t, err)

	web := func(most uint16) *http.Client {
		return &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool, MaxVersion: most}}}
	}
	_, err = web(tls.VersionTLS12).Get(s.URL + "/healthz")
	require.Error(t, err, "nothing below TLS 1.3")
	resp, err := web(
		tls.VersionTLS13,
	).Post(s.URL+"/api/v1/session", "application/json",
		stringReader(`{"name": "asta", "password": "`+ownerPassword+`"}`))
	require.NoError(t, err)
	defer resp.Body.Close()
	require.Len(t, resp.Cookies(), 1)
	assert.True(t, resp.Cookies()[0].Secure)
	assert.Contains(t, resp.Header.Get("Content-Security-Policy"), "default-src 'self'")
	assert.Equal(t, "no-store", resp.Header.Get("Cache-Control"))

	page, err := web(tls.VersionTLS13).Get(s.URL + "/devices/SKL-WKS-001?search=x")
	require.NoError(t, err)
	defer page.Body.Close()
	body, err := io.ReadAll(page.Body)
	require.NoError(t, err)
	assert.Contains(t, string(body), `<div id="root">`, "every place of the console is served its one page")
	for path, status := range map[string]int{"/assets/none.js": 404, "/../embed.go": 404, "/device/v1/none": 404,
		"/mark.svg": 200} {
		resp, err := web(tls.VersionTLS13).Get(s.URL + path)
		require.NoError(t, err)
		resp.Body.Close()
		assert.Equal(t, status, resp.StatusCode, path)
	}
}
