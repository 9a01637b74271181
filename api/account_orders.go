package api

import "time"

// AccountOrder says which local account is disabled or removed, and on which devices.
type AccountOrder struct {
	Do      string   `json:"do"                enum:"disable,remove"`
	Account string   `json:"account"           minLength:"1" maxLength:"300" doc:"local:NAME, account:KEY, or sid:S-1-…"`
	Devices []string `json:"devices,omitempty" maxItems:"5000" nullable:"false" doc:"Identifiers or names"`
	Group   string   `json:"group,omitempty"   maxLength:"63" doc:"Every device of the group as well"`
	Files   string   `json:"files,omitempty"   enum:"keep,move" default:"keep" doc:"Of an account that is removed: they stay, or go into a directory of the day where the platform can"`
}

// SeenAccountOrder is such an order with what was seen of it.
type SeenAccountOrder struct {
	AccountOrder
	Digest string `json:"digest" minLength:"1" maxLength:"100" doc:"That of the preview you have seen"`
}

// AccountOrderPreview is what such an order would do.
type AccountOrderPreview struct {
	Digest     string           `json:"digest" doc:"Send it with the order: it then does this and nothing else"`
	Devices    int              `json:"devices" doc:"That would get the order"`
	Privileged int              `json:"privileged" doc:"Of those, on which the account can take the device over"`
	Refused    int              `json:"refused" doc:"That have the account and do not get the order; each says why"`
	Needs      []string         `json:"needs" nullable:"false" doc:"Why it cannot be ordered by one person; a policy can do it, with a second one"`
	Accounts   []OrderedAccount `json:"accounts" nullable:"false" doc:"The first 200, by device"`
}

// OrderedAccount is an account that such an order means.
type OrderedAccount struct {
	Device     string     `json:"device"`
	DeviceID   string     `json:"device_id"`
	Name       string     `json:"name"`
	Enabled    bool       `json:"enabled"`
	Privileged bool       `json:"privileged"`
	LastSignIn *time.Time `json:"last_sign_in" doc:"The day of it; null where the device knows of none"`
	Refused    string     `json:"refused" doc:"Why the device does not get the order; empty where it does"`
}
