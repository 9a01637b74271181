package devices

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/batch"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Bounds of a report, far above what a workstation has.
const (
	maxAccounts = 2000
	maxGroups   = 1000
	maxMembers  = 5000
)

// ReportBatch is a transaction of reports. [*store.ReportBatch] has it.
type ReportBatch interface {
	Device(id string) (d store.Device, there bool)
	IsBusy(id string) (bool, error)
	Rotations(device string) []store.Rotation
	OpenFindings(device string) []store.Finding
	Waived(device string) []protocol.Waived
	Ended(device string) []warrant.Warrant
	DigestOf(device string, epoch, seq int64) (string, error)
	DirectoryTable(refs []principal.Ref) (*principal.Table, error)
	Asked(digest string) (protocol.DesiredContent, error)
	Scope(digest string) (store.Scope, error)
	Inventories(devices []string) (map[string]inventory.Inventory, error)
	Store(r store.TakenReport)
}

// incoming is a report that is to be taken with others.
type incoming struct {
	device string
	epoch  int64
	report drift.Report
	body   string
	digest string // of the request that brought it
	// content and inventory are digests of what the report says, and of what it says of accounts and local groups. They
	// are taken before the report waits for its turn, since all that are taken together wait for one another.
	content   []byte
	inventory string
	// looked says that the name and the facts of the device were looked at: as many as may be taken were.
	looked bool
}

// errBusy says that something else holds the record of a device. Nobody else waits for it.
var errBusy = errors.New("something else holds the record of the device")

// errLook asks for a look at the name and the facts of a device before its report is taken.
var errLook = errors.New("the device reports another name, or other facts of itself")

// TakeReport stores a report and works out its findings in one transaction, which it shares with reports of other
// devices that come at the same time. A repeat of the same request is taken as done; a sequence that was used for
// something else, or is behind, is refused.
func (s *Service) TakeReport(ctx context.Context, id string, epoch int64, r drift.Report, requestDigest string) error {
	if err := checkReport(r); err != nil {
		return err
	}
	said := r
	said.Seq, said.At = 0, time.Time{} // they are stored beside it: what is said again is stored once
	body, err := json.Marshal(said)
	if err != nil {
		return fmt.Errorf("storing a report: %w", err)
	}
	in := &incoming{device: id, epoch: epoch, report: r, body: string(body), digest: requestDigest,
		content: store.ReportContent(id, string(body)), inventory: inventory.Digest(&r.State)}
	err = s.take(ctx, in)
	if !errors.Is(err, errLook) {
		return err
	}
	if err := s.lookAt(ctx, in); err != nil {
		return err
	}
	in.looked = true
	return s.take(ctx, in)
}

// take takes a report with those of other devices. One whose device is busy waits with others of which the same is
// true.
func (s *Service) take(ctx context.Context, in *incoming) error {
	err := s.incoming.Do(ctx, in.device, in, s.takeReports)
	if !errors.Is(err, errBusy) {
		return err
	}
	return s.busy.Do(ctx, in.device, in, func(ctx context.Context, list []*incoming) []error {
		stuck := func(err error) bool { return spoilt(err) || store.FaultOf(err) == store.Conflict }
		return s.takeTogether(ctx, list, true, stuck)
	})
}

// lookAt takes the name and the facts that a device reports of itself, where it may have them.
func (s *Service) lookAt(ctx context.Context, in *incoming) error {
	return s.Do(ctx, uow.ByDevice(in.device), func(tx Records, w *uow.Work) error {
		d, err := tx.LockDevice(in.device)
		if err != nil || d.State != store.Live || in.epoch != d.Epoch || in.report.Seq <= d.Seq {
			return err // what is wrong with it is said when it is taken
		}
		if err := deviceFactsReported(tx, w, d, in.report.State); err != nil {
			return err
		}
		return nameReported(tx, w, d, in.report.Device)
	})
}

// takeReports takes reports of as many devices, in one transaction; one that spoils it holds up no other.
func (s *Service) takeReports(ctx context.Context, list []*incoming) []error {
	return s.takeTogether(ctx, list, false, spoilt)
}

// takeTogether takes reports, and waits for devices that something else holds where that is said.
func (s *Service) takeTogether(ctx context.Context, list []*incoming, waits bool, spoilt func(err error) bool) []error {
	return batch.Isolate(list, spoilt, func(list []*incoming) ([]error, error) {
		errs := make([]error, len(list))
		devices := make([]string, len(list))
		for i, in := range list {
			devices[i] = in.device
		}
		err := s.Reports.Do(ctx, devices, waits, func(b ReportBatch) error { return s.judge(b, list, errs) })
		return errs, err
	})
}

// spoilt reports whether an error lies in what is stored, and not in the database.
func spoilt(err error) bool { return !store.IsUnavailable(err) }

// judge takes reports, and says for each why it cannot be.
func (s *Service) judge(b ReportBatch, list []*incoming, errs []error) error {
	var judged []*judgement
	named := map[principal.Ref]bool{}
	now := s.Now()
	for i, in := range list {
		d, there := b.Device(in.device)
		switch {
		case !there:
			busy, err := b.IsBusy(in.device)
			if err != nil {
				return err
			}
			if errs[i] = store.ErrNotFound; busy {
				errs[i] = errBusy
			}
		case d.State != store.Live:
			errs[i] = refusal.NotLive(d.State, "report")
		case in.epoch != d.Epoch || in.report.Seq <= d.Seq: // none after the last that was taken can be there
			if errs[i] = reportedBefore(b, d, in); isOurs(errs[i]) {
				return errs[i]
			}
		case !in.looked && (d.Name != in.report.Device || d.NameRefused != "" || otherFacts(d, in.report.State)):
			errs[i] = errLook
		default:
			j, err := s.prepare(b, d, in)
			if err != nil {
				return err
			}
			for _, ref := range j.named {
				named[ref] = true
			}
			judged = append(judged, j)
		}
	}
	refs := make([]principal.Ref, 0, len(named))
	for ref := range named {
		refs = append(refs, ref)
	}
	directory, err := b.DirectoryTable(refs)
	if err != nil {
		return err
	}
	if err := takeInventories(b, judged); err != nil {
		return err
	}
	for _, j := range judged {
		if err := s.compare(b, j, drift.Context{Directory: directory, Now: now, Grace: s.Interval}); err != nil {
			return err
		}
	}
	return nil
}

// isOurs reports whether an error is that of the records, and not a refusal.
func isOurs(err error) bool {
	var refused *refusal.Error
	return err != nil && !errors.As(err, &refused)
}

// reportedBefore takes the repeat of a report as done, and refuses any other of its sequence.
func reportedBefore(b ReportBatch, d store.Device, in *incoming) error {
	earlier, err := b.DigestOf(d.ID, in.epoch, in.report.Seq)
	switch {
	case err != nil:
		return err
	case earlier == in.digest:
		return nil
	case earlier != "":
		return refusal.New(refusal.Conflict, "the sequence %d of epoch %d was used for another report; the last one "+
			"is %d", in.report.Seq, in.epoch, d.Seq).
			WithCode(protocol.CodeSequenceUsed)
	}
	return refusal.Behind("the sequence %d of epoch %d", in.report.Seq, in.epoch, d.Seq, d.Epoch)
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
