package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire"
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
	err := s.Store.InSnapshot(ctx, func(tx store.Tx) error {
		d, err := tx.Device(s.clock(), id, "")
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
		document, err = wire.DesiredBytes(d.ID, state.Name, stamp.Epoch, stamp.Number, settings)
		if err == nil && wire.Digest(document) != stamp.Digest {
			err = fmt.Errorf("the desired state %d/%d of %s does not have the digest it was stored with", stamp.Epoch, stamp.Number, d.Name)
		}
		return err
	})
	if err != nil || document == nil {
		return "", stamp, err
	}
	signed, err := wire.Sign(s.Keys.Signing, wire.Header{KeyID: s.Keys.Signing.ID, Time: s.Now()}, document, false)
	return signed, stamp, err
}

// SignedKeyList is the key list, signed by the root, and its number.
func (s *Service) SignedKeyList(ctx context.Context) (string, int64, error) {
	state, err := s.Store.With(ctx).ServiceState()
	return state.KeyList, state.KeyListNumber, err
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
	return s.InTx(ctx, func(tx store.Tx) error {
		d, err := tx.LockDevice(id)
		if err != nil {
			return err
		}
		if d.State != store.Live {
			return failf(Forbidden, "this device is %s and may not report", d.State).code("device_" + d.State)
		}
		earlier, err := tx.ReportBySeq(d.ID, epoch, r.Seq)
		switch {
		case err == nil && earlier.Digest == requestDigest:
			return nil
		case err == nil:
			return failf(Conflict, "the sequence %d of epoch %d was used for another report; the last one is %d", r.Seq, epoch, d.Seq).code("sequence_used")
		case !errors.Is(err, store.ErrNotFound):
			return err
		}
		if epoch != d.Epoch || r.Seq <= d.Seq {
			return behind("the sequence %d of epoch %d", r.Seq, epoch, d.Seq, d.Epoch)
		}
		now := s.Now()
		reportID, err := tx.AddReport(store.Report{DeviceID: d.ID, Epoch: epoch, Seq: r.Seq, DesiredEpoch: r.Desired.Epoch,
			DesiredNumber: r.Desired.Number, At: r.At, ReceivedAt: now, Digest: requestDigest, Body: string(body)})
		if err != nil {
			return err
		}
		if err := s.deviceFactsReported(tx, d, r.State); err != nil {
			return err
		}
		if err := s.nameReported(tx, d, r.Device); err != nil {
			return err
		}
		done := store.Reported{Device: d.ID, Epoch: epoch, Seq: r.Seq, Desired: r.Desired, At: now, ReportID: reportID, OpenFindings: d.OpenFindings, Contended: append([]unit.ID{}, r.Contended...), Mismatched: Foreign(r.Desired, d.Desired()), Locked: lockedIn(r.State)}
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
		return tx.Notify(store.Notice{Topic: store.TopicReports, IDs: []string{d.ID}})
	})
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

// Foreign reports whether a device holds a desired state that the service never gave it: a later one than
// its latest, or another document under the same number.
func Foreign(holds, given drift.Stamp) bool {
	return holds.Newer(given) || holds.Number > 0 && holds.Epoch == given.Epoch && holds.Number == given.Number && holds.Digest != given.Digest
}

// Holds notes that a device holds a desired state that the service never gave it, once it is certain: what
// a replica knows of a device may be behind.
func (s *Service) Holds(ctx context.Context, id string, holds drift.Stamp) error {
	return s.InTx(ctx, func(tx store.Tx) error {
		d, err := tx.LockDevice(id)
		if err != nil || d.Mismatched || !Foreign(holds, d.Desired()) {
			return err
		}
		if err := tx.SetMismatched(d.ID); err != nil {
			return err
		}
		return tx.Notify(store.Notice{Topic: store.TopicDevices, IDs: []string{d.ID}})
	})
}

// nameReported takes the new name of a workstation, which stays the same device. A name that another device
// has, or that a group lists which decides reach or exclusion, is not taken: then the device keeps its name here.
func (s *Service) nameReported(tx store.Tx, d store.Device, name string) error {
	name = text.NFC(name)
	key := text.Fold(name)
	if name == d.Name {
		return nil
	}
	if err := text.CheckName(name, MaxDeviceName); err != nil {
		return failf(Invalid, "the device's name %v", err).code("bad_report")
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
	if err := rejoin(tx, d.ID); err != nil {
		return err
	}
	if err := tx.RequestSettle(store.SettleRequest{Cause: d.Name + " renamed to " + name, Devices: []string{d.ID}, CreatedAt: s.Now()}); err != nil {
		return err
	}
	return s.audit(tx, deviceItself(d.ID, ""), record{action: "device.renamed", object: d.ID, before: map[string]any{"name": d.Name}, after: map[string]any{"name": name}})
}

// deviceFactsReported works out the groups of a device anew when it reports other facts of itself.
func (s *Service) deviceFactsReported(tx store.Tx, d store.Device, state drift.State) error {
	if d.Platform == state.Platform && d.OSVersion == state.OSVersion && d.OSBuild == state.OSBuild {
		return nil
	}
	for _, fact := range []string{state.Platform, state.OSVersion} {
		if err := text.CheckVisible(fact); err != nil || len(fact) > maxFact {
			return failf(Invalid, "a fact of the device (%q) is longer than %d bytes or cannot be read", fact, maxFact).code("bad_report")
		}
	}
	if err := tx.SetDeviceFacts(d.ID, state.Platform, state.OSVersion, state.OSBuild); err != nil {
		return err
	}
	return s.factsChanged(tx, "facts of "+d.Name+" changed", []string{d.ID})
}

// checkReport refuses what no device would honestly send.
func checkReport(r drift.Report) error {
	bad := func(format string, args ...any) error {
		return failf(Invalid, format, args...).at("report").code("bad_report")
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
			return bad("the local group %q has %d members; at most %d are taken", g.LocalGroup, len(g.Members), maxMembers)
		}
	}
	return nil
}

// takeFindings compares a report under the newest desired state with what was open before, and
// gives the number of open findings that make a device drifted.
func (s *Service) takeFindings(tx store.Tx, d store.Device, r drift.Report) (int, error) {
	asked, err := tx.Asked(d.SettingsDigest)
	if err != nil {
		return 0, err
	}
	settings := asked.Settings
	before, looked := r.Before()
	if err := s.rotationsReported(tx, d, settings, &r.State, &before); err != nil {
		return 0, err
	}
	directory, err := directoryOf(tx, settings, &r.State, &before)
	if err != nil {
		return 0, err
	}
	ctx := drift.Context{Directory: directory, Now: s.Now(), Grace: s.Interval}
	whose, err := rulesOf(tx, d)
	if err != nil {
		return 0, err
	}
	open, err := tx.OpenFindings(d.ID)
	if err != nil {
		return 0, err
	}
	now := s.Now()
	known := map[string]store.Finding{}
	for _, f := range open {
		known[f.Key] = f
	}
	var fresh []store.Finding
	counted, present := 0, map[string]bool{}
	for _, f := range drift.Check(settings, &r.State, r.Failures, ctx) {
		if f.Kind != drift.UnitUnsupported {
			counted++
		}
		present[f.Key()] = true
		if before, again := known[f.Key()]; again {
			if err := tx.SeenAgain(before.ID, jsonOf(f.Actual), whose[f.Unit], now); err != nil {
				return 0, err
			}
			continue
		}
		fresh = append(fresh, newFinding(d.ID, f, whose[f.Unit], store.FindingOpen, now))
	}
	if looked {
		for _, f := range drift.Check(settings, &before, nil, ctx) {
			if _, wasOpen := known[f.Key()]; !present[f.Key()] && !wasOpen {
				fresh = append(fresh, newFinding(d.ID, f, whose[f.Unit], store.FindingCorrected, now))
			}
		}
	}
	var gone []int64
	for key, f := range known {
		if !present[key] {
			gone = append(gone, f.ID)
		}
	}
	slices.Sort(gone)
	if len(gone) > 0 {
		if err := tx.CloseFindings(gone, now); err != nil {
			return 0, err
		}
	}
	return counted, tx.AddFindings(fresh)
}

// rulesOf says which assignments decided each unit of a device.
func rulesOf(tx store.Tx, d store.Device) (map[unit.ID][]string, error) {
	if d.Scope == nil {
		return map[unit.ID][]string{}, nil
	}
	scope, err := tx.Scope(*d.Scope)
	if err != nil {
		return nil, err
	}
	return decidedBy(scope)
}

// decidedBy says which assignments decided each unit of a scope.
func decidedBy(scope store.Scope) (map[unit.ID][]string, error) {
	whose := map[unit.ID][]string{}
	var lane struct {
		Units []struct {
			Unit unit.ID
			From []string
		}
	}
	if err := json.Unmarshal([]byte(scope.Lane), &lane); err != nil {
		return nil, fmt.Errorf("reading a scope: %w", err)
	}
	for _, u := range lane.Units {
		whose[u.Unit] = u.From
	}
	return whose, nil
}

func newFinding(device string, f drift.Finding, assignments []string, state string, now time.Time) store.Finding {
	if assignments == nil {
		assignments = []string{}
	}
	record := store.Finding{DeviceID: device, Key: f.Key(), Unit: f.Unit.String(), Kind: string(f.Kind), Subject: f.Subject,
		Expected: jsonOf(f.Expected), Actual: jsonOf(f.Actual), Assignments: assignments, State: state, FirstSeen: now, LastSeen: now}
	if state == store.FindingCorrected {
		record.ClosedAt = &now
	}
	return record
}

func jsonOf(value any) *string {
	if value == nil {
		return nil
	}
	data, err := json.Marshal(value)
	if err != nil {
		return nil // only values of core are given, which marshal
	}
	return new(string(data))
}
