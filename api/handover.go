package api

import "time"

// HandoverFormat is the format of a handover sheet.
const HandoverFormat = "rankwarden.handover/1"

// Retirement says why a device is retired.
type Retirement struct {
	Because        string     `json:"because"                   enum:"lost,sold,reinstalled,repair"`
	Note           string     `json:"note,omitempty"            maxLength:"500" doc:"In your own words, such as a ticket"`
	PasswordsUntil *time.Time `json:"passwords_until,omitempty" doc:"Until when its passwords are kept; 180 days when left out, five years at most"`
}

// Retired is why and when a device was retired.
type Retired struct {
	Because        string    `json:"because"`
	Note           string    `json:"note"`
	By             string    `json:"by"`
	At             time.Time `json:"at"`
	PasswordsUntil time.Time `json:"passwords_until"`
}

// Handover says what was in force on a device, who could get in, and who saw which password.
type Handover struct {
	Format         string            `json:"format"`
	Organisation   string            `json:"organisation"`
	MadeAt         time.Time         `json:"made_at"`
	MadeBy         string            `json:"made_by"`
	Device         string            `json:"device"`
	DeviceID       string            `json:"device_id"`
	Serial         string            `json:"serial"`
	Model          string            `json:"model"`
	Platform       string            `json:"platform"`
	OSVersion      string            `json:"os_version"`
	EnrolledAt     time.Time         `json:"enrolled_at"`
	LastContact    *time.Time        `json:"last_contact"`
	Retired        *Retired          `json:"retired" doc:"Null while it is not"`
	Settings       []HandoverSetting `json:"settings" nullable:"false" doc:"In force"`
	Administrators []LocalMember     `json:"administrators" nullable:"false" doc:"Who could get in, as the device said last"`
	Passwords      []HandoverAccount `json:"passwords" nullable:"false" doc:"In escrow, without the passwords"`
	Views          []Reveal          `json:"views" nullable:"false" doc:"Of its passwords, latest first, at most 500"`
}

// HandoverSetting is a setting that was in force.
type HandoverSetting struct {
	Unit     string   `json:"unit"`
	Section  string   `json:"section"`
	Title    string   `json:"title"`
	Desired  string   `json:"desired" doc:"In words"`
	Reported string   `json:"reported" doc:"In words"`
	InStep   bool     `json:"in_step"`
	From     []string `json:"from" nullable:"false" doc:"Assignments that decided"`
}

// HandoverAccount is an account whose password is in escrow.
type HandoverAccount struct {
	Account   string     `json:"account"`
	Name      string     `json:"name"`
	ChangedAt *time.Time `json:"changed_at"`
	Deposits  int        `json:"deposits" doc:"Kept, the current one and former ones"`
}

// HandoverSheet is a handover with what proves it: a JWS of exactly this sheet, and the list of keys that says whose
// the signature is.
type HandoverSheet struct {
	Handover
	Signed  string `json:"signed"`
	KeyList string `json:"key_list"`
}
