// Package fleet says which assignments apply to which devices.
//
// An assignment applies to a device that is in at least one of its include groups, in none of its
// exclude groups and in every within group; exclusion always beats inclusion. The group
// [Everything] holds all devices. Other groups are listed, device by device, or follow a [Rule]
// over what is known of a device.
//
// A rule that reads a fact which is not known of a device gives no answer: the device's membership
// is [Unknown], never "no". Whether an assignment applies is worked out in three-valued logic
// (Kleene's), and where the answer is unknown the assignment does not apply and is undecided.
//
// Devices that meet the same assignments share one [Scope], so that what they are to have is
// settled once for all of them.
package fleet
