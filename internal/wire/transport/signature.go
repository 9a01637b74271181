package transport

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"net/http"
	"strings"
	"time"
)

// signed are the components of a request that its signature covers.
var signed = []string{"@method", "@target-uri", "content-type", "content-digest"}

// sign signs a request with a shared secret: HTTP Message Signatures (RFC 9421) with hmac-sha256, over the digest of
// its body (RFC 9530) too.
func sign(req *http.Request, body []byte, keyID string, secret []byte, at time.Time) {
	digest := sha256.Sum256(body)
	req.Header.Set("Content-Digest", "sha-256=:"+base64.StdEncoding.EncodeToString(digest[:])+":")
	params := fmt.Sprintf(`("%s");created=%d;keyid=%q;alg="hmac-sha256"`, strings.Join(signed, `" "`), at.Unix(), keyID)
	mac := hmac.New(sha256.New, secret)
	mac.Write(signatureBase(req, signed, params))
	req.Header.Set("Signature-Input", "rankwarden="+params)
	req.Header.Set("Signature", "rankwarden=:"+base64.StdEncoding.EncodeToString(mac.Sum(nil))+":")
}

// signatureBase is what is signed (RFC 9421, section 2.5).
func signatureBase(req *http.Request, components []string, params string) []byte {
	var b bytes.Buffer
	for _, name := range components {
		value := strings.TrimSpace(req.Header.Get(name))
		switch name {
		case "@method":
			value = req.Method
		case "@target-uri":
			value = req.URL.String()
		case "@authority":
			value = strings.ToLower(req.URL.Host)
		}
		fmt.Fprintf(&b, "%q: %s\n", name, value)
	}
	fmt.Fprintf(&b, `"@signature-params": %s`, params)
	return b.Bytes()
}
