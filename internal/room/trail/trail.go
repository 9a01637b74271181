// Package trail reads the audit trail, exports it, and anchors it: signed checkpoints say how far it went and leave the
// database, so that nobody can rewrite it unseen.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package trail

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
	"rankwarden.example/internal/wire/protocol"
)

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	CheckpointsWithin(after, last int64) ([]store.Checkpoint, error)
	Device(clock store.Clock, idOrName, folded string) (store.Device, error)
	DevicesByID(clock store.Clock, ids []string) ([]store.Device, error)
	ListCheckpoints(p store.Page) ([]store.Checkpoint, string, error)
	ListTrail(f store.TrailFilter, p store.Page) ([]audit.Entry, string, error)
	ServiceState() (store.ServiceState, error)
	TrailAfter(seq int64, f store.TrailFilter, most int) ([]audit.Entry, error)
	TrailEntry(seq int64) (audit.Entry, error)
	TrailHead() (audit.Entry, error)
}

// Records is what it reads and writes of them in a unit of work. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records

	AddCheckpoint(c store.Checkpoint) error
	AddNotification(n store.Notification) error
}

// Service is the room; every field must be set but File.
type Service struct {
	uow.Room[Reads, Records]
	Key          protocol.Key // that signs checkpoints
	Root         string       // fingerprint of the root key
	Organisation string
	File         string // to which checkpoints are added, empty for none
}

// Query narrows the trail.
type Query struct {
	Actor, Action, On, Device string
	Outcome                   audit.Outcome
	Since, Until              time.Time
}

func (s *Service) filter(tx Reads, q Query) (store.TrailFilter, error) {
	f := store.TrailFilter{Actor: q.Actor, Action: q.Action, Outcome: q.Outcome, Since: q.Since, Until: q.Until}
	if q.On != "" {
		f.Objects = []string{q.On}
	}
	if q.Device == "" {
		return f, nil
	}
	d, err := tx.Device(s.Clock(), q.Device, text.Fold(q.Device))
	if errors.Is(err, store.ErrNotFound) {
		return f, refusal.Missing("device", q.Device)
	}
	f.Objects = append(f.Objects, d.ID, d.Name)
	return f, err
}

// Entry is one, with the name of the device that it names by its identifier.
type Entry struct {
	audit.Entry
	Device string
}

// List lists a page of entries, latest first.
func (s *Service) List(ctx context.Context, q Query, p store.Page) ([]Entry, string, error) {
	tx := s.Read(ctx)
	f, err := s.filter(tx, q)
	if err != nil {
		return nil, "", err
	}
	found, next, err := tx.ListTrail(f, p)
	if err != nil {
		return nil, "", err
	}
	list, err := s.named(tx, found)
	return list, next, err
}

// Entry reads one.
func (s *Service) Entry(ctx context.Context, seq int64) (Entry, error) {
	tx := s.Read(ctx)
	e, err := tx.TrailEntry(seq)
	if errors.Is(err, store.ErrNotFound) {
		err = refusal.New(refusal.NotFound, "the trail has no entry %d", seq)
	}
	if err != nil {
		return Entry{}, err
	}
	list, err := s.named(tx, []audit.Entry{e})
	if err != nil {
		return Entry{}, err
	}
	return list[0], nil
}

// named finds the names of devices.
func (s *Service) named(tx Reads, found []audit.Entry) ([]Entry, error) {
	list, ids := make([]Entry, len(found)), []string{}
	for _, e := range found {
		ids = append(ids, strings.TrimPrefix(e.Actor, uow.DeviceActor), e.Object)
	}
	slices.Sort(ids)
	devices, err := tx.DevicesByID(s.Clock(), slices.Compact(ids))
	if err != nil {
		return nil, err
	}
	names := map[string]string{}
	for _, d := range devices {
		names[d.ID] = d.Name
	}
	for i, e := range found {
		list[i] = Entry{e, cmp.Or(names[e.Object], names[strings.TrimPrefix(e.Actor, uow.DeviceActor)])}
	}
	return list, nil
}

// Checkpoints lists a page, latest first.
func (s *Service) Checkpoints(ctx context.Context, p store.Page) ([]store.Checkpoint, string, error) {
	return s.Read(ctx).ListCheckpoints(p)
}

// exportBatch is how many entries of an export are read at once.
const exportBatch = 2000

// Sink takes what is exported.
type Sink struct {
	Entry func(e audit.Entry) error
	Proof func(p audit.Proof) error // nil where checkpoints are left out
}

// Export is one that was begun.
type Export struct {
	s      *Service
	who    rights.Identity
	filter store.TrailFilter
}

// BeginExport puts on the trail that an export begins. It is ended by [Export.Write].
func (s *Service) BeginExport(ctx context.Context, who rights.Identity, q Query) (*Export, error) {
	f, err := s.filter(s.Read(ctx), q)
	if err != nil {
		return nil, err
	}
	begun := uow.ByOperator(operation.ExportTrail, who, "trail").As("trail.export_begun")
	return &Export{s, who, f}, s.Do(ctx, begun, func(_ Records, w *uow.Work) error { w.After = query(q); return nil })
}

// Write gives entries in order, from the first, and behind each the checkpoint that ends with it. That it ended is on
// the trail. It ends early when the context does.
func (x *Export) Write(ctx context.Context, out Sink) (n int64, err error) {
	head, err := x.s.Read(ctx).TrailHead() // what comes later is in the next export
	if err == nil {
		n, err = x.s.export(ctx, x.filter, head.Seq, out)
	}
	ended := uow.ByOperator(operation.ExportTrail, x.who, "trail").As("trail.exported")
	told := x.s.Do(context.WithoutCancel(ctx), ended, func(_ Records, w *uow.Work) error {
		w.After = map[string]any{"entries": n, "whole": err == nil}
		return nil
	})
	return n, errors.Join(err, told)
}

func (s *Service) export(ctx context.Context, f store.TrailFilter, last int64, out Sink) (n int64, err error) {
	for at := int64(0); ; {
		batch, err := s.Read(ctx).TrailAfter(at, f, exportBatch)
		if err != nil || len(batch) == 0 {
			return n, err
		}
		anchors, err := s.Read(ctx).CheckpointsWithin(at, batch[len(batch)-1].Seq)
		if err != nil {
			return n, err
		}
		for _, e := range batch {
			if e.Seq > last {
				return n, nil
			}
			if err := out.Entry(e); err != nil {
				return n, err
			}
			n, at = n+1, e.Seq
			for len(anchors) > 0 && anchors[0].Seq <= e.Seq {
				c := anchors[0]
				anchors = anchors[1:]
				if out.Proof != nil && f.Empty() {
					if err := out.Proof(audit.Proof{Checkpoint: c.Document, KeyList: c.KeyList}); err != nil {
						return n, err
					}
				}
			}
		}
	}
}

// query is what was asked for, as it stands on the trail.
func query(q Query) map[string]any {
	asked := map[string]any{}
	for name, value := range map[string]string{
		"actor": q.Actor, "action": q.Action, "on": q.On, "device": q.Device, "outcome": string(q.Outcome),
	} {
		if value != "" {
			asked[name] = value
		}
	}
	for name, at := range map[string]time.Time{"since": q.Since, "until": q.Until} {
		if !at.IsZero() {
			asked[name] = at.UTC()
		}
	}
	return asked
}
