package api

import "time"

// EscrowKey is a key that passwords are sealed to; its private half is never in the service's database.
type EscrowKey struct {
	Number    int64      `json:"number"`
	Use       string     `json:"use" enum:"escrow,recovery" doc:"escrow: the service opens with it what operators view; recovery: kept offline"`
	State     string     `json:"state" enum:"new,live,retired"`
	Deposits  int        `json:"deposits" doc:"That are sealed to it"`
	Held      bool       `json:"held" doc:"The replica that answered has its private half"`
	MadeAt    time.Time  `json:"made_at"`
	MadeBy    string     `json:"made_by"`
	ProvedAt  *time.Time `json:"proved_at"`
	RetiredAt *time.Time `json:"retired_at"`
	DrilledAt *time.Time `json:"drilled_at" doc:"When a copy of a recovery key last opened what is sealed to it; null for never"`
	Asked     string     `json:"asked" enum:",live,retired" doc:"State that waits for a second owner; empty for none"`
	AskedBy   string     `json:"asked_by"`
	Reseal    KeyReseal  `json:"reseal"`
}

// KeyReseal is how far sealing the deposits of a key again has come.
type KeyReseal struct {
	By    string `json:"by" doc:"Who asked for it; empty where nothing is under way"`
	Total int    `json:"total" doc:"Deposits"`
	Done  int    `json:"done"`
	Error string `json:"error" doc:"Why it ended before its end"`
}

// NewEscrowKey is the public half of a key that was made elsewhere.
type NewEscrowKey struct {
	Number int64  `json:"number" minimum:"1" doc:"One more than the highest so far"`
	Use    string `json:"use" enum:"escrow,recovery"`
	Public []byte `json:"public" doc:"As RFC 9180 serialises it, in base64"`
}

// KeyChallenge is opened with the private half, which proves that a copy of it exists.
type KeyChallenge struct {
	Document []byte `json:"document" doc:"Give it to rankwardend answer, or rankwarden key prove"`
}

// KeyAnswer is what a challenge holds.
type KeyAnswer struct {
	Answer string `json:"answer" minLength:"1" maxLength:"100"`
}

// UnrecoveredPassword is a current password that no recovery key opens.
type UnrecoveredPassword struct {
	Device    string    `json:"device"`
	DeviceID  string    `json:"device_id"`
	Account   string    `json:"account"`
	Name      string    `json:"name"`
	ChangedAt time.Time `json:"changed_at"`
}
