package access

import (
	"context"
	"crypto/rand"
	"errors"
	"math/big"
	"strings"
	"time"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// How a program without a browser gets a token (RFC 8628).
const (
	grantLife     = 10 * time.Minute
	GrantInterval = 2 * time.Second // between two polls
	mostWaiting   = 20              // of one address
	// userAlphabet has no vowels, so that no words come out, and nothing that is taken for something else.
	userAlphabet = "BCDFGHJKLMNPQRSTVWXZ"
	userLetters  = 8
)

// Errors of polling, by their names in RFC 8628 and RFC 6749.
var (
	ErrPending  = errors.New("authorization_pending")
	ErrSlowDown = errors.New("slow_down")
	ErrExpired  = errors.New("expired_token")
	ErrDenied   = errors.New("access_denied")
)

// errNotWaiting is given for a code with which no program waits.
var errNotWaiting = refusal.New(refusal.NotFound,
	"no program waits with this code; it may have expired, or was decided on already")

// NewGrant is what a program is told that asks.
type NewGrant struct {
	DeviceCode, UserCode string
	Life                 time.Duration
}

// AskForToken begins a request of a program: a person decides on it by its user code.
func (s *Service) AskForToken(ctx context.Context, program, address string, hours int) (NewGrant, error) {
	secret, now := auth.NewSecret(), s.Now()
	g := store.DeviceGrant{Hash: auth.HashSecret(secret), UserCode: userCode(), Program: program, Address: address,
		Hours:     hours,
		CreatedAt: now, ExpiresAt: now.Add(grantLife)}
	err := s.Do(ctx, uow.ByOperator(operation.AskForToken, rights.Identity{Address: address}, "").
		As(""), func(tx Records, _ *uow.Work) error {
		waiting, err := tx.AddDeviceGrant(g)
		if err == nil && waiting > mostWaiting {
			err = refusal.New(refusal.TooMany,
				"too many programs at this address wait for a decision; try again in some minutes").
				After(time.Minute)
		}
		return err
	})
	return NewGrant{secret, g.UserCode, grantLife}, err
}

// userCode is drawn so that each letter is as likely as any other.
func userCode() string {
	var b strings.Builder
	for i := range userLetters {
		if i == userLetters/2 {
			b.WriteByte('-')
		}
		n, _ := rand.Int(rand.Reader, big.NewInt(int64(len(userAlphabet)))) // never fails, see crypto/rand
		b.WriteByte(userAlphabet[n.Int64()])
	}
	return b.String()
}

// plainCode is a user code as it is kept, however somebody types it.
func plainCode(typed string) string {
	letters := strings.Map(func(r rune) rune {
		if strings.ContainsRune(userAlphabet, r) {
			return r
		}
		return -1
	}, strings.ToUpper(typed))
	if len(letters) != userLetters {
		return ""
	}
	return letters[:userLetters/2] + "-" + letters[userLetters/2:]
}

// Grant is a request that waits for whoever is signed in.
func (s *Service) Grant(ctx context.Context, code string) (store.DeviceGrant, error) {
	g, err := s.Read(ctx).DeviceGrantByUserCode(plainCode(code), s.Now())
	if errors.Is(err, store.ErrNotFound) || err == nil && g.DecidedAt != nil {
		return g, errNotWaiting
	}
	return g, err
}

// DecideGrant lets a program have a token with the rights of whoever is signed in, or refuses it.
func (s *Service) DecideGrant(ctx context.Context, who rights.Identity, code string, approve bool) error {
	action := "device_grant.refused"
	if approve {
		action = "device_grant.approved"
	}
	act := uow.ByOperator(operation.DecideDeviceGrant, who, plainCode(code)).As(action)
	return s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		found, err := tx.DeviceGrantByUserCode(plainCode(code), s.Now())
		if err == nil {
			found, err = tx.LockDeviceGrant(found.Hash)
		}
		if errors.Is(err, store.ErrNotFound) || err == nil && found.DecidedAt != nil {
			return errNotWaiting
		}
		if err != nil {
			return err
		}
		w.After = map[string]any{"program": found.Program, "address": found.Address, "hours": found.Hours}
		now := s.Now()
		found.OperatorID, found.Approved, found.DecidedAt = &who.OperatorID, approve, &now
		found.FreshAt, found.Epoch = &who.FreshAt, who.Epoch
		return tx.SetDeviceGrant(found)
	})
}

// TakeToken gives a program its token, once; until then one of the errors of polling.
func (s *Service) TakeToken(
	ctx context.Context, deviceCode, address string,
) (a store.APIToken, secret string, err error) {
	var g store.DeviceGrant
	var polling error
	err = s.Do(ctx, uow.ByOperator(operation.TakeToken, rights.Identity{Address: address}, "").
		As(""), func(tx Records, _ *uow.Work) error {
		g, err = tx.LockDeviceGrant(auth.HashSecret(deviceCode))
		now := s.Now()
		switch {
		case errors.Is(err, store.ErrNotFound) || err == nil && now.After(g.ExpiresAt):
			polling = ErrExpired
			return nil
		case err != nil:
			return err
		case g.DecidedAt != nil:
			return tx.DropDeviceGrant(g.Hash) // it is answered once
		}
		polling = ErrPending
		if g.PolledAt != nil && now.Sub(*g.PolledAt) < GrantInterval/2 {
			polling = ErrSlowDown
		}
		g.PolledAt = &now
		return tx.SetDeviceGrant(g)
	})
	switch {
	case err != nil:
		return a, "", err
	case polling != nil:
		return a, "", polling
	case !g.Approved:
		return a, "", ErrDenied
	}
	o, err := s.Read(ctx).Operator(*g.OperatorID)
	if err != nil {
		return a, "", err
	}
	if o.DisabledAt != nil || o.Epoch != g.Epoch {
		return a, "", ErrDenied
	}
	who := rights.Identity{OperatorID: o.ID, Name: o.Name, Grants: o.Grants, Address: address, FreshAt: *g.FreshAt,
		Epoch: o.Epoch}
	return s.NewAPIToken(ctx, who, g.Program, "", time.Duration(g.Hours)*time.Hour)
}
