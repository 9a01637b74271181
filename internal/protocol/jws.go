package protocol

import (
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"time"

	"github.com/go-jose/go-jose/v4"
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

const (
	headerURL     = "url"
	headerTime    = "ts"
	headerSeq     = "seq"
	headerAnswers = "re"
)

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
	options := (&jose.SignerOptions{EmbedJWK: embed}).WithHeader(headerTime, strconv.FormatInt(header.Time.Unix(), 10))
	if header.URL != "" {
		options = options.WithHeader(headerURL, header.URL)
	}
	if header.Sequence != 0 {
		options = options.WithHeader(headerSeq, strconv.FormatInt(header.Sequence, 10))
	}
	if header.Answers != "" {
		options = options.WithHeader(headerAnswers, header.Answers)
	}
	signer, err := jose.NewSigner(
		jose.SigningKey{Algorithm: jose.EdDSA, Key: jose.JSONWebKey{Key: key.Private, KeyID: key.ID}},
		options,
	)
	if err != nil {
		return "", fmt.Errorf("signing: %w", err)
	}
	signed, err := signer.Sign(data)
	if err != nil {
		return "", fmt.Errorf("signing: %w", err)
	}
	return signed.CompactSerialize()
}

// SignedDocument is a document whose signature has not been checked yet.
type SignedDocument struct {
	Header   Header
	Embedded ed25519.PublicKey // the key in the header, nil when there is none
	jws      *jose.JSONWebSignature
}

// Parse reads a document without believing it: call [SignedDocument.Verify] for its payload.
func Parse(document string) (*SignedDocument, error) {
	jws, err := jose.ParseSignedCompact(document, []jose.SignatureAlgorithm{jose.EdDSA})
	if err != nil {
		return nil, fmt.Errorf("%w: it must be a compact JWS with alg EdDSA: %w", ErrMalformed, err)
	}
	protected := jws.Signatures[0].Protected
	s := &SignedDocument{jws: jws, Header: Header{KeyID: protected.KeyID}}
	if protected.JSONWebKey != nil {
		s.Embedded, _ = protected.JSONWebKey.Key.(ed25519.PublicKey)
	}
	for name, read := range map[string]func(string) error{
		headerURL:     func(v string) error { s.Header.URL = v; return nil },
		headerAnswers: func(v string) error { s.Header.Answers = v; return nil },
		headerSeq:     func(v string) (err error) { s.Header.Sequence, err = strconv.ParseInt(v, 10, 64); return },
		headerTime: func(v string) error {
			seconds, err := strconv.ParseInt(v, 10, 64)
			s.Header.Time = time.Unix(seconds, 0).UTC()
			return err
		},
	} {
		value, there := protected.ExtraHeaders[jose.HeaderKey(name)]
		if !there {
			continue
		}
		text, ok := value.(string)
		if !ok || read(text) != nil {
			return nil, fmt.Errorf("%w: header %q must be a string of digits or text", ErrMalformed, name)
		}
	}
	return s, nil
}

// Verify checks the signature and gives the payload.
func (s *SignedDocument) Verify(key ed25519.PublicKey) ([]byte, error) {
	payload, err := s.jws.Verify(key)
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
