package intake

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/audit"
	"rankwarden.example/internal/membership"
	"rankwarden.example/internal/protocol"
	"rankwarden.example/internal/refusal"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/uow"
)

// Bounds of a report, far above what a workstation has.
const (
	maxAccounts = 2000
	maxGroups   = 1000
	maxMembers  = 5000
)

// SignedDesired is the newest desired state of a device, signed, with its stamp. The document is
// empty while there is none.
func (s *Service) SignedDesired(ctx context.Context, id string) (string, drift.Stamp, error) {
	var document []byte
	var stamp drift.Stamp
	err := s.DB.InSnapshot(ctx, func(tx Records) error {
		d, err := tx.Device(s.Clock(), id, "")
		if err != nil || d.DesiredNumber == 0 {
			return err
		}
		stamp = d.Desired()
		state, err := tx.DesiredState(d.ID, stamp.Epoch, stamp.Number)
		if err != nil {
			return err
		}
		settings, err := tx.SettingsBody(state.Settings)
		if err != nil {
			return err
		}
		document, err = protocol.DesiredBytes(d.ID, state.Name, stamp.Epoch, stamp.Number, settings)
		if err == nil && protocol.Digest(document) != stamp.Digest {
			err = fmt.Errorf(
				"the desired state %d/%d of %s does not have the digest it was stored with",
				stamp.Epoch,
				stamp.Number,
				d.Name,
			)
		}
		return err
	})
	if err != nil || document == nil {
		return "", stamp, err
	}
	signed, err := protocol.Sign(
		s.Keys.Signing(),
		protocol.Header{KeyID: s.Keys.Signing().ID, Time: s.Now()},
		document,
		false,
	)
	return signed, stamp, err
}

// TakeReport stores a report and works out its findings in one transaction. A repeat of the same
// request is taken as done; a sequence that was used for something else, or is behind, is refused.
func (s *Service) TakeReport(ctx context.Context, id string, epoch int64, r drift.Report, requestDigest string) error {
	if err := checkReport(r); err != nil {
		return err
	}
	body, err := json.Marshal(r)
	if err != nil {
		return fmt.Errorf("storing a report: %w", err)
	}
	return s.Do(ctx, uow.Act{Who: uow.Device(id, "")}, func(tx Records, w *uow.Work) error {
		d, err := tx.LockDevice(id)
		if err != nil {
			return err
		}
		if d.State != store.Live {
			return refusal.NotLive(d.State, "report")
		}
		if epoch != d.Epoch || r.Seq <= d.Seq { // none after the last that was taken can be there
			return reportedBefore(tx, d, epoch, r.Seq, requestDigest)
		}
		now := s.Now()
		reportID, err := tx.AddReport(
			store.Report{DeviceID: d.ID, Epoch: epoch, Seq: r.Seq, DesiredEpoch: r.Desired.Epoch,
				DesiredNumber: r.Desired.Number, At: r.At, ReceivedAt: now, Digest: requestDigest, Body: string(body)},
		)
		if err != nil {
			return err
		}
		if err := deviceFactsReported(tx, w, d, r.State); err != nil {
			return err
		}
		if err := nameReported(tx, w, d, r.Device); err != nil {
			return err
		}
		done := store.ReportChanges{
			Device:             d.ID,
			Epoch:              epoch,
			Seq:                r.Seq,
			Desired:            r.Desired,
			At:                 now,
			ReportID:           reportID,
			OpenFindings:       d.OpenFindings,
			RepeatedlyReverted: append([]unit.ID{}, r.RepeatedlyReverted...),
			Mismatched:         r.Desired.Foreign(d.Desired()),
			Locked:             lockedIn(r.State),
		}
		if err := tx.SetNext(d.ID, r.Rotation); err != nil {
			return err
		}
		if r.Desired == d.Desired() {
			done.VerifiedAt = &now
			if done.OpenFindings, err = s.takeFindings(tx, d, r); err != nil {
				return err
			}
		}
		if err := tx.SetReported(done); err != nil {
			return err
		}
		w.Tell(store.TopicReports, d.ID)
		return nil
	})
}

// reportedBefore takes the repeat of a report as done, and refuses any other of its sequence.
func reportedBefore(tx Records, d store.Device, epoch, seq int64, requestDigest string) error {
	earlier, err := tx.ReportBySeq(d.ID, epoch, seq)
	switch {
	case err == nil && earlier.Digest == requestDigest:
		return nil
	case err == nil:
		return refusal.New(refusal.Conflict, "the sequence %d of epoch %d was used for another report; the last one is "+
			"%d", seq, epoch, d.Seq).
			WithCode(protocol.CodeSequenceUsed)
	case !errors.Is(err, store.ErrNotFound):
		return err
	}
	return refusal.Behind("the sequence %d of epoch %d", seq, epoch, d.Seq, d.Epoch)
}

