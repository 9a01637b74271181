package unit

import "fmt"

// DeviceName is the name of a device. No policy sets it: it is there so that a finding can be about it.
var DeviceName = named(Identity, "name")

var identity = family{
	name:  "device",
	valid: func(key string) bool { return key == "name" },
	decode: func(id ID, _ []byte) (Value, error) {
		return nil, fmt.Errorf("%w: no policy sets %s", ErrUnknown, id)
	},
}
