// Package rollout is a change on its way to the devices, wave by wave: a pure state machine. Events and the time at
// which they happened go in; states, tallies and decisions come out. It knows nothing of a database, a clock or a
// network.
package rollout
