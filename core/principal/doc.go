// Package principal names whoever can be a member of a local group on a device.
//
// A principal is written as a reference: a kind, a colon and a value.
//
//	account:desk-keeper                    a local account that a policy manages, by its key
//	builtin:administrator                  the built-in administrator, whatever it is called on the device
//	user:asta.holm@skerryline.example      a person in the directory
//	group:Desk Support@skerryline.example  a group in the directory
//	local:keeper                           an existing local account or group that no policy manages
//	sid:S-1-5-21-7-8-9-1104                a bare security identifier
//	guid:7f2c11f0-9d1e-4b5e-8a55-0f3f2a6f9b21  an object of the directory, by its identifier there
//
// A [Ref] is a small comparable value in canonical form, so two references to the same principal
// are equal with ==. An invalid one cannot be built; the zero Ref is the only exception and reports
// itself by [Ref.IsZero]. A guid: reference is only a way of writing: the normal form of a policy
// has the user: or group: reference that the [Directory] knows for it.
package principal
