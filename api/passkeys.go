package api

import (
	"encoding/json"
	"time"
)

// Passkey is the public half of a key that somebody signs in with (WebAuthn).
type Passkey struct {
	ID        string     `json:"id"`
	Name      string     `json:"name" doc:"That its owner knows it by"`
	CreatedAt time.Time  `json:"created_at"`
	UsedAt    *time.Time `json:"used_at"`
}

// PasskeyCeremony is what the browser is asked to do.
type PasskeyCeremony struct {
	Ceremony string          `json:"ceremony" doc:"Send it with the answer, within 10 minutes and once"`
	Options  json.RawMessage `json:"options" doc:"Of navigator.credentials, as JSON (WebAuthn level 3)"`
}

// PasskeyAnswer is what the browser's authenticator answered.
type PasskeyAnswer struct {
	Ceremony string          `json:"ceremony" minLength:"1" maxLength:"100"`
	Response json.RawMessage `json:"response" doc:"The credential as JSON (WebAuthn level 3)"`
}

// NewPasskey is an answer with a name.
type NewPasskey struct {
	PasskeyAnswer
	Name string `json:"name" minLength:"1" maxLength:"60"`
}
