package api

import (
	"time"
)

// Me is who is signed in.
type Me struct {
	Name         string   `json:"name"`
	Roles        []Role   `json:"roles" nullable:"false"`
	Rights       []string `json:"rights" nullable:"false" doc:"look, reveal, handle, draft, deploy, trail, administer; on some device at least"`
	Organisation string   `json:"organisation"`
	Interval     int      `json:"interval_seconds" doc:"Seconds between two check-ins of a device"`
	AtProvider   bool     `json:"at_provider" doc:"They sign in with the identity provider"`
	MustChange   bool     `json:"must_change_password" doc:"Somebody else gave the password; nothing else is possible before it is changed"`
	NeedsFactor  bool     `json:"needs_second_factor" doc:"Nothing else is possible before a second factor is set up"`
}

// Tour is how far somebody has come with the tour of the console.
type Tour struct {
	At string `json:"at" pattern:"^(|left|[0-9]{1,2})$" doc:"Empty before it, the number of a stop from 0, or left"`
}

// Role is a role of an operator, with the groups on whose devices it holds.
type Role struct {
	Role   string   `json:"role" enum:"viewer,requester,support,author,deployer,auditor,owner"`
	Groups []string `json:"groups" nullable:"false" doc:"Its reach: listed groups, or by organisation facts; empty for every device"`
}

// RoleRights is what a role may do.
type RoleRights struct {
	Role       string   `json:"role" enum:"viewer,requester,support,author,deployer,auditor,owner"`
	Rights     []string `json:"rights" nullable:"false" doc:"look, reveal, handle, draft, deploy, trail, administer"`
	Everywhere bool     `json:"everywhere" doc:"It cannot be held on some devices only"`
}

// Operator is a person who signs in.
type Operator struct {
	Name       string          `json:"name"`
	Roles      []Role          `json:"roles" nullable:"false"`
	Disabled   bool            `json:"disabled"`
	AtProvider bool            `json:"at_provider" doc:"They sign in with the identity provider, whose groups give the roles"`
	Sealed     bool            `json:"sealed" doc:"For the day on which nobody else gets in; its use is an alarm"`
	CreatedAt  time.Time       `json:"created_at"`
	Rights     []OperatorRight `json:"rights" nullable:"false" doc:"What all the roles come to"`
}

// OperatorRight is something that an operator may do, and on which devices.
type OperatorRight struct {
	Right  string   `json:"right" enum:"look,reveal,handle,ask,draft,deploy,trail,administer"`
	Groups []string `json:"groups" nullable:"false" doc:"On devices of these groups; empty for every device"`
}

// DevicePerson is an operator who may do something on a device.
type DevicePerson struct {
	Name       string   `json:"name"`
	Rights     []string `json:"rights" nullable:"false" doc:"look, reveal (see passwords), handle, draft, deploy (put into force and approve), trail, administer"`
	Roles      []Role   `json:"roles" nullable:"false" doc:"The roles that give the rights there"`
	AtProvider bool     `json:"at_provider"`
	Sealed     bool     `json:"sealed" doc:"For the day on which nobody else gets in"`
}

// Approver is an operator who can approve a change.
type Approver struct {
	Name string `json:"name"`
}

// Token is an API token without its secret.
type Token struct {
	ID        string    `json:"id"`
	Name      string    `json:"name"`
	Operator  string    `json:"operator" doc:"Whose it is"`
	Role      string    `json:"role" doc:"That was asked for; empty for all that its maker might do"`
	Roles     []Role    `json:"roles" nullable:"false" doc:"What it was given; it may do no more than this, and no more than its operator"`
	CreatedAt time.Time `json:"created_at"`
	ExpiresAt time.Time `json:"expires_at"`
	Revoked   bool      `json:"revoked"`
}

// NewToken is an API token with its secret, which is shown this once.
type NewToken struct {
	Token
	Secret string `json:"secret" doc:"Send it as Authorization: Bearer SECRET; it is shown this once"`
}

// SecondFactor is what somebody has beside the password, without its secret.
type SecondFactor struct {
	On        bool       `json:"on"`
	Since     *time.Time `json:"since"`
	CodesLeft int        `json:"recovery_codes_left"`
	Required  bool       `json:"required" doc:"Everybody here needs one"`
}

// NewSecondFactor is a secret for one-time codes (RFC 6238), shown this once.
type NewSecondFactor struct {
	Secret string `json:"secret" doc:"In base32, to type in"`
	URI    string `json:"uri" doc:"The same for an authenticator, as otpauth"`
	Image  string `json:"image" doc:"The same as a QR code: a data URL of a PNG"`
}

// Code is a one-time code.
type Code struct {
	Code string `json:"code" minLength:"6" maxLength:"20"`
}

// Proof is what somebody gives who is signed in, to show that it is still the same person.
type Proof struct {
	Password string `json:"password" minLength:"1" maxLength:"1024"`
	Code     string `json:"code,omitempty" maxLength:"20" doc:"Of the second factor, where there is one"`
}

// NewPassword is one's own new password, with what proves who one is.
type NewPassword struct {
	Proof
	NewPassword string `json:"new_password" minLength:"1" maxLength:"1024" doc:"At least 12 characters"`
}

// RecoveryCodes open the account once each, when the authenticator is lost. They are shown this once.
type RecoveryCodes struct {
	Codes []string `json:"codes" nullable:"false"`
}

// DeviceGrant is a program without a browser that waits for a token.
type DeviceGrant struct {
	Code      string    `json:"code"`
	Program   string    `json:"program" doc:"What it says of itself"`
	Address   string    `json:"address" doc:"Where it asks from"`
	Hours     int       `json:"hours" doc:"That its token is to live"`
	CreatedAt time.Time `json:"created_at"`
	ExpiresAt time.Time `json:"expires_at"`
}

// SignInWays are the ways to sign in.
type SignInWays struct {
	Provider string `json:"provider" doc:"Name of the identity provider; empty for none"`
	Password bool   `json:"password" doc:"With name and password"`
	Passkeys string `json:"passkeys" doc:"Name of the host that passkeys are for; empty for no passkeys"`
}

// SignedOut is where to go on after signing out.
type SignedOut struct {
	Next string `json:"next" doc:"Page on which one signs out of the identity provider too; empty for none"`
}
