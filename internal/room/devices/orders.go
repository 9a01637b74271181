package devices

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// NewOrder says what devices are to do, and which: those named, or those of a group.
type NewOrder struct {
	Kind    string
	Subject string // an account, for kinds that concern one
	Devices []string
	Group   string
}

// maxOrdered is how many devices one order may name.
const maxOrdered = 5000

// concernsAccount are the kinds that need a subject.
var concernsAccount = map[string]bool{protocol.OrderUnlock: true, protocol.OrderEndSessions: true}

// what is the order with whom it is for, as the trail has it.
func (o NewOrder) what() string {
	switch {
	case o.Group != "":
		return o.Kind + " to the group " + o.Group
	case len(o.Devices) == 1:
		return o.Kind + " to " + o.Devices[0]
	}
	return fmt.Sprintf("%s to %d devices", o.Kind, len(o.Devices))
}

// Order gives devices an order, and says how many have it now. Each gets its own, which waits until
// the device comes or the order ends; a newer one of the same kind and subject takes its place.
func (s *Service) Order(ctx context.Context, who rights.Identity, want NewOrder) (OrderBatch, error) {
	none := OrderBatch{}
	wait, known := protocol.OrderKinds[want.Kind]
	if !known {
		return none, refusal.New(refusal.Invalid, "there is no order %q; the orders are %s", want.Kind,
			strings.Join(slices.Sorted(maps.Keys(protocol.OrderKinds)), ", ")).
			At("kind")
	}
	subject := ""
	if concernsAccount[want.Kind] || want.Kind == protocol.OrderRotate && want.Subject != "" {
		ref, err := principal.Parse(want.Subject)
		if err != nil && policy.ValidName(want.Subject) {
			ref, err = principal.FromKey(want.Subject), nil // the key alone, as elsewhere
		}
		if err != nil || ref.Kind().InDirectory() {
			return none, refusal.New(refusal.Invalid,
				"%q names no account of a device; write its key, account:KEY, builtin:administrator, builtin:guest, "+
					"local:NAME or sid:S-1-…", want.Subject).
				At("subject")
		}
		subject = ref.String()
	}
	batch := OrderBatch{Batch: store.NewID(s.Now())}
	var given []string
	err := s.Do(ctx, uow.ByOperator(operation.SendOrder, who, want.what()), func(tx Records, w *uow.Work) error {
		devices, err := s.orderedDevices(tx, who, want)
		if err != nil {
			return err
		}
		if err := reach.Check(tx, who, rights.Handle, devices); err != nil {
			return err
		}
		now := s.Now()
		order := store.Order{
			Kind:      want.Kind,
			Subject:   subject,
			CreatedBy: who.Name,
			CreatedAt: now,
			Batch:     batch.Batch,
		}
		if wait > 0 {
			order.EndsAt = new(now.Add(wait))
		}
		if given, err = tx.AddOrders(devices, order); err != nil {
			return err
		}
		w.Tell(store.TopicDevices, given...)
		w.After = map[string]any{
			"subject": subject,
			"devices": len(given),
			"named":   want.Devices,
			"group":   want.Group,
		}
		return nil
	})
	if err != nil {
		return none, err
	}
	by, err := s.Read(ctx).CountOrders(rights.Everywhere, batch.Batch, s.Clock()) // all in reach, and given
	return batchOf(batch.Batch, by), err
}

// silent is the state of orders that wait for a device which is silent.
const silent = "silent"

// batchOf sums up orders by state.
func batchOf(batch string, by map[string]int) OrderBatch {
	b := OrderBatch{Batch: batch, By: by, Silent: by[silent]}
	for state, n := range by {
		b.Given += n
		if state != "queued" && state != silent && state != protocol.OrderDelivered {
			b.Ended += n
		}
	}
	if b.Silent > 0 {
		by["queued"] += b.Silent
		delete(by, silent)
	}
	return b
}

// OrderBatch says how far the orders are that were given together.
type OrderBatch struct {
	Batch  string
	Given  int
	Ended  int            // of which nothing more will come
	Silent int            // that wait for a device which is silent
	By     map[string]int // by state
}

