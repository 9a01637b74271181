package policy

import (
	"time"

	"rankwarden.example/core/principal"
)

// Format is the first line of every policy document.
const Format = "rankwarden.policy/1"

// MaxSize is the largest document in bytes.
const MaxSize = 256 << 10

// Document is a policy as its author wrote it. Absent sections are nil.
type Document struct {
	Name       string
	Title      string
	Notes      string
	Membership []Membership
	Passwords  *Passwords
	Lockout    *Lockout
}

// Mode says what a membership statement does with members it does not name.
type Mode string

// The modes of a membership statement.
const (
	Exact  Mode = "exact"  // these and nobody else
	Adjust Mode = "adjust" // these in, those out, the rest alone
)

// Membership states who is in one local group.
type Membership struct {
	LocalGroup string // in canonical case
	Custom     bool   // the group is none of the known ones, on purpose
	Mode       Mode
	Members    []principal.Ref
	Remove     []principal.Ref // adjust only
}

// Passwords are the rules for passwords of local accounts. A nil property is not asked for.
type Passwords struct {
	MinLength  *int  // characters, 0 to 128
	History    *int  // remembered passwords, 0 to 24
	MaxAgeDays *int  // 0 to 999; 0 means passwords never expire
	MinAgeDays *int  // 0 to 998
	Complexity *bool // three of the four classes of characters
}

// Lockout says when an account locks after wrong passwords. Durations are whole minutes.
type Lockout struct {
	Threshold int            // wrong attempts, 0 to 999; 0 means accounts never lock
	Duration  *time.Duration // 0 means until someone unlocks; default 15 minutes
	Window    *time.Duration // after which the counter starts anew; default the duration, or 15 minutes when that is 0
}

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

// KnownLocalGroups are the local groups every device knows by a well-known identifier, so that a
// device in any language of its operating system is served. Values are the identifiers' last part
// under S-1-5-32, or 0 for a group without one.
var KnownLocalGroups = map[string]uint32{
	"administrators": 544, "users": 545, "guests": 546, "power-users": 547, "backup-operators": 551,
	"remote-desktop-users": 555, "network-configuration-operators": 556, "performance-log-users": 559,
	"event-log-readers": 573, "hyper-v-administrators": 578, "remote-management-users": 580, "device-owners": 583,
}

// Administrators is the local group whose members may do everything.
const Administrators = "administrators"
