package client

import (
	"time"
)

// Me is who is signed in.
type Me struct {
	Name         string `json:"name"`
	Role         string `json:"role" enum:"owner,viewer"`
	Organisation string `json:"organisation"`
	Interval     int    `json:"interval_seconds" doc:"Seconds between two check-ins of a device"`
}

// Operator is a person who signs in.
type Operator struct {
	Name      string    `json:"name"`
	Role      string    `json:"role" enum:"owner,viewer"`
	Disabled  bool      `json:"disabled"`
	CreatedAt time.Time `json:"created_at"`
}

// Token is an API token without its secret.
type Token struct {
	ID        string    `json:"id"`
	Name      string    `json:"name"`
	Role      string    `json:"role" enum:"owner,viewer"`
	CreatedAt time.Time `json:"created_at"`
	ExpiresAt time.Time `json:"expires_at"`
	Revoked   bool      `json:"revoked"`
}

// NewToken is an API token with its secret, which is shown this once.
type NewToken struct {
	Token
	Secret string `json:"secret" doc:"Send it as Authorization: Bearer SECRET; it is shown this once"`
}
