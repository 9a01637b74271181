// Package reach says what of a fleet an operator may see and change: a right holds on the devices of groups, and what
// an operator may not see does not exist for them.
package reach

import (
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// Records is what is needed of the records.
type Records interface {
	devicegroups.Names
	Device(clock store.Clock, id, nameKey string) (store.Device, error)
	OutOfReach(reach rights.Reach, devices []string) (string, error)
}

// Visible finds a device by identifier or name. One that the operator may not see does not exist for them: then the
// refusal is that of a device that does not exist, and says so to the trail only.
func Visible(tx Records, clock store.Clock, who rights.Identity, idOrName string) (store.Device, error) {
	d, err := tx.Device(clock, idOrName, text.Fold(idOrName))
	if err != nil {
		return d, refusal.Named(err, "device", idOrName)
	}
	reach := who.Reach(rights.Look)
	if reach.Everywhere() {
		return d, nil
	}
	outside, err := tx.OutOfReach(reach, []string{d.ID})
	if err == nil && outside != "" {
		err = refusal.Missing("device", idOrName).Hiding()
	}
	if err != nil {
		return store.Device{}, err
	}
	return d, nil
}

// Check refuses, with the name of one of them, when the identity does not have the right on all of the devices.
func Check(tx Records, who rights.Identity, right rights.Right, devices []string) error {
	reach := who.Reach(right)
	if reach.Everywhere() || len(devices) == 0 {
		return nil
	}
	device, err := tx.OutOfReach(reach, devices)
	if err != nil {
		return err
	}
	if device != "" {
		return refusal.New(refusal.Forbidden,
			"your role does not reach the device %s; ask an owner to give it on a group that the device is in", device).
			WithCode("out_of_reach")
	}
	return nil
}

// Past narrows a list of what happened. Empty fields do not.
type Past struct {
	Device string // identifier or name
	Group  string
	Since  time.Time
	Until  time.Time
}

// Fleet knows the devices that are in reach and in a group.
type Fleet interface {
	IDs(reach rights.Reach, group string, limit int) (ids []string, n int)
}

// Narrow is a list of the past narrowed to what an operator may see, a group, and a device.
func Narrow(tx Records, fleet Fleet, clock store.Clock, who rights.Identity, p Past) (store.Narrow, error) {
	n := store.Narrow{Reach: who.Reach(rights.Look), Group: p.Group, Since: p.Since, Until: p.Until}
	if p.Device != "" {
		d, err := Visible(tx, clock, who, p.Device)
		n.Few = []string{d.ID}
		return n, err
	}
	if err := devicegroups.Asked(tx, p.Group); err != nil {
		return n, err
	}
	if n.Reach.Everywhere() && (n.Group == "" || n.Group == rights.Everything) {
		return n, nil
	}
	if ids, all := fleet.IDs(n.Reach, n.Group, store.MostFew); all <= store.MostFew {
		n.Few = append([]string{}, ids...)
	}
	return n, nil
}
