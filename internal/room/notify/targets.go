package notify

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"net/mail"
	"slices"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// mostTargets bounds how much work one event can be.
const mostTargets = 50

// Spec is what an owner says of a target.
type Spec struct {
	Kind, Address  string
	Events, Groups []string
	Enabled        bool
	From           string
	To             []string
	User           string
	Password       *string // of the mail server; nil leaves it as it is
	CA             string
	NewSecret      bool // of a webhook, whose old one ends
}

// Target is one with how many deliveries wait and how many failed.
type Target struct {
	store.NotificationTarget
	Waiting, Failed int
}

// named finds a target.
func named(tx Reads, name string) (store.NotificationTarget, error) {
	t, err := tx.Target(name)
	if errors.Is(err, store.ErrNotFound) {
		err = refusal.New(refusal.NotFound, "there is no notification target %q; list them to see their names", name)
	}
	return t, err
}

// Targets lists a page by name.
func (s *Service) Targets(ctx context.Context, p store.Page) ([]Target, string, error) {
	tx := s.Read(ctx)
	found, next, err := tx.ListTargets(p)
	if err != nil {
		return nil, "", err
	}
	counts, err := tx.CountDeliveries()
	list := make([]Target, len(found))
	for i, t := range found {
		list[i] = counted(t, counts)
	}
	return list, next, err
}

func counted(t store.NotificationTarget, counts []store.DeliveryCount) Target {
	target := Target{NotificationTarget: t}
	for _, c := range counts {
		if c.TargetID == t.ID {
			*map[string]*int{store.DeliveryWaiting: &target.Waiting,
				store.DeliveryFailed: &target.Failed}[c.State] = c.N
		}
	}
	return target
}

// Target reads one.
func (s *Service) Target(ctx context.Context, name string) (Target, error) {
	tx := s.Read(ctx)
	t, err := named(tx, name)
	if err != nil {
		return Target{}, err
	}
	counts, err := tx.CountDeliveries()
	return counted(t, counts), err
}

// AddTarget makes a target. It gives the secret that signs a webhook's requests, which is shown this once.
func (s *Service) AddTarget(
	ctx context.Context, who rights.Identity, name string, spec Spec,
) (made Target, secret string, err error) {
	if err := text.CheckName(name, 63); err != nil {
		return made, "", refusal.New(refusal.Invalid, "%v", err).At("name")
	}
	act := uow.ByOperator(operation.CreateNotificationTarget, who, name)
	spec.NewSecret = true
	t := store.NotificationTarget{ID: store.NewID(s.Now()), Name: name, CreatedBy: who.Name, CreatedAt: s.Now()}
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		if n, err := tx.CountTargets(); err != nil || n >= mostTargets {
			return errors.Join(err, refusal.New(refusal.Conflict,
				"there are %d targets already, which is the most; delete one first", n))
		}
		if secret, err = s.apply(tx, &t, spec); err != nil {
			return err
		}
		w.After = stateOf(t)
		w.Tell(store.TopicEdits)
		if err := tx.AddTarget(t); errors.Is(err, store.ErrExists) {
			return refusal.New(refusal.Conflict, "there is a target with this name already; choose another").At("name")
		} else if err != nil {
			return err
		}
		t.Version = 1
		return nil
	})
	return Target{NotificationTarget: t}, secret, err
}

// EditTarget edits the version of a target that was read. It gives the secret of a webhook where a new one was asked
// for.
func (s *Service) EditTarget(
	ctx context.Context, who rights.Identity, name string, version int64, spec Spec,
) (edited Target, secret string, err error) {
	act := uow.ByOperator(operation.EditNotificationTarget, who, name)
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		t, err := named(tx, name)
		if err != nil {
			return err
		}
		w.Before = stateOf(t)
		if secret, err = s.apply(tx, &t, spec); err != nil {
			return err
		}
		w.After = stateOf(t)
		w.Tell(store.TopicEdits)
		t.Version, t.Failures, t.Error, t.NextAt = version+1, 0, "", s.Now()
		edited = Target{NotificationTarget: t}
		return stale(tx.SetTarget(t))
	})
	return edited, secret, err
}

