package deviceapi

import (
	"crypto/ed25519"
	"net/http"
	"time"

	"github.com/gofiber/fiber/v3"

	"rankwarden.example/internal/wire/protocol"
	"rankwarden.example/internal/wire/strictjson"
)

// request is a signed request whose signature holds.
type request struct {
	header  protocol.Header
	payload []byte
	digest  string
}

// open reads a request as a signed document. Nothing of it is believed yet.
func (a *API) open(c fiber.Ctx) (*protocol.SignedDocument, error) {
	if len(c.BodyRaw()) > protocol.MaxRequest {
		return nil, refuse(
			http.StatusRequestEntityTooLarge,
			protocol.CodeTooLarge,
			"the request is larger than a megabyte; nothing of it was stored",
		)
	}
	signed, err := protocol.Parse(string(c.BodyRaw()))
	if err != nil {
		return nil, refuse(
			http.StatusBadRequest,
			protocol.CodeNotSigned,
			"the request is not a signed document; send a compact JWS as "+protocol.ContentType,
		)
	}
	return signed, nil
}

// verify checks that a key signed the request, for this address and about now. A request that was recorded and is
// sent again elsewhere or later is refused.
func (a *API) verify(c fiber.Ctx, signed *protocol.SignedDocument, key ed25519.PublicKey) (request, error) {
	payload, err := signed.Verify(key)
	if err != nil {
		return request{}, refuse(
			http.StatusUnauthorized,
			protocol.CodeBadSignature,
			"the signature does not hold for this device's key; the request was changed on its way, or another key "+
				"signed it",
		)
	}
	if signed.Header.URL != c.Path() {
		return request{}, refuse(
			http.StatusUnauthorized,
			protocol.CodeWrongURL,
			"the request was signed for another address; it cannot be used here",
		)
	}
	if skew := a.Now().Sub(signed.Header.Time).Abs(); skew > protocol.MaxSkew {
		return request{}, refuse(
			http.StatusUnauthorized,
			protocol.CodeWrongTime,
			"the time in the request is "+skew.Round(time.Second).String()+
				" off; set the clock by the time in the service's signed answers",
		)
	}
	return request{signed.Header, payload, protocol.Digest(c.BodyRaw())}, nil
}

func read(payload []byte, into any) error {
	if err := strictjson.Unmarshal(payload, into); err != nil {
		return refuse(
			http.StatusUnprocessableEntity,
			protocol.CodeBadDocument,
			"the signed document cannot be read: "+err.Error(),
		)
	}
	return nil
}

// sign signs an answer to the request of a digest.
func (a *API) sign(request string, body any) (string, error) {
	key := a.Passwords.Signing()
	return protocol.Sign(key, protocol.Header{KeyID: key.ID, Time: a.Now(), Answers: request}, body, false)
}

// answer answers a request, signed.
func (a *API) answer(c fiber.Ctx, req request, body any) error {
	signed, err := a.sign(req.digest, body)
	if err != nil {
		return err
	}
	c.Set("Content-Type", protocol.ContentType)
	return c.SendString(signed)
}
