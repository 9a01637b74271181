// Package drift compares what a device has with what it should have. It is pure: a desired state
// and a report go in, findings come out, sorted by unit, kind, subject and actual value.
//
// A [Report] is what the device read back from its operating system, never an echo of what it was
// told. Where it also says what it found before it put something right, the deviation is seen too:
// see [Report.Before].
package drift
