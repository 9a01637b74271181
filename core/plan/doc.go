// Package plan works out what every device of a fleet is to have. It is the only way to settle a fleet.
//
// [Inputs] are everything that decides it: devices with their facts, groups, policies, assignments, and the
// names that the directory has. [Edits] change some of that without touching the rest, so that what a
// change would do can be seen before it is made. [Run] finds, for each distinct set of assignments that
// devices meet, the devices and what their policies resolve to; the cost grows with the number of distinct
// sets and not with the number of devices.
//
// Nothing here has a clock, a random number or a goroutine: the same inputs give the same [Plan], whatever
// their order.
package plan
