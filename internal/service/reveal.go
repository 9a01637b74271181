package service

import (
	"context"
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire"
)

// FreshFor is how long a sign-in counts as fresh.
const FreshFor = 15 * time.Minute

// Bounds of a reveal.
const (
	shortestReason = 3    // characters
	longestReason  = 1000 // characters
	budgetSpan     = time.Hour
	approvalLife   = time.Hour // from the asking, and again from the approval
)

// RevealRequest says whose password is to be shown, and why.
type RevealRequest struct {
	Device string // identifier or name
	Target string // account as policies name it; empty where the device has one
	Reason string
	Copied bool       // it is copied without being shown
	Former *store.Ref // a former password instead of those that may be right now
}

// Revealed is a password with what stands beside it.
type Revealed struct {
	Password string
	Name     string // of the account under this password
	Deposit  store.Deposit
}

// RevealAnswer holds every password that may be the right one, newest first.
type RevealAnswer struct {
	Candidates []Revealed
	Rotation   store.Rotation
	RotatesAt  *time.Time // when it changes because it was shown, nil for not therefore
}

// Reveal gives passwords to an operator. The audit entry is durable before the password is opened, and
// nothing is spent where this replica cannot open it.
func (s *Service) Reveal(ctx context.Context, who auth.Identity, req RevealRequest) (RevealAnswer, error) {
	var answer RevealAnswer
	what := record{action: "password.revealed", object: req.Device, reason: strings.TrimSpace(req.Reason)}
	if n := utf8.RuneCountInString(what.reason); n < shortestReason || n > longestReason || text.CheckVisible(what.reason) != nil {
		return answer, failf(Invalid, "say why in %d to %d characters, such as a ticket and what is to be done", shortestReason, longestReason).at("reason").code("reason_needed")
	}
	if s.Now().Sub(who.FreshAt) > FreshFor {
		return answer, s.refuse(ctx, who, what, failf(Forbidden, "sign in again: a password is shown only within 15 minutes of a sign-in").code("sign_in_again"))
	}
	var deposits []store.Deposit
	var refusal error
	err := s.InTx(ctx, func(tx store.Tx) error {
		// What an operator spends is counted one after the other, whatever comes at once. The device comes
		// next, as in every transaction that changes its passwords.
		if _, err := tx.LockOperator(who.OperatorID); err != nil {
			return err
		}
		found, err := s.revealed(tx, who, req)
		if err != nil {
			return err
		}
		answer.Rotation = found.rotation
		deposits = found.deposits
		what.object = found.device.Name
		for _, d := range deposits {
			if !s.escrowKeys().Holds(d.KeyNumber) {
				return failf(Unavailable, "this replica does not hold escrow key %d, which the password is sealed to; nothing was counted. Ask another replica, or give this one the key", d.KeyNumber).code("key_missing")
			}
		}
		if refusal, err = s.withinBudget(tx, who, found, what.reason); err != nil || refusal != nil {
			return err
		}
		now := s.Now()
		reveal := store.Reveal{DeviceID: found.device.ID, Target: found.rotation.Target, Operator: who.Name, Reason: what.reason, Copied: req.Copied, At: now}
		for _, d := range deposits {
			reveal.Deposits = append(reveal.Deposits, store.Ref{Epoch: d.Epoch, Number: d.Number})
		}
		if err := tx.AddReveal(reveal); err != nil {
			return err
		}
		if answer.RotatesAt, err = s.rotateAfterReveal(tx, who, found, now); err != nil {
			return err
		}
		what.after = map[string]any{"account": found.rotation.Target, "name": found.rotation.Name, "deposits": reveal.Deposits, "copied": req.Copied, "former": req.Former != nil}
		if err := tx.Notify(store.Notice{Topic: store.TopicReports, IDs: []string{found.device.ID}}); err != nil {
			return err
		}
		return s.audit(tx, who, what)
	})
	if err == nil {
		err = refusal
	}
	if err != nil {
		return answer, s.refusedReveal(ctx, who, what, err)
	}
	for _, d := range deposits {
		password, err := s.escrowKeys().Open(d.About(d.KeyNumber), d.Sealed)
		if err != nil {
			return answer, failf(Unavailable, "deposit %d.%d: %v", d.Epoch, d.Number, err)
		}
		answer.Candidates = append(answer.Candidates, Revealed{password, d.NameAfter, d})
	}
	return answer, nil
}

// refusedReveal puts a refused attempt on the trail: also of a device that the operator cannot see.
func (s *Service) refusedReveal(ctx context.Context, who auth.Identity, what record, err error) error {
	var refusal *Error
	if errors.As(err, &refusal) && refusal.hidden {
		return s.refuse(ctx, who, what, refusal)
	}
	return s.refused(ctx, who, what, err)
}

// toReveal is what a request was found to mean.
type toReveal struct {
	device   store.Device
	rotation store.Rotation
	deposits []store.Deposit
}

func (s *Service) revealed(tx store.Tx, who auth.Identity, req RevealRequest) (toReveal, error) {
	var found toReveal
	var err error
	if found.device, err = s.visible(tx, who, req.Device); err != nil {
		return found, err
	}
	if found.device, err = tx.LockDevice(found.device.ID); err != nil {
		return found, err
	}
	if err := s.inReach(tx, who, auth.RevealIt, []string{found.device.ID}); err != nil {
		return found, err
	}
	if found.rotation, err = s.chosen(tx, found.device, req.Target); err != nil {
		return found, err
	}
	all, err := tx.DepositsOf(found.device.ID, found.rotation.Target)
	if err != nil {
		return found, err
	}
	for _, d := range all {
		wanted := d.State != store.DepositFormer
		if req.Former != nil {
			wanted = d.Epoch == req.Former.Epoch && d.Number == req.Former.Number
		}
		if wanted {
			found.deposits = append(found.deposits, d)
		}
	}
	if len(found.deposits) == 0 {
		return found, failf(NotFound, "that password of %s on %s is not in escrow", found.rotation.Target, found.device.Name).code("not_in_escrow")
	}
	return found, nil
}

