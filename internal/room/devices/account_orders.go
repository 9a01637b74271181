package devices

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"strings"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// AccountOrder says which local account is disabled or removed, and where.
type AccountOrder struct {
	Remove  bool
	Account string
	Devices []string
	Group   string
	Files   string // see [protocol.FilesKept]
}

func (o AccountOrder) kind() string {
	if o.Remove {
		return protocol.OrderRemoveAccount
	}
	return protocol.OrderDisableAccount
}

// LetGo is what such an order would do.
type LetGo struct {
	Accounts   []LetGoAccount // by device
	Devices    []string       // that get the order
	Privileged int            // of those, on which the account can take the device over
	Needs      []string       // why one person alone cannot order it
	Digest     string
}

// LetGoAccount is one account that the order means.
type LetGoAccount struct {
	store.LocalAccount
	Refused string // why its device does not get the order
}

// PreviewLetGo says what an order to disable or remove an account would do, by what devices said last.
func (s *Service) PreviewLetGo(ctx context.Context, who rights.Identity, want AccountOrder) (LetGo, error) {
	ref, err := letGoOf(want)
	if err != nil {
		return LetGo{}, err
	}
	return s.weighLetGo(s.Read(ctx), who, want, ref)
}

// letGoOf is the account of an order.
func letGoOf(want AccountOrder) (principal.Ref, error) {
	ref, err := principal.Parse(want.Account)
	if err != nil {
		ref, err = principal.Parse("local:" + want.Account) // the name alone, as elsewhere
	}
	switch {
	case err == nil && (ref.Kind() == principal.Local || ref.Kind() == principal.Account ||
		ref.Kind() == principal.Bare):
	case err == nil && ref.Kind() == principal.Builtin:
		return ref, refusal.New(refusal.Invalid, "%s is built in; a policy says whether it is enabled", ref).
			At("account")
	default:
		return ref, refusal.New(refusal.Invalid, "%q names no local account; write local:NAME, account:KEY or "+
			"sid:S-1-…", want.Account).At("account")
	}
	if !want.Remove && want.Files == protocol.FilesMoved {
		return ref, refusal.New(refusal.Invalid, "the files of an account are moved when it is removed, and not when "+
			"it is disabled").At("files")
	}
	return ref, nil
}

func (s *Service) weighLetGo(
	tx Reads, who rights.Identity, want AccountOrder, ref principal.Ref,
) (LetGo, error) {
	devices, err := s.orderedDevices(tx, who, NewOrder{Devices: want.Devices, Group: want.Group})
	if err != nil {
		return LetGo{}, err
	}
	if err := reach.Check(tx, who, rights.Deploy, devices); err != nil {
		return LetGo{}, err
	}
	found, err := tx.AccountsToLetGo(devices, ref)
	if err != nil {
		return LetGo{}, err
	}
	l := LetGo{Needs: []string{}}
	sum := sha256.New()
	fmt.Fprintln(sum, want.kind(), ref, want.Files)
	lost := effect.AccessSet{}
	for _, a := range found {
		x := LetGoAccount{a.LocalAccount, whyNotLetGo(a, want)}
		if x.Refused == "" {
			l.Devices = append(l.Devices, a.DeviceID)
			fmt.Fprintln(sum, a.DeviceID, a.SID)
			if a.Privileged {
				l.Privileged++
				lost.Add(effect.AccessEffect{Access: effect.AdministratorLost, Unit: unit.Administrators,
					Subject: ref.String()}, a.DeviceID)
			}
		}
		l.Accounts = append(l.Accounts, x)
	}
	j := s.Rules.Judge(gate.Alteration{Source: gate.Person, Seen: true, Access: lost, Devices: len(l.Devices)})
	l.Needs = append(l.Needs, j.Needs...)
	l.Digest = hex.EncodeToString(sum.Sum(nil))
	return l, nil
}

// whyNotLetGo says why the device of an account does not get the order, empty where it does. The device asks itself
// again.
func whyNotLetGo(a store.LetGoAccount, want AccountOrder) string {
	switch {
	case a.Builtin != "":
		return "it is built in"
	case a.Managed:
		return "a policy manages it"
	case len(a.Runs) > 0:
		return strings.Join(a.Runs, ", ") + " runs as it"
	case !want.Remove && !a.Enabled:
		return "it is disabled already"
	}
	return ""
}

// LetGo orders devices to disable or remove an account, as it was seen.
func (s *Service) LetGo(
	ctx context.Context, who rights.Identity, want AccountOrder, digest string,
) (OrderBatch, error) {
	ref, err := letGoOf(want)
	if err != nil {
		return OrderBatch{}, err
	}
	batch := store.NewID(s.Now())
	what := NewOrder{Kind: want.kind(), Devices: want.Devices, Group: want.Group}.what()
	act := uow.ByOperator(operation.OrderAccount, who, what)
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		l, err := s.weighLetGo(tx, who, want, ref)
		switch {
		case err != nil:
			return err
		case len(l.Devices) == 0:
			return refusal.New(refusal.Conflict, "no device has an account %s that could be let go of", ref)
		case l.Digest != digest:
			return refusal.New(refusal.Conflict, "what the order would do is not what you have seen any more; look at "+
				"it again").WithCode("seen_outdated")
		case len(l.Needs) > 0:
			return refusal.New(refusal.Forbidden, "one person alone cannot order this: %s. Have a policy do it (an "+
				"account with that state, or other_accounts), which a second person approves",
				strings.Join(l.Needs, "; ")).WithCode("second_person")
		}
		now := s.Now()
		order := store.Order{Kind: want.kind(), Subject: ref.String(), CreatedBy: who.Name, CreatedAt: now,
			EndsAt: new(now.Add(protocol.AccountOrderWait)), Batch: batch}
		if want.Files == protocol.FilesMoved { // where they stay nothing is said of them
			order.Files = want.Files
		}
		given, err := tx.AddOrders(l.Devices, order)
		if err != nil {
			return err
		}
		w.Tell(store.TopicDevices, given...)
		w.After = map[string]any{"subject": ref.String(), "devices": len(given), "named": want.Devices,
			"group": want.Group, "files": want.Files, "privileged": l.Privileged}
		return nil
	})
	if err != nil {
		return OrderBatch{}, err
	}
	by, err := s.Read(ctx).CountOrders(rights.Everywhere, batch, s.Clock()) // all in reach, and given
	return batchOf(batch, by), err
}

// LeftBehind lists the accounts that a policy managed once and none does any more, on devices in reach.
func (s *Service) LeftBehind(
	ctx context.Context, who rights.Identity, group string, p store.Page,
) ([]store.LocalAccount, string, error) {
	if err := devicegroups.Asked(s.Read(ctx), group); err != nil {
		return nil, "", err
	}
	return s.Read(ctx).ListLeftBehind(who.Reach(rights.Look), group, p)
}