// OrderProgress says how far the orders of a batch are, on devices in reach.
func (s *Service) OrderProgress(ctx context.Context, who rights.Identity, batch string) (OrderBatch, error) {
	by, err := s.Read(ctx).CountOrders(who.Reach(rights.Look), batch, s.Clock())
	if err == nil && (batch == "" || len(by) == 0) {
		err = refusal.New(
			refusal.NotFound,
			"there are no orders %q; the answer to giving them says which they are",
			batch,
		)
	}
	return batchOf(batch, by), err
}

// orderedDevices are the devices that an order is for.
func (s *Service) orderedDevices(tx Reads, who rights.Identity, want NewOrder) ([]string, error) {
	if len(want.Devices) > maxOrdered {
		return nil, refusal.New(refusal.Invalid, "%d devices are too many to name; name at most %d, or a group",
			len(want.Devices), maxOrdered).
			At("devices")
	}
	var ids []string
	for _, name := range want.Devices {
		d, err := reach.Visible(tx, s.Clock(), who, name)
		if err != nil {
			return nil, err
		}
		ids = append(ids, d.ID)
	}
	if want.Group != "" {
		if err := devicegroups.Exist(tx, "group", []string{want.Group}); err != nil {
			return nil, err
		}
		members, err := tx.LiveDevices([]string{want.Group}, nil)
		if err != nil {
			return nil, err
		}
		for _, m := range members {
			ids = append(ids, m.ID)
		}
	}
	if len(ids) == 0 {
		return nil, refusal.New(refusal.Invalid, "no device is named; name devices, or a group that has some").
			At("devices")
	}
	return text.Set(ids), nil
}

// Orders lists a page, latest first.
func (s *Service) Orders(
	ctx context.Context, who rights.Identity, past reach.Past, p store.Page,
) ([]store.Order, string, error) {
	narrow, err := reach.Narrow(s.Read(ctx), s.View, s.Clock(), who, past)
	if err != nil {
		return nil, "", err
	}
	return s.Read(ctx).ListOrders(narrow, s.Now(), p)
}

// SignedOrders are the orders that wait for a device after a number, signed.
func (s *Service) SignedOrders(ctx context.Context, device string, after int64) ([]string, error) {
	var signed []string
	err := s.Do(ctx, uow.ByDevice(device), func(tx Records, w *uow.Work) error {
		orders, err := tx.DeliverOrders(device, after, s.Now())
		if err != nil {
			return err
		}
		for _, o := range orders {
			order := protocol.Order{
				Format:   protocol.OrderFormat,
				Device:   device,
				Number:   o.Number,
				Kind:     o.Kind,
				Subject:  o.Subject,
				Revealed: o.Revealed,
				Files:    o.Files,
			}
			if o.EndsAt != nil {
				order.EndsAt = *o.EndsAt
			}
			if o.NotBefore != nil {
				order.NotBefore = *o.NotBefore
			}
			document, err := protocol.Sign(
				s.Keys.Signing(),
				protocol.Header{KeyID: s.Keys.Signing().ID, Time: s.Now()},
				order,
				false,
			)
			if err != nil {
				return err
			}
			signed = append(signed, document)
		}
		return nil
	})
	return signed, err
}

// TakeOrderResults stores what became of orders, and gives the highest number that is durable.
func (s *Service) TakeOrderResults(ctx context.Context, device string, results []protocol.OrderResult) (int64, error) {
	last := int64(0)
	for _, r := range results {
		if r.State != protocol.OrderDone && r.State != protocol.OrderFailed && r.State != protocol.OrderEnded &&
			r.State != protocol.OrderDelivered ||
			r.Number <= last ||
			len(r.Detail) > maxEventText {
			return 0, refusal.New(refusal.Invalid, "the result of order %d cannot be read", r.Number).
				WithCode(protocol.CodeBadResults)
		}
		last = r.Number
	}
	now := s.Now()
	return last, s.Do(ctx, uow.ByDevice(device), func(tx Records, w *uow.Work) error {
		for _, r := range results {
			r.At = earlier(r.At, now)
			if err := tx.FinishOrder(device, r); err != nil {
				return err
			}
		}
		w.Tell(store.TopicReports, device)
		return nil
	})
}
