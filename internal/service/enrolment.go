package service

import (
	"context"
	"crypto/ed25519"
	"crypto/subtle"
	"errors"
	"time"

	"rankwarden.example/core/text"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire"
)

// Limits of enrolment.
const (
	MaxDeviceName = 63
	maxFact       = 200 // bytes
	MaxTokenUses  = 100_000
	MaxEnrolment  = 90 * 24 * time.Hour // life of an enrolment token
)

// Grants are what an enrolment token gives to the devices that enrol with it.
type Grants struct {
	Groups []string // listed ones
	Path   string
	Tags   []string
}

// NewEnrolmentToken makes a token for a number of devices, which join groups and get organisation
// facts as they enrol. The token is shown this once.
func (s *Service) NewEnrolmentToken(ctx context.Context, who auth.Identity, note string, uses int, life time.Duration, grants Grants) (store.EnrolmentToken, wire.Token, error) {
	switch {
	case uses < 1 || uses > MaxTokenUses:
		return store.EnrolmentToken{}, wire.Token{}, failf(Invalid, "a token is for 1 to %d devices", MaxTokenUses).at("uses")
	case life < time.Minute || life > MaxEnrolment:
		return store.EnrolmentToken{}, wire.Token{}, failf(Invalid, "a token lives from a minute to 90 days").at("expires_in_hours")
	}
	if err := (OrganisationFacts{Path: &grants.Path, Tags: &grants.Tags}).check(); err != nil {
		return store.EnrolmentToken{}, wire.Token{}, err
	}
	now := s.Now()
	token := wire.Token{ID: store.NewID(now), Secret: auth.NewSecret(), RootFingerprint: s.Keys.Root.ID}
	e := store.EnrolmentToken{ID: token.ID, Note: note, SecretHash: auth.HashSecret(token.Secret), UsesLeft: uses,
		Groups: sortedSet(grants.Groups), Path: grants.Path, Tags: sortedSet(grants.Tags), CreatedBy: who.Name, CreatedAt: now, ExpiresAt: now.Add(life)}
	err := s.InTx(ctx, func(tx store.Tx) error {
		if err := s.groupsAreListed(tx, grants.Groups); err != nil {
			return err
		}
		if err := tx.AddEnrolmentToken(e); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "enrolment.token_made", object: e.ID,
			after: map[string]any{"note": note, "uses": uses, "groups": e.Groups, "path": e.Path, "tags": e.Tags, "expires": e.ExpiresAt}})
	})
	return e, token, err
}

// EnrolmentTokens lists a page.
func (s *Service) EnrolmentTokens(ctx context.Context, p store.Page) ([]store.EnrolmentToken, string, error) {
	return s.Store.With(ctx).ListEnrolmentTokens(p)
}

// RevokeEnrolmentToken ends a token; devices that enrolled with it stay.
func (s *Service) RevokeEnrolmentToken(ctx context.Context, who auth.Identity, id string) error {
	return named(s.InTx(ctx, func(tx store.Tx) error {
		if err := tx.RevokeEnrolmentToken(id, s.Now()); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "enrolment.token_revoked", object: id})
	}), "enrolment token", id)
}

