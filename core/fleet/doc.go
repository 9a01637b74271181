// Package fleet says which devices are in which groups, and which assignments apply to them.
//
// A group is listed, device by device, or follows a [Rule] over what is known of a device. A rule
// that reads a fact which is not known of a device gives no answer: the device's membership is
// [assign.Unknown], never "no".
//
// Devices that meet the same assignments share one [Scope], so that what they are to have is
// settled once for all of them.
package fleet
