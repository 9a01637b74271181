package policy

import "time"

// Limits of the operating systems.
const (
	MaxMinLength   = 128
	MaxHistory     = 24
	MaxMaxAgeDays  = 999
	MaxMinAgeDays  = 998
	MaxThreshold   = 999
	MaxLockoutMins = 99999
	defaultLockout = 15 * time.Minute
)

// Limits of rotation, minutes where they are times.
const (
	MinEvery, MaxEvery             = 60, 400 * 24 * 60
	MinWait, MaxWait               = 15, 72 * 60
	MinAfterReveal, MaxAfterReveal = 60, 72 * 60
	MinLength, MaxLength           = 12, 120
	MinWords, MaxWords             = 5, 12
	MinKeep, MaxKeep               = 1, 24
)

// Defaults of rotation.
const (
	DefaultEvery  = 30 * 24 * time.Hour
	DefaultWait   = 4 * time.Hour
	DefaultLength = 24
	DefaultWords  = 6
	DefaultKeep   = 5
)

// maxText is the longest full name or description of an account, in characters.
const maxText = 256

// AllClasses are the classes of characters in the order in which documents are written.
var AllClasses = []string{Lower, Upper, Digits, Symbols}

// KnownLocalGroups are the local groups every device knows by a well-known identifier, so that a
// device in any language of its operating system is served. Values are the identifiers' last part
// under S-1-5-32 ([MS-DTYP] 2.4.2.4).
var KnownLocalGroups = map[string]uint32{
	"administrators": 544, "users": 545, "guests": 546, "power-users": 547, "backup-operators": 551,
	"remote-desktop-users": 555, "network-configuration-operators": 556, "performance-log-users": 559,
	"event-log-readers": 573, "hyper-v-administrators": 578, "remote-management-users": 580, "device-owners": 583,
}

// Administrators is the local group whose members may do everything.
const Administrators = "administrators"

// privileged are the local groups whose members can take a device over.
var privileged = []string{Administrators, "backup-operators", "device-owners", "hyper-v-administrators", "network-configuration-operators", "power-users"}
