//go:build linux

// Package linux is the host of workstations with Linux. It acts through the system's own tools, and reads the files
// that these keep: passwd(5), shadow(5), group(5), login.defs(5), pam.conf(5), faillock.conf(5), pwquality.conf(5),
// wtmp(5).
//
// A person's identifier is S-1-22-1-UID, a group's S-1-22-2-GID; the group of administrators has the identifier that
// all platforms give it. Accounts are those that people sign in with: root, and those from UID_MIN to UID_MAX.
package linux
