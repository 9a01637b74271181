package devices

import (
	"context"
	"crypto/ed25519"
	"crypto/subtle"
	"errors"
	"time"

	"rankwarden.example/core/fleet"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Limits of enrolment.
const (
	maxFact      = 200 // bytes
	MaxTokenUses = 100_000
	MaxEnrolment = 90 * 24 * time.Hour // life of an enrolment token
)

// Grants are what an enrolment token gives to the devices that enrol with it.
type Grants struct {
	Groups []string // listed ones
	Path   string
	Tags   []string
}

// NewEnrolmentToken makes a token for a number of devices, which join groups and get organisation
// facts as they enrol. The token is shown this once.
func (s *Service) NewEnrolmentToken(
	ctx context.Context, who rights.Identity, note string, uses int, life time.Duration, grants Grants,
) (store.EnrolmentToken, protocol.Token, error) {
	switch {
	case uses < 1 || uses > MaxTokenUses:
		return store.EnrolmentToken{}, protocol.Token{},
			refusal.New(refusal.Invalid, "a token is for 1 to %d devices", MaxTokenUses).At("uses")
	case life < time.Minute || life > MaxEnrolment:
		return store.EnrolmentToken{}, protocol.Token{},
			refusal.New(refusal.Invalid, "a token lives from a minute to 90 days").At("expires_in_hours")
	}
	if err := fleet.CheckPath(grants.Path); err != nil {
		return store.EnrolmentToken{}, protocol.Token{}, refusal.New(refusal.Invalid, "%v", err).At("path")
	}
	if err := fleet.CheckTags(grants.Tags); err != nil {
		return store.EnrolmentToken{}, protocol.Token{}, refusal.New(refusal.Invalid, "%v", err).At("tags")
	}
	now := s.Now()
	token := protocol.Token{ID: store.NewID(now), Secret: auth.NewSecret(), RootFingerprint: s.Keys.Root()}
	e := store.EnrolmentToken{ID: token.ID, Note: note, SecretHash: auth.HashSecret(token.Secret), UsesLeft: uses,
		Groups: text.Set(
			grants.Groups,
		), Path: grants.Path, Tags: text.Set(grants.Tags), CreatedBy: who.Name, CreatedAt: now,
		ExpiresAt: now.Add(life)}
	err := s.Do(ctx, uow.ByOperator(operation.CreateEnrolmentToken, who, e.ID), func(tx Records, w *uow.Work) error {
		if err := devicegroups.Listed(tx, grants.Groups); err != nil {
			return err
		}
		if err := tx.AddEnrolmentToken(e); err != nil {
			return err
		}
		w.After = map[string]any{
			"note":    note,
			"uses":    uses,
			"groups":  e.Groups,
			"path":    e.Path,
			"tags":    e.Tags,
			"expires": e.ExpiresAt,
		}
		return nil
	})
	return e, token, err
}

// EnrolmentTokens lists a page.
func (s *Service) EnrolmentTokens(ctx context.Context, p store.Page) ([]store.EnrolmentToken, string, error) {
	return s.Read(ctx).ListEnrolmentTokens(p)
}

// RevokeEnrolmentToken ends a token; devices that enrolled with it stay.
func (s *Service) RevokeEnrolmentToken(ctx context.Context, who rights.Identity, id string) error {
	return refusal.Named(
		s.Do(ctx, uow.ByOperator(operation.RevokeEnrolmentToken, who, id), func(tx Records, w *uow.Work) error {
			if err := tx.RevokeEnrolmentToken(id, s.Now()); err != nil {
				return err
			}
			return nil
		}),
		"enrolment token",
		id,
	)
}

// Enrol gives a device its place. Asking again with the same key gives the same place. A device
// whose name a live device has becomes one that claims to be it, and waits for an operator.
func (s *Service) Enrol(
	ctx context.Context, req protocol.EnrolRequest, key ed25519.PublicKey, address string,
) (store.Device, error) {
	name := text.NFC(req.Facts.Name)
	if err := checkFacts(name, req.Facts); err != nil {
		return store.Device{}, err
	}
	var d store.Device
	err := s.Do(ctx, uow.ByDevice("").As("device.enrolled"), func(tx Records, w *uow.Work) error {
		known, err := tx.DeviceByKey(protocol.Thumbprint(key))
		if err == nil {
			d = known
			w.Quiet()
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
		if d, err = s.placeFor(tx, name, req.Facts, key, token); err != nil {
			return err
		}
		if err := tx.AddDevice(d); err != nil {
			return err
		}
		if d.State == store.Live {
			if err := joinFleet(tx, w, d); err != nil {
				return err
			}
		}
		w.Tell(store.TopicDevices, d.ID)
		w.SetWho(uow.Device(d.ID, address))
		w.SetObject(d.ID)
		w.After = map[string]any{
			"name":      name,
			"state":     d.State,
			"token":     token.ID,
			"key":       d.KeyID,
			"listed_in": d.ListedIn,
		}
		return nil
	})
	var refused *refusal.Error
	if errors.As(err, &refused) {
		return d, s.Strangers.Refused(ctx, "device.enrolled", address, name, err)
	}
	if errors.Is(err, store.ErrExists) { // another device of that name came first
		err = refusal.New(refusal.Conflict, "a device of that name is just enrolling; try again").
			WithCode(protocol.CodeTryAgain)
	}
	return d, err
}

// checkFacts refuses what a device cannot be called, or says of itself.
func checkFacts(name string, facts protocol.Facts) error {
	if err := text.CheckName(name, fleet.MaxDeviceName); err != nil {
		return refusal.New(refusal.Invalid, "the device's name %v", err).At("facts.name").
			WithCode(protocol.CodeBadFacts)
	}
	if facts.Platform == "" {
		return refusal.New(refusal.Invalid, "the device does not say its platform").At("facts.platform").
			WithCode(protocol.CodeBadFacts)
	}
	for _, fact := range []string{facts.Platform, facts.OSVersion, facts.Serial, facts.Model,
		facts.Agent} {
		if err := text.CheckVisible(fact); err != nil || len(fact) > maxFact {
			return refusal.New(refusal.Invalid,
				"a fact of the device (%q) is longer than %d bytes or cannot be read", fact, maxFact).
				At("facts").
				WithCode(protocol.CodeBadFacts)
		}
	}
	return nil
}

// placeFor is the record of a device that enrols with a token. It waits for an owner where a live device has its name,
// or had it and keeps it, or where its name would put it into a group that decides reach or exclusion.
func (s *Service) placeFor(
	tx Records, name string, facts protocol.Facts, key ed25519.PublicKey, token store.EnrolmentToken,
) (store.Device, error) {
	now := s.Now()
	d := store.Device{
		ID:              store.NewID(now),
		Name:            name,
		NameKey:         text.Fold(name),
		Serial:          facts.Serial,
		Model:           facts.Model,
		Platform:        facts.Platform,
		OSVersion:       facts.OSVersion,
		OSBuild:         facts.OSBuild,
		AgentVersion:    facts.Agent,
		State:           store.Live,
		Path:            token.Path,
		Tags:            token.Tags,
		PublicKey:       key,
		KeyID:           protocol.Thumbprint(key),
		TokenID:         token.ID,
		EnrolledAt:      now,
		Epoch:           1,
		StandingColumns: store.StandingColumns{DesiredEpoch: s.Keys.Epoch(), LastContact: &now},
	}
	if former, err := tx.LiveDeviceNamed(d.NameKey); err == nil {
		d.State, d.Claims = store.Claiming, &former.ID
	} else if !errors.Is(err, store.ErrNotFound) {
		return d, err
	} else if _, err := tx.NameKeptBy(d.NameKey); err == nil {
		d.State = store.Claiming
	} else if !errors.Is(err, store.ErrNotFound) {
		return d, err
	}
	if d.State == store.Live {
		var err error
		if d.ListedIn, err = tx.DecidingGroup(d.NameKey, token.Groups); err != nil {
			return d, err
		}
		if d.ListedIn != "" {
			d.State = store.Claiming
		}
	}
	return d, nil
}

func (s *Service) usableToken(tx Records, req protocol.EnrolRequest) (store.EnrolmentToken, error) {
	token, err := tx.LockEnrolmentToken(req.TokenID)
	if errors.Is(err, store.ErrNotFound) ||
		err == nil && subtle.ConstantTimeCompare(token.SecretHash, auth.HashSecret(req.Secret)) != 1 {
		return token, refusal.New(refusal.Forbidden,
			"the enrolment token is not known; copy it whole, or ask for a new one").
			WithCode(protocol.CodeTokenUnknown)
	}
	if err != nil {
		return token, err
	}
	switch {
	case token.RevokedAt != nil:
		return token, refusal.New(refusal.Forbidden, "the enrolment token was revoked; ask for a new one").
			WithCode(protocol.CodeTokenRevoked)
	case !s.Now().Before(token.ExpiresAt):
		return token, refusal.New(refusal.Forbidden, "the enrolment token expired at %s; ask for a new one",
			token.ExpiresAt.UTC().Format(time.RFC3339)).
			WithCode(protocol.CodeTokenExpired)
	case token.UsesLeft < 1:
		return token, refusal.New(refusal.Forbidden, "the enrolment token was used up; ask for a new one").
			WithCode(protocol.CodeTokenUsedUp)
	}
	return token, nil
}

// joinFleet puts a device that is live now into the groups that its token grants, that expect its name, and whose rule
// it meets, and asks for its first desired state.
func joinFleet(tx Records, w *uow.Work, d store.Device) error {
	if err := tx.JoinGranted(d.TokenID, d.ID); err != nil {
		return err
	}
	if err := tx.FreeName(d.NameKey); err != nil {
		return err
	}
	if err := tx.JoinExpected(d.ID, d.NameKey); err != nil {
		return err
	}
	if err := devicegroups.Rejoin(tx, w, d.ID); err != nil {
		return err
	}
	w.Settle("device enrolled", nil, []string{d.ID})
	return nil
}
