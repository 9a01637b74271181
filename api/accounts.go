package api

import "time"

// AccountName is how many devices in reach have a local account of one name.
type AccountName struct {
	Name       string `json:"name"`
	Devices    int    `json:"devices"`
	Enabled    int    `json:"enabled" doc:"Of those, on which it is enabled"`
	Privileged int    `json:"privileged" doc:"Of those, on which it can take the device over"`
	Managed    int    `json:"managed" doc:"Of those, on which it is an account that a policy manages or managed"`
	Builtin    int    `json:"builtin" doc:"Of those, on which it is a built-in account"`
}

// LocalAccount is a local account of a device, as the device said it last.
type LocalAccount struct {
	Device        string     `json:"device"`
	DeviceID      string     `json:"device_id"`
	Name          string     `json:"name"`
	FullName      string     `json:"full_name"`
	SID           string     `json:"sid"`
	Enabled       bool       `json:"enabled"`
	Privileged    bool       `json:"privileged" doc:"It can take the device over"`
	Builtin       string     `json:"builtin" enum:",administrator,guest"`
	Key           string     `json:"key" doc:"Of the account of a policy that it is bound to; empty for none"`
	PasswordSetAt *time.Time `json:"password_set_at" doc:"Null where the device does not know"`
	LastSignIn    *time.Time `json:"last_sign_in" doc:"The day of it; null where the device knows of none"`
	Runs          []string   `json:"runs" nullable:"false" doc:"Services and scheduled tasks that run as it"`
	Since         time.Time  `json:"since" doc:"When it was first reported"`
}

// LocalMember is somebody in a local group of a device, as the device said it last.
type LocalMember struct {
	Device     string     `json:"device"`
	DeviceID   string     `json:"device_id"`
	LocalGroup string     `json:"local_group"`
	SID        string     `json:"sid"`
	Name       string     `json:"name" doc:"Empty where the device cannot resolve the identifier"`
	Privileged bool       `json:"privileged" doc:"Members of the local group can take the device over"`
	Local      bool       `json:"local" doc:"It is a local account of the device"`
	Enabled    bool       `json:"enabled" doc:"A local account that is enabled"`
	Key        string     `json:"key" doc:"Of the account of a policy that it is bound to; empty for none"`
	Builtin    string     `json:"builtin" enum:",administrator,guest"`
	Since      time.Time  `json:"since" doc:"When it was first reported"`
	Via        string     `json:"via" doc:"By what somebody is in who is no member: a file of sudoers, with what it allows"`
	Through    []string   `json:"through" nullable:"false" doc:"Groups of the directory on the way, from the one that is the member; empty for a member itself"`
	How        string     `json:"how" doc:"In words: as a member, through groups of the directory, or by sudoers"`
	WantedBy   []string   `json:"wanted_by" nullable:"false" doc:"Assignments that ask for the member; empty for none"`
	LastSignIn *time.Time `json:"last_sign_in" doc:"The day of it, of a local account; null where the device knows of none"`
}

// InventoryChange is what changed in the accounts and members of a device.
type InventoryChange struct {
	At         time.Time `json:"at"`
	Kind       string    `json:"kind" enum:"account_came,account_went,account_renamed,account_enabled,account_disabled,member_joined,member_left"`
	SID        string    `json:"sid"`
	Name       string    `json:"name"`
	LocalGroup string    `json:"local_group" doc:"Of members"`
	Former     string    `json:"former" doc:"Name, of one that was renamed"`
	Privileged bool      `json:"privileged"`
	Words      string    `json:"words"`
}
