package policy

import "time"

// defaultLockout is how long accounts are locked, and how far back wrong attempts count.
const defaultLockout = 15 * time.Minute

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
