package passwords

import (
	"fmt"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// whyNone says why nothing of a device is in escrow, and the way out.
func (s *Service) whyNone(tx Reads, d store.Device) (string, error) {
	if d.State == store.Retired {
		return "The device is retired, and its passwords are no longer kept.", nil
	}
	keys, err := tx.EscrowKeys()
	if err != nil {
		return "", err
	}
	if !slices.ContainsFunc(keys, func(k store.EscrowKey) bool {
		return k.Use == protocol.UseEscrow && k.State == store.KeyLive
	}) {
		return "No escrow key is live, so no device changes a password: make one with rankwardend keys, on the " +
			"machine of the service.", nil
	}
	asked, err := tx.Asked(d.SettingsDigest)
	if err != nil {
		return "", err
	}
	rules := unit.Rotations(asked.Settings)
	switch {
	case len(rules) == 0:
		return "No policy in force rotates a password on it: add a rotation to a policy of the device.", nil
	case d.ReportedAt == nil:
		return "The device has never reported.", nil
	case d.Standing == drift.Silent:
		return "The device is silent since before it changed a password; it does so when it comes back.", nil
	case d.Desired().Newer(drift.Stamp{Epoch: d.ReportedEpoch, Number: d.ReportedNumber, Digest: ""}):
		return "The device has not reported back yet on what it is asked to do.", nil
	}
	findings, err := tx.OpenFindings(d.ID)
	if err != nil {
		return "", err
	}
	for _, f := range findings {
		id, err := unit.Parse(f.Unit)
		if err != nil || f.Kind == string(drift.RotationNever) {
			continue
		}
		if id.Family() == unit.Rotation || id.Family() == unit.Accounts {
			return fmt.Sprintf("The device could not: %s.", f.Words()), nil
		}
	}
	return "The device changes it soon, or could not yet: see its events.", nil
}
