// Package principal names whoever can be a member of a local group on a device.
//
// A principal is written as a reference: a kind, a colon and a value.
//
//	builtin:administrator      the built-in administrator, whatever it is called on the device
//	local:keeper               an existing local account or group that no policy manages
//	sid:S-1-5-21-7-8-9-1104    a bare security identifier
//
// A [Ref] is a small comparable value in canonical form, so two references to the same principal
// are equal with ==. An invalid one cannot be built; the zero Ref is the only exception and reports
// itself by [Ref.IsZero].
package principal
