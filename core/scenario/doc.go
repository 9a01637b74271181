// Package scenario reads a scenario, an organisation in one file, and settles it.
//
// A scenario holds groups, policies, assignments and devices, and for some devices what they
// reported. It is for learning, for review before a change is merged, and for tests; no service is
// needed. See docs/reference/settling.md for the format.
package scenario