// chosen is the password of a device that a request means.
func (s *Service) chosen(tx store.Tx, d store.Device, target string) (store.Rotation, error) {
	list, err := tx.RotationsOf(s.clock(), d.ID)
	if err != nil {
		return store.Rotation{}, err
	}
	names := make([]string, len(list))
	for i, r := range list {
		names[i] = r.Target
		if r.Target == target || target == "" && len(list) == 1 || target != "" && (text.Fold(r.Name) == text.Fold(target) || r.Target == principal.FromKey(target).String()) {
			return r, nil
		}
	}
	switch {
	case len(list) == 0:
		return store.Rotation{}, failf(NotFound, "no password of %s is in escrow; a policy must rotate one, and the device must have done so", d.Name).code("not_in_escrow")
	case target == "":
		return store.Rotation{}, failf(Invalid, "%s has several passwords in escrow; say which: %s", d.Name, strings.Join(names, ", ")).at("account").code("which_account")
	}
	return store.Rotation{}, failf(NotFound, "%s has no password of %q in escrow; it has those of %s", d.Name, target, strings.Join(names, ", ")).at("account")
}

// withinBudget refuses what an operator may see only with a second person's approval, and asks for it.
// The operator's row is locked, so that each reveal counts those before it and uses an approval up.
func (s *Service) withinBudget(tx store.Tx, who auth.Identity, found toReveal, reason string) (error, error) {
	now := s.Now()
	shown, err := tx.CountReveals(who.Name, now.Add(-budgetSpan))
	if err != nil || shown < s.RevealBudget {
		return nil, err
	}
	approval, err := tx.OpenApproval(who.Name, found.device.ID, found.rotation.Target, now)
	switch {
	case errors.Is(err, store.ErrNotFound):
		approval = store.Approval{ID: store.NewID(now), DeviceID: found.device.ID, Target: found.rotation.Target, AskedBy: who.Name, Reason: reason, AskedAt: now, EndsAt: now.Add(approvalLife)}
		if err := tx.AddApproval(approval); err != nil {
			return nil, err
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicEdits}); err != nil {
			return nil, err
		}
	case err != nil:
		return nil, err
	case approval.Approved:
		approval.UsedAt = &now
		return nil, tx.SetApproval(approval)
	}
	return failf(Forbidden, "you have seen %d passwords within an hour, which is what you may see alone. A second person with the right to see it must approve this one (%s); then ask again",
		shown, approval.ID).code("second_person_needed"), nil
}

// rotateAfterReveal queues the change of a password that was shown, where its rule wants that.
func (s *Service) rotateAfterReveal(tx store.Tx, who auth.Identity, found toReveal, now time.Time) (*time.Time, error) {
	asked, err := tx.Asked(found.device.SettingsDigest)
	if err != nil {
		return nil, err
	}
	target, err := principal.Parse(found.rotation.Target)
	if err != nil {
		return nil, err
	}
	rule, ruled := rotationRules(asked.Settings)[target]
	if !ruled || rule.AfterRevealMinutes == nil || found.device.State != store.Live {
		return nil, nil
	}
	at := now.Add(time.Duration(*rule.AfterRevealMinutes) * time.Minute)
	sooner, err := tx.Rotates(found.device.ID, found.rotation.Target, at)
	if err != nil || sooner {
		return &at, err
	}
	if _, err := tx.AddOrders([]string{found.device.ID}, store.Order{Kind: wire.OrderRotate, Subject: found.rotation.Target, CreatedBy: who.Name, CreatedAt: now, NotBefore: &at, Revealed: true}); err != nil {
		return nil, err
	}
	return &at, tx.Notify(store.Notice{Topic: store.TopicDevices, IDs: []string{found.device.ID}})
}

// Decide approves a reveal beyond the budget, or refuses it. Nobody decides what they asked for.
func (s *Service) Decide(ctx context.Context, who auth.Identity, id string, approve bool) error {
	action := map[bool]string{true: "reveal.approved", false: "reveal.declined"}[approve]
	what := record{action: action, object: id}
	err := s.InTx(ctx, func(tx store.Tx) error {
		a, err := tx.LockApproval(id)
		if err != nil {
			return named(err, "request", id)
		}
		if _, err := s.visible(tx, who, a.DeviceID); err != nil {
			return named(store.ErrNotFound, "request", id)
		}
		what = record{action: action, object: a.Device, reason: a.Reason, after: map[string]any{"account": a.Target, "asked_by": a.AskedBy}}
		switch {
		case a.AskedBy == who.Name:
			return failf(Forbidden, "you asked for this yourself; somebody else must approve it").code("second_person_needed")
		case a.DecidedAt != nil || !s.Now().Before(a.EndsAt):
			return failf(Conflict, "this request was decided, or has ended; %s may ask again", a.AskedBy)
		}
		if err := s.inReach(tx, who, auth.RevealIt, []string{a.DeviceID}); err != nil {
			return err
		}
		now := s.Now()
		a.DecidedBy, a.DecidedAt, a.Approved, a.EndsAt = who.Name, &now, approve, now.Add(approvalLife)
		if err := tx.SetApproval(a); err != nil {
			return err
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicEdits}); err != nil {
			return err
		}
		return s.audit(tx, who, what)
	})
	return s.refused(ctx, who, what, err)
}
