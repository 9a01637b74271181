package protocol

import (
	"cmp"
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/go-jose/go-jose/v4"

	"rankwarden.example/internal/wire/strictjson"
)

// Errors of opening a signed document.
var (
	ErrMalformed = errors.New("not a signed document")
	ErrSignature = errors.New("the signature does not hold")
)

// Header is what the protected header of a document carries beside the algorithm.
type Header struct {
	KeyID    string
	URL      string    // path the request is meant for
	Time     time.Time // whole seconds, in service time
	Sequence int64     // of the sender's writes
	Answers  string    // digest of the request that this answers
}

// protected is the protected header as it is written. Only this algorithm is spoken, so that a document can say of
// itself neither how it is checked nor by which key.
type protected struct {
	Algorithm string          `json:"alg"`
	JWK       *embedded       `json:"jwk,omitempty"`
	KeyID     string          `json:"kid,omitempty"`
	URL       string          `json:"url,omitempty"`
	Time      string          `json:"ts,omitempty"`
	Sequence  string          `json:"seq,omitempty"`
	Answers   string          `json:"re,omitempty"`
	Critical  json.RawMessage `json:"crit,omitempty"` // extensions that must be understood: there are none
}

// embedded is an Ed25519 key in a header (RFC 8037).
type embedded struct {
	Type  string `json:"kty"`
	Curve string `json:"crv"`
	X     string `json:"x"`
}

const algorithm = "EdDSA"

// Key is an Ed25519 key pair with its id, which is its thumbprint.
type Key struct {
	ID      string
	Private ed25519.PrivateKey
}

// Public is the public half.
func (k Key) Public() ed25519.PublicKey { return k.Private.Public().(ed25519.PublicKey) }

// Thumbprint is the RFC 7638 SHA-256 thumbprint of a public key, in base64url.
func Thumbprint(key ed25519.PublicKey) string {
	// An Ed25519 JWK always has a thumbprint.
	sum, _ := (&jose.JSONWebKey{Key: key}).Thumbprint(sha256Hash)
	return base64.RawURLEncoding.EncodeToString(sum)
}

// Digest is the digest of a document's bytes, as sha-256:HEX.
func Digest(document []byte) string {
	sum := sha256.Sum256(document)
	return "sha-256:" + hex.EncodeToString(sum[:])
}

// Sign signs payload, marshalled to JSON unless it is a []byte already. With embed, the public key
// goes into the header, for who does not know it yet.
func Sign(key Key, header Header, payload any, embed bool) (string, error) {
	data, ok := payload.([]byte)
	if !ok {
		var err error
		if data, err = json.Marshal(payload); err != nil {
			return "", fmt.Errorf("signing: %w", err)
		}
	}
	written := protected{
		Algorithm: algorithm,
		URL:       header.URL,
		Time:      strconv.FormatInt(header.Time.Unix(), 10),
		Answers:   header.Answers,
	}
	if header.Sequence != 0 {
		written.Sequence = strconv.FormatInt(header.Sequence, 10)
	}
	if embed {
		written.JWK = &embedded{Type: "OKP", Curve: "Ed25519", X: base64.RawURLEncoding.EncodeToString(key.Public())}
	} else {
		written.KeyID = key.ID
	}
	top, err := json.Marshal(written)
	if err != nil {
		return "", fmt.Errorf("signing: %w", err)
	}
	encoding := base64.RawURLEncoding
	document := make(
		[]byte,
		0,
		encoding.EncodedLen(len(top))+encoding.EncodedLen(len(data))+encoding.EncodedLen(ed25519.SignatureSize)+2,
	)
	document = encoding.AppendEncode(document, top)
	document = append(document, '.')
	document = encoding.AppendEncode(document, data)
	signature := ed25519.Sign(key.Private, document)
	document = append(document, '.')
	return string(encoding.AppendEncode(document, signature)), nil
}

// SignedDocument is a document whose signature has not been checked yet.
type SignedDocument struct {
	Header    Header
	Embedded  ed25519.PublicKey // the key in the header, nil when there is none
	signed    string            // what the signature is of
	payload   string
	signature string
}

// Parse reads a document without believing it: call [SignedDocument.Verify] for its payload.
func Parse(document string) (*SignedDocument, error) {
	top, rest, _ := strings.Cut(document, ".")
	payload, signature, three := strings.Cut(rest, ".")
	if !three || strings.Contains(signature, ".") ||
		strings.ContainsAny(document, "\r\n") { // which decoding would pass over
		return nil, fmt.Errorf("%w: it must be a compact JWS of three parts on one line", ErrMalformed)
	}
	s := &SignedDocument{signed: document[:len(top)+1+len(payload)], payload: payload, signature: signature}
	header, err := strict.DecodeString(top)
	if err != nil {
		return nil, fmt.Errorf("%w: its header is not base64url", ErrMalformed)
	}
	var read protected
	var anything any // parameters that are not known are passed over (RFC 7515, section 4), and none is there twice
	if err := cmp.Or(strictjson.Unmarshal(header, &anything), json.Unmarshal(header, &read)); err != nil {
		return nil, fmt.Errorf("%w: its header cannot be read: %w", ErrMalformed, err)
	}
	if read.Algorithm != algorithm || read.Critical != nil {
		return nil, fmt.Errorf("%w: it must be a compact JWS with alg %s and without crit", ErrMalformed, algorithm)
	}
	s.Header = Header{KeyID: read.KeyID, URL: read.URL, Answers: read.Answers}
	if read.Sequence != "" {
		if s.Header.Sequence, err = strconv.ParseInt(read.Sequence, 10, 64); err != nil {
			return nil, fmt.Errorf("%w: the header seq must be digits", ErrMalformed)
		}
	}
	if read.Time != "" {
		seconds, err := strconv.ParseInt(read.Time, 10, 64)
		if err != nil {
			return nil, fmt.Errorf("%w: the header ts must be digits", ErrMalformed)
		}
		s.Header.Time = time.Unix(seconds, 0).UTC()
	}
	if read.JWK != nil {
		x, err := strict.DecodeString(read.JWK.X)
		if err != nil || read.JWK.Type != "OKP" || read.JWK.Curve != "Ed25519" || len(x) != ed25519.PublicKeySize {
			return nil, fmt.Errorf("%w: the key in its header is not an Ed25519 key", ErrMalformed)
		}
		s.Embedded = x
	}
	return s, nil
}

// strict takes one text for each value, so that no document has a second form.
var strict = base64.RawURLEncoding.Strict()

// Verify checks the signature and gives the payload.
func (s *SignedDocument) Verify(key ed25519.PublicKey) ([]byte, error) {
	signature, err := strict.DecodeString(s.signature)
	if err != nil || len(key) != ed25519.PublicKeySize || !ed25519.Verify(key, []byte(s.signed), signature) {
		return nil, ErrSignature
	}
	payload, err := strict.DecodeString(s.payload)
	if err != nil {
		return nil, ErrSignature
	}
	return payload, nil
}

// Open is Parse, Verify and unmarshalling in one, for a document whose signer is known.
func Open(document string, key ed25519.PublicKey, into any) (Header, error) {
	signed, err := Parse(document)
	if err != nil {
		return Header{}, err
	}
	payload, err := signed.Verify(key)
	if err != nil {
		return Header{}, err
	}
	if err := json.Unmarshal(payload, into); err != nil {
		return Header{}, fmt.Errorf("%w: %w", ErrMalformed, err)
	}
	return signed.Header, nil
}