// DeleteTarget deletes the version of a target that was read, with its deliveries.
func (s *Service) DeleteTarget(ctx context.Context, who rights.Identity, name string, version int64) error {
	act := uow.ByOperator(operation.DeleteNotificationTarget, who, name)
	return s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		t, err := named(tx, name)
		if err != nil {
			return err
		}
		w.Before = stateOf(t)
		w.Tell(store.TopicEdits)
		return stale(tx.DeleteTarget(t.ID, version))
	})
}

func stale(err error) error {
	if errors.Is(err, store.ErrStale) {
		return refusal.New(refusal.Stale, "somebody else changed this target meanwhile; read it again, and then edit "+
			"it")
	}
	return err
}

// apply checks what is said of a target, and puts it in.
func (s *Service) apply(tx Records, t *store.NotificationTarget, spec Spec) (secret string, err error) {
	if t.Kind != "" && t.Kind != spec.Kind {
		return "", refusal.New(refusal.Invalid, "a target stays a %s; create another for %s", t.Kind, spec.Kind).
			At("kind")
	}
	if _, known := schemes[spec.Kind]; !known {
		return "", refusal.New(refusal.Invalid, "a target is a webhook, syslog or mail").At("kind")
	}
	if err := s.checkAddress(spec.Kind, spec.Address); err != nil {
		return "", err
	}
	if err := s.checkEvents(tx, spec); err != nil {
		return "", err
	}
	if _, err := rootsOf(spec.CA); err != nil {
		return "", err
	}
	// A password that is stored was given for one server, and is not sent to another.
	moved := t.Address != "" && t.Address != spec.Address
	t.Kind, t.Address, t.Enabled = spec.Kind, spec.Address, spec.Enabled
	t.Events, t.Groups = text.Set(spec.Events), text.Set(spec.Groups)
	t.Settings = store.TargetSettings{CA: spec.CA}
	switch spec.Kind {
	case store.TargetMail:
		if err := checkMail(spec); err != nil {
			return "", err
		}
		t.Settings.From, t.Settings.To, t.Settings.User = spec.From, spec.To, spec.User
		switch {
		case spec.User == "":
			t.Secret = nil
		case spec.Password != nil:
			t.Secret = s.Secrets.Seal(t.ID, *spec.Password)
		case moved && len(t.Secret) > 0:
			return "", refusal.New(refusal.Invalid,
				"the stored password is for the server of before; give the one of this server").At("password")
		}
	case store.TargetWebhook:
		if spec.NewSecret {
			raw := make([]byte, 32)
			_, _ = rand.Read(raw) // never fails, see crypto/rand
			secret = base64.RawURLEncoding.EncodeToString(raw)
			t.Secret = s.Secrets.Seal(t.ID, secret)
		}
	}
	return secret, nil
}

func (s *Service) checkEvents(tx Records, spec Spec) error {
	if len(spec.Events) == 0 {
		return refusal.New(refusal.Invalid, "choose at least one kind of event").At("events")
	}
	for _, kind := range spec.Events {
		if !slices.Contains(Kinds, kind) {
			return refusal.Unknown("events", kind, Kinds)
		}
	}
	for _, name := range spec.Groups {
		if _, err := tx.Group(name); errors.Is(err, store.ErrNotFound) {
			return refusal.Missing("group", name).At("groups")
		} else if err != nil {
			return err
		}
	}
	return nil
}

func checkMail(spec Spec) error {
	if _, err := mail.ParseAddress(spec.From); err != nil {
		return refusal.New(refusal.Invalid, "give the address that mail comes from, such as warden@skerryline.example").
			At("from")
	}
	if len(spec.To) == 0 {
		return refusal.New(refusal.Invalid, "give at least one address that mail goes to").At("to")
	}
	for _, to := range spec.To {
		if _, err := mail.ParseAddress(to); err != nil {
			return refusal.New(refusal.Invalid, "%q is no mail address; write it like desk@skerryline.example", to).
				At("to")
		}
	}
	return nil
}

// stateOf is a target as the trail tells of it: without its secret.
func stateOf(t store.NotificationTarget) map[string]any {
	state := map[string]any{"kind": t.Kind, "address": t.Address, "events": t.Events, "groups": t.Groups,
		"enabled": t.Enabled}
	if t.Kind == store.TargetMail {
		state["from"], state["to"], state["user"] = t.Settings.From, t.Settings.To, t.Settings.User
	}
	return state
}