// Enrol gives a device its place. Asking again with the same key gives the same place. A device
// whose name a live device has becomes one that claims to be it, and waits for an operator.
func (s *Service) Enrol(ctx context.Context, req wire.EnrolRequest, key ed25519.PublicKey, address string) (store.Device, error) {
	name := text.NFC(req.Facts.Name)
	if err := text.CheckName(name, MaxDeviceName); err != nil {
		return store.Device{}, failf(Invalid, "the device's name %v", err).at("facts.name").code("bad_facts")
	}
	if req.Facts.Platform == "" {
		return store.Device{}, failf(Invalid, "the device does not say its platform").at("facts.platform").code("bad_facts")
	}
	for _, fact := range []string{req.Facts.Platform, req.Facts.OSVersion, req.Facts.Serial, req.Facts.Model} {
		if err := text.CheckVisible(fact); err != nil || len(fact) > maxFact {
			return store.Device{}, failf(Invalid, "a fact of the device (%q) is longer than %d bytes or cannot be read", fact, maxFact).at("facts").code("bad_facts")
		}
	}
	var d store.Device
	err := s.InTx(ctx, func(tx store.Tx) error {
		known, err := tx.DeviceByKey(wire.Thumbprint(key))
		if err == nil {
			d = known
			return nil
		}
		if !errors.Is(err, store.ErrNotFound) {
			return err
		}
		token, err := s.usableToken(tx, req)
		if err != nil {
			return err
		}
		if err := tx.UseEnrolmentToken(token.ID); err != nil {
			return err
		}
		now := s.Now()
		d = store.Device{ID: store.NewID(now), Name: name, NameKey: text.Fold(name), Serial: req.Facts.Serial, Model: req.Facts.Model,
			Platform: req.Facts.Platform, OSVersion: req.Facts.OSVersion, OSBuild: req.Facts.OSBuild, State: store.Live,
			Path: token.Path, Tags: token.Tags, PublicKey: key, KeyID: wire.Thumbprint(key), TokenID: token.ID, EnrolledAt: now, Epoch: 1, Stands: store.Stands{DesiredEpoch: s.keyList.Load().epoch, LastContact: &now}}
		if former, err := tx.LiveDeviceNamed(d.NameKey); err == nil {
			d.State, d.Claims = store.Claiming, &former.ID
		} else if !errors.Is(err, store.ErrNotFound) {
			return err
		}
		if d.State == store.Live {
			if d.ListedIn, err = tx.DecidingGroup(d.NameKey, token.Groups); err != nil {
				return err
			}
			if d.ListedIn != "" {
				d.State = store.Claiming
			}
		}
		if err := tx.AddDevice(d); err != nil {
			return err
		}
		if d.State == store.Live {
			if err := s.joinFleet(tx, d, token.Groups); err != nil {
				return err
			}
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicDevices, IDs: []string{d.ID}}); err != nil {
			return err
		}
		return s.audit(tx, deviceItself(d.ID, address), record{action: "device.enrolled", object: d.ID, after: map[string]any{"name": name, "state": d.State, "token": token.ID, "key": d.KeyID, "listed_in": d.ListedIn}})
	})
	var refusal *Error
	if errors.As(err, &refusal) {
		return d, s.strangerRefused(ctx, "device.enrolled", address, name, err)
	}
	if errors.Is(err, store.ErrExists) { // another device of that name came first
		err = failf(Conflict, "a device of that name is just enrolling; try again").code("try_again")
	}
	return d, err
}

func (s *Service) usableToken(tx store.Tx, req wire.EnrolRequest) (store.EnrolmentToken, error) {
	token, err := tx.LockEnrolmentToken(req.TokenID)
	if errors.Is(err, store.ErrNotFound) || err == nil && subtle.ConstantTimeCompare(token.SecretHash, auth.HashSecret(req.Secret)) != 1 {
		return token, failf(Forbidden, "the enrolment token is not known; copy it whole, or ask for a new one").code("token_unknown")
	}
	if err != nil {
		return token, err
	}
	switch {
	case token.RevokedAt != nil:
		return token, failf(Forbidden, "the enrolment token was revoked; ask for a new one").code("token_revoked")
	case !s.Now().Before(token.ExpiresAt):
		return token, failf(Forbidden, "the enrolment token expired at %s; ask for a new one", token.ExpiresAt.UTC().Format(time.RFC3339)).code("token_expired")
	case token.UsesLeft < 1:
		return token, failf(Forbidden, "the enrolment token was used up; ask for a new one").code("token_used_up")
	}
	return token, nil
}

// joinFleet puts a device that is live now into groups, and asks for its first desired state.
func (s *Service) joinFleet(tx store.Tx, d store.Device, groups []string) error {
	for _, name := range sortedSet(groups) {
		g, err := tx.Group(name)
		if errors.Is(err, store.ErrNotFound) {
			continue // removed since the token was made
		}
		if err != nil {
			return err
		}
		if g.Rule != "" {
			continue // it is by rule now
		}
		if err := tx.AddToGroup(g.ID, []string{d.NameKey}); err != nil {
			return err
		}
	}
	if err := rejoin(tx, d.ID); err != nil {
		return err
	}
	return tx.RequestSettle(store.SettleRequest{Cause: "device enrolled", Devices: []string{d.ID}, CreatedAt: s.Now()})
}
