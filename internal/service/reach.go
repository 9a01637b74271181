package service

import (
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// outOfReach is given when an operator has a right, but not on a device.
type outOfReach struct{ device string }

func (o *outOfReach) Error() string { return o.device + " is out of reach" }

func (o *outOfReach) refusal() *Error {
	return failf(Forbidden, "your role does not reach the device %s; ask an owner to give it on a group that the device is in", o.device).code("out_of_reach")
}

// inReach gives an [outOfReach] when the identity does not have the right on all of the devices.
func (s *Service) inReach(tx store.Tx, who auth.Identity, right auth.Right, devices []string) error {
	groups, everywhere := who.Reach(right)
	if everywhere || len(devices) == 0 {
		return nil
	}
	device, err := tx.OutOfReach(devices, groups)
	if err != nil {
		return err
	}
	if device != "" {
		return &outOfReach{device}
	}
	return nil
}
