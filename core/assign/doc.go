// Package assign says to which devices an assignment of a policy applies, and how strong it is.
//
// An assignment applies to a device that is in at least one of its include groups, in none of its
// exclude groups and in every within group; exclusion always beats inclusion. The group
// [Everything] holds all devices.
//
// Whether a device is in a group may be unknown, so [Assignment.Decide] works in three-valued logic
// (Kleene's). Where the answer is [Unknown] the assignment does not apply, and is [Undecided].
package assign