// lockedIn are the locked accounts of a reported state.
func lockedIn(state drift.State) []store.LockedAccount {
	locked := []store.LockedAccount{}
	for _, a := range state.Accounts {
		if a.Locked {
			locked = append(locked, store.LockedAccount{Name: a.Name, SID: a.SID.String(), Until: a.LockedUntil})
		}
	}
	return locked
}

// Holds notes that a device holds a desired state that the service never gave it, once it is certain: what
// a replica knows of a device may be behind.
func (s *Service) Holds(ctx context.Context, id string, holds drift.Stamp) error {
	return s.Do(ctx, uow.Act{Who: uow.Device(id, "")}, func(tx Records, w *uow.Work) error {
		d, err := tx.LockDevice(id)
		if err != nil || d.Mismatched || !holds.Foreign(d.Desired()) {
			return err
		}
		if err := tx.SetMismatched(d.ID); err != nil {
			return err
		}
		w.Tell(store.TopicDevices, d.ID)
		return nil
	})
}

// nameReported takes the new name of a workstation, which stays the same device. A name that another device
// has, or that a group lists which decides reach or exclusion, is not taken: then the device keeps its name here.
func nameReported(tx Records, w *uow.Work, d store.Device, name string) error {
	name = text.NFC(name)
	key := text.Fold(name)
	if name == d.Name {
		return nil
	}
	if err := text.CheckName(name, fleet.MaxDeviceName); err != nil {
		return refusal.New(refusal.Invalid, "the device's name %v", err).WithCode(protocol.CodeBadReport)
	}
	if key != d.NameKey {
		if _, err := tx.LiveDeviceNamed(key); !errors.Is(err, store.ErrNotFound) {
			return err // nil when there is one
		}
		if group, err := tx.DecidingGroup(key, nil); err != nil || group != "" {
			return err
		}
	}
	if err := tx.RenameDevice(d.ID, name, key); err != nil {
		return err
	}
	if err := membership.Rejoin(tx, w, d.ID); err != nil {
		return err
	}
	w.Settle(d.Name+" renamed to "+name, nil, []string{d.ID})
	w.Also(
		uow.Act{Who: w.Who, Action: "device.renamed", Object: d.ID},
		audit.Done,
		map[string]any{"name": d.Name},
		map[string]any{"name": name},
	)
	return nil
}

// deviceFactsReported works out the groups of a device anew when it reports other facts of itself.
func deviceFactsReported(tx Records, w *uow.Work, d store.Device, state drift.State) error {
	if d.Platform == state.Platform && d.OSVersion == state.OSVersion && d.OSBuild == state.OSBuild {
		return nil
	}
	for _, fact := range []string{state.Platform, state.OSVersion} {
		if err := text.CheckVisible(fact); err != nil || len(fact) > maxFact {
			return refusal.New(refusal.Invalid, "a fact of the device (%q) is longer than %d bytes or cannot be read", fact, maxFact).
				WithCode(protocol.CodeBadReport)
		}
	}
	if err := tx.SetDeviceFacts(d.ID, state.Platform, state.OSVersion, state.OSBuild); err != nil {
		return err
	}
	return membership.FactsChanged(tx, w, "facts of "+d.Name+" changed", []string{d.ID})
}

// checkReport refuses what no device would honestly send.
func checkReport(r drift.Report) error {
	bad := func(format string, args ...any) error {
		return refusal.New(refusal.Invalid, format, args...).At("report").WithCode(protocol.CodeBadReport)
	}
	switch {
	case r.Format != drift.ReportFormat:
		return bad("the report's format is %q; this service reads %s", r.Format, drift.ReportFormat)
	case r.Seq < 1:
		return bad("the report's seq is %d; it must be 1 or more", r.Seq)
	case r.At.IsZero():
		return bad("the report does not say when it was made")
	case len(r.Accounts) > maxAccounts:
		return bad("the report has %d accounts; at most %d are taken", len(r.Accounts), maxAccounts)
	case len(r.LocalGroups) > maxGroups:
		return bad("the report has %d local groups; at most %d are taken", len(r.LocalGroups), maxGroups)
	}
	for _, a := range r.Accounts {
		if a.SID.IsZero() {
			return bad("the account %q has no security identifier", a.Name)
		}
	}
	for _, g := range r.LocalGroups {
		if len(g.Members) > maxMembers {
			return bad(
				"the local group %q has %d members; at most %d are taken",
				g.LocalGroup,
				len(g.Members),
				maxMembers,
			)
		}
	}
	return nil
}
