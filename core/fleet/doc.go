// Package fleet says which assignments apply to which devices.
//
// An assignment applies to a device that is in at least one of its include groups and in none of
// its exclude groups; exclusion always beats inclusion. The group [Everything] holds all devices.
// Devices that meet the same assignments share one [Scope], so that what they are to have is
// settled once for all of them.
package fleet
