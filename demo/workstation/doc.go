//go:build linux

// Package workstation runs real workstations with Linux on one machine: each in namespaces of its own, over a root file
// system of Debian that all share and none can change. They are for tests and for the demo; what runs in them is the
// real system, with its own accounts, sign-in rules and programs. The network is that of the machine.
package workstation
