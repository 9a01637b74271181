package passwords

import (
	"context"
	"strings"
	"time"
	"unicode/utf8"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

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

// Candidate is a password with what stands beside it.
type Candidate struct {
	Password string
	Name     string // of the account under this password
	Deposit  store.Deposit
}

// RevealAnswer holds every password that may be the right one, newest first.
type RevealAnswer struct {
	Candidates []Candidate
	Rotation   store.Rotation
	RotatesAt  *time.Time // when it changes because it was shown, nil for not therefore
}

// Reveal gives passwords to an operator. The audit entry is durable before the password is opened, and
// nothing is spent where this replica cannot open it.
func (s *Service) Reveal(ctx context.Context, who rights.Identity, req RevealRequest) (RevealAnswer, error) {
	var answer RevealAnswer
	what, err := s.showing(ctx, operation.RevealPassword, who, req.Device, req.Reason)
	if err != nil {
		return answer, err
	}
	var deposits []store.Deposit
	var refused error
	err = s.Do(ctx, what, func(tx Records, w *uow.Work) error {
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
		w.SetObject(found.device.Name)
		what = what.On(found.device.Name)
		for _, d := range deposits {
			if !s.escrowKeys().Holds(d.KeyNumber) {
				return refusal.New(refusal.Unavailable,
					"this replica does not hold escrow key %d, which the password is sealed to; nothing was counted. "+
						"Ask another replica, or give this one the key", d.KeyNumber).
					WithCode(protocol.CodeKeyMissing)
			}
		}
		if refused, err = s.withinBudget(tx, w, &found); err != nil || refused != nil {
			w.Quiet()
			return err
		}
		answer.RotatesAt, err = s.noteReveal(tx, w, found, req)
		return err
	})
	if err == nil && refused != nil {
		err = s.Refuse(ctx, what, refused)
	}
	if err != nil {
		return answer, err
	}
	answer.Candidates, err = s.open(deposits)
	return answer, err
}

// showing is the act of showing passwords. It needs a reason, and a sign-in that is fresh.
func (s *Service) showing(
	ctx context.Context, op *operation.Operation, who rights.Identity, object, reason string,
) (uow.Act, error) {
	act := uow.ByOperator(op, who, object).Because(strings.TrimSpace(reason)).ShowingAttempts()
	if n := utf8.RuneCountInString(act.Reason()); n < shortestReason || n > longestReason ||
		text.CheckVisible(act.Reason()) != nil {
		return act, refusal.New(refusal.Invalid,
			"say why in %d to %d characters, such as a ticket and what is to be done", shortestReason, longestReason).
			At("reason").
			WithCode("reason_needed")
	}
	if !who.Fresh(s.Now()) {
		return act, s.Refuse(
			ctx,
			act,
			refusal.New(refusal.Forbidden, "sign in again: a password is shown only within 15 minutes of a sign-in").
				WithCode("sign_in_again"),
		)
	}
	return act, nil
}

// noteReveal stores that passwords were shown, and says when they change because of that; nil for not therefore.
func (s *Service) noteReveal(tx Records, w *uow.Work, found toReveal, req RevealRequest) (*time.Time, error) {
	now := s.Now()
	reveal := found.asReveal()
	reveal.Operator, reveal.Reason, reveal.Copied, reveal.At = w.Who().Name, w.Reason(), req.Copied, now
	if err := tx.AddReveal(reveal); err != nil {
		return nil, err
	}
	rotatesAt, err := rotateAfterReveal(tx, w, found, now)
	if err != nil {
		return nil, err
	}
	w.After = map[string]any{
		"account":  found.rotation.Target,
		"name":     found.rotation.Name,
		"deposits": reveal.Deposits,
		"copied":   req.Copied,
		"former":   req.Former != nil,
	}
	w.Tell(store.TopicReports, found.device.ID)
	return rotatesAt, nil
}

// open opens passwords, once that they are shown is durable.
func (s *Service) open(deposits []store.Deposit) (list []Candidate, err error) {
	for _, d := range deposits {
		password, err := s.escrowKeys().Open(d.About(d.KeyNumber), d.Sealed)
		if err != nil {
			return list, refusal.New(refusal.Unavailable, "deposit %d.%d: %v", d.Epoch, d.Number, err)
		}
		list = append(list, Candidate{password, d.NameAfter, d})
	}
	return list, nil
}

// toReveal is what a request was found to mean.
type toReveal struct {
	device   store.Device
	rotation store.Rotation
	deposits []store.Deposit
	again    bool // the operator has seen it within the hour
}

// asReveal is what is shown.
func (f toReveal) asReveal() store.Reveal {
	r := store.Reveal{DeviceID: f.device.ID, Target: f.rotation.Target, Again: f.again}
	for _, d := range f.deposits {
		r.Deposits = append(r.Deposits, store.Ref{Epoch: d.Epoch, Number: d.Number})
	}
	return r
}

func (s *Service) revealed(tx Records, who rights.Identity, req RevealRequest) (toReveal, error) {
	var found toReveal
	var err error
	if found.device, err = reach.Visible(tx, s.Clock(), who, req.Device); err != nil {
		return found, err
	}
	if found.device, err = tx.LockDevice(found.device.ID); err != nil {
		return found, err
	}
	if err := reach.Check(tx, who, rights.Reveal, []string{found.device.ID}); err != nil {
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
		why, err := s.whyNone(tx, found.device)
		if err != nil {
			return found, err
		}
		return found, refusal.New(refusal.NotFound, "that password of %s on %s is not in escrow. %s",
			found.rotation.Target, found.device.Name, why).
			WithCode("not_in_escrow")
	}
	return found, nil
}

// chosen is the password of a device that a request means.
func (s *Service) chosen(tx Records, d store.Device, target string) (store.Rotation, error) {
	list, err := tx.RotationsOf(s.Clock(), d.ID)
	if err != nil {
		return store.Rotation{}, err
	}
	names := make([]string, len(list))
	for i, r := range list {
		names[i] = r.Target
		if r.Target == target || target == "" && len(list) == 1 ||
			target != "" && (text.Fold(r.Name) == text.Fold(target) || r.Target == principal.FromKey(target).String()) {
			return r, nil
		}
	}
	switch {
	case len(list) == 0:
		why, err := s.whyNone(tx, d)
		if err != nil {
			return store.Rotation{}, err
		}
		return store.Rotation{}, refusal.New(refusal.NotFound, "no password of %s is in escrow. %s", d.Name, why).
			WithCode("not_in_escrow")
	case target == "":
		return store.Rotation{}, refusal.New(refusal.Invalid, "%s has several passwords in escrow; say which: %s",
			d.Name, strings.Join(names, ", ")).
			At("account").
			WithCode("which_account")
	}
	return store.Rotation{}, refusal.New(refusal.NotFound, "%s has no password of %q in escrow; it has those of %s",
		d.Name, target, strings.Join(names, ", ")).
		At("account")
}

// rotateAfterReveal queues the change of a password that was shown, where its rule wants that.
func rotateAfterReveal(tx Records, w *uow.Work, found toReveal, now time.Time) (*time.Time, error) {
	rule, ruled, err := ruleOf(tx, found)
	if err != nil {
		return nil, err
	}
	if !ruled || rule.AfterRevealMinutes == nil || found.device.State != store.Live {
		return nil, nil
	}
	at := now.Add(time.Duration(*rule.AfterRevealMinutes) * time.Minute)
	sooner, err := tx.Rotates(found.device.ID, found.rotation.Target, at)
	if err != nil || sooner {
		return &at, err
	}
	if _, err := tx.AddOrders([]string{found.device.ID},
		store.Order{Kind: protocol.OrderRotate, Subject: found.rotation.Target, CreatedBy: w.Who().
			Name, CreatedAt: now, NotBefore: &at, Revealed: true}); err != nil {
		return nil, err
	}
	w.Tell(store.TopicDevices, found.device.ID)
	return &at, nil
}

// ruleOf is the rule by which a password is changed; ruled is false where nobody asks for that any more.
func ruleOf(tx Reads, of toReveal) (rule unit.RotationValue, ruled bool, err error) {
	asked, err := tx.Asked(of.device.SettingsDigest)
	if err != nil {
		return rule, false, err
	}
	target, err := principal.Parse(of.rotation.Target)
	if err != nil {
		return rule, false, err
	}
	rule, ruled = unit.Rotations(asked.Settings)[target]
	return rule, ruled, nil
}
