// Package preview says what a change would do before it is made.
//
// Two futures of each device are compared: without the change and with it, each once the device has done all it is
// told. What happens in both is no effect of the change. [Compare] does so for one device; [Run] for two plans of one
// fleet, of which the second has the edits.
//
// A device that never reported has only [Affected.Settings] and the effects [Held] and [NoLongerHeld]: what it has is
// not known, so nothing can be said of who would lose what.
package preview
