package access

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base32"
	"errors"
	"image/png"
	"net/url"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/hotp"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// How one-time codes are made (RFC 6238): what every program for them does unless it is told otherwise.
const (
	codePeriod    = 30 // seconds
	codeDigits    = otp.DigitsSix
	codeAlgorithm = otp.AlgorithmSHA1
	secretBytes   = 20
	// codesAround is how many periods before and after now a code is taken from: clocks differ.
	codesAround = 1
	// recoveryCodes is how many there are.
	recoveryCodes = 10
)

// SecondFactor says whether an operator has one, and how many recovery codes are left.
type SecondFactor struct {
	On        bool
	Since     *time.Time
	CodesLeft int
	Required  bool
}

// SecondFactorOf reads that of who is signed in.
func (s *Service) SecondFactorOf(ctx context.Context, who rights.Identity) (SecondFactor, error) {
	state := SecondFactor{Required: s.RequireSecondFactor}
	tx := s.Read(ctx)
	f, err := tx.SecondFactor(who.OperatorID)
	if errors.Is(err, store.ErrNotFound) || err == nil && f.ConfirmedAt == nil {
		return state, nil
	}
	if err != nil {
		return state, err
	}
	state.On, state.Since = true, f.ConfirmedAt
	state.CodesLeft, err = tx.CountRecoveryCodes(who.OperatorID)
	return state, err
}

// NewSecondFactor is what an authenticator takes in: it is shown once.
type NewSecondFactor struct {
	Secret string // base32
	URI    string // otpauth
	Image  []byte // the same as a QR code, PNG
}

// errNotFresh is given when the password was given too long ago: who finds an open session sets up no second factor.
var errNotFresh = refusal.New(refusal.Forbidden,
	"a second factor is set up within 15 minutes of signing in; sign out, and sign in again").
	WithCode("sign_in_again")

// errFactorFirst is given to who has a second factor or passkey and came in without it.
var errFactorFirst = refusal.New(refusal.Forbidden,
	"sign in with your passkey or your second factor first: a password alone neither sets one up nor removes one").
	WithCode("sign_in_again")

// BeginSecondFactor makes a secret. It counts once a code of it was given: see [Service.ConfirmSecondFactor].
func (s *Service) BeginSecondFactor(ctx context.Context, who rights.Identity) (made NewSecondFactor, err error) {
	if !who.Fresh(s.Now()) {
		return made, errNotFresh
	}
	if !who.Factor {
		// Otherwise a password alone would be enough to come past the passkey.
		keys, err := s.Read(ctx).Passkeys(who.OperatorID)
		if err != nil {
			return made, err
		}
		if len(keys) > 0 {
			return made, errFactorFirst
		}
	}
	raw := make([]byte, secretBytes)
	_, _ = rand.Read(raw) // never fails, see crypto/rand
	secret := base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(raw)
	if made, err = forAuthenticator(s.Organisation, who.Name, secret); err != nil {
		return made, err
	}
	act := uow.ByOperator(operation.BeginSecondFactor, who, who.Name)
	return made, s.Do(ctx, act, func(tx Records, _ *uow.Work) error {
		f, err := tx.LockSecondFactor(who.OperatorID)
		if err == nil && f.ConfirmedAt != nil {
			return refusal.New(
				refusal.Conflict,
				"you have a second factor already; remove it first to set up another one",
			)
		}
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		return tx.SetSecondFactor(store.SecondFactor{OperatorID: who.OperatorID,
			Secret: s.secrets.Seal(who.OperatorID, secret), MadeAt: s.Now()})
	})
}

// forAuthenticator writes a secret as programs for one-time codes take it in.
func forAuthenticator(issuer, account, secret string) (NewSecondFactor, error) {
	const size = 240 // pixels
	key, err := otp.NewKeyFromURL(
		"otpauth://totp/" + url.PathEscape(issuer) + ":" + url.PathEscape(account) + "?secret=" + secret + "&issuer=" +
			url.QueryEscape(issuer) + "&algorithm=SHA1&digits=6&period=30",
	)
	if err != nil {
		return NewSecondFactor{}, err
	}
	drawn, err := key.Image(size, size)
	if err != nil {
		return NewSecondFactor{}, err
	}
	var image bytes.Buffer
	if err := png.Encode(&image, drawn); err != nil {
		return NewSecondFactor{}, err
	}
	return NewSecondFactor{Secret: secret, URI: key.URL(), Image: image.Bytes()}, nil
}

// ConfirmSecondFactor turns a second factor on with a first code of it. It gives the recovery codes, which are shown
// once, and ends the operator's other sessions.
func (s *Service) ConfirmSecondFactor(
	ctx context.Context, who rights.Identity, session, code string,
) (codes []string, err error) {
	act := uow.ByOperator(operation.ConfirmSecondFactor, who, who.Name)
	if !who.Fresh(s.Now()) {
		return nil, errNotFresh
	}
	err = s.Do(ctx, act, func(tx Records, _ *uow.Work) error {
		f, err := tx.LockSecondFactor(who.OperatorID)
		if errors.Is(err, store.ErrNotFound) || err == nil && f.ConfirmedAt != nil {
			return refusal.New(refusal.Conflict, "there is no second factor to confirm; begin to set one up first")
		}
		if err != nil {
			return err
		}
		if f.LastStep, err = s.step(f, code); err != nil {
			return err
		}
		if f.LastStep == 0 {
			return refusal.New(refusal.Invalid,
				"the code is not one of this secret; look whether the clock of your device is right, and give the "+
					"newest code").
				At("code")
		}
		now := s.Now()
		f.ConfirmedAt = &now
		if err := tx.SetSecondFactor(f); err != nil {
			return err
		}
		if codes, err = newRecoveryCodes(tx, who.OperatorID); err != nil {
			return err
		}
		return tx.StrengthenSession(who.OperatorID, auth.HashSecret(session))
	})
	return codes, err
}

// NewRecoveryCodes replaces the recovery codes; the former ones are of no use any more.
func (s *Service) NewRecoveryCodes(
	ctx context.Context, who rights.Identity, session, password, code string,
) (codes []string, err error) {
	proof := given{name: who.Name, password: password, code: code}
	_, err = s.checkPassword(ctx, proof, who.Address, operation.MakeRecoveryCodes,
		func(tx Records, w *uow.Work) error {
			if w.Who().OperatorID != who.OperatorID {
				return ErrSignIn
			}
			if !w.Who().Factor {
				return refusal.New(refusal.Conflict, "you have no second factor; set one up first")
			}
			codes, err = newRecoveryCodes(tx, who.OperatorID)
			return errors.Join(err, tx.RefreshSession(auth.HashSecret(session), s.Now()))
		})
	return codes, err
}

// RemoveSecondFactor takes the second factor of who is signed in away, with the password and a code.
func (s *Service) RemoveSecondFactor(ctx context.Context, who rights.Identity, password, code string) error {
	if s.RequireSecondFactor {
		return refusal.New(
			refusal.Conflict,
			"everybody here needs a second factor; an owner can reset yours, and then you set up another one",
		)
	}
	proof := given{name: who.Name, password: password, code: code}
	_, err := s.checkPassword(ctx, proof, who.Address, operation.RemoveSecondFactor,
		func(tx Records, w *uow.Work) error {
			if w.Who().OperatorID != who.OperatorID {
				return ErrSignIn
			}
			return tx.DropSecondFactor(who.OperatorID)
		})
	return err
}

func newRecoveryCodes(tx Records, operator string) (codes []string, err error) {
	var hashes [][]byte
	for range recoveryCodes {
		drawn := strings.ToLower(rand.Text()[:10])
		codes = append(codes, drawn[:5]+"-"+drawn[5:])
		hashes = append(hashes, auth.HashSecret(drawn))
	}
	return codes, tx.SetRecoveryCodes(operator, hashes)
}

// errCodeNeeded is given for a right name and password of somebody who has a second factor.
var errCodeNeeded = refusal.New(refusal.Unauthorised,
	"enter the code that your authenticator shows now, or a recovery code").
	WithCode("code_needed")

// errWrongCode is given for a code that is wrong, or was used before.
var errWrongCode = refusal.New(refusal.Unauthorised, "the code is wrong or was used already; wait for the next one").
	WithCode("code_wrong")

// useCode takes a code of a second factor that is locked: no code is taken twice.
func (s *Service) useCode(tx Records, f store.SecondFactor, code string) (recovery bool, err error) {
	step, err := s.step(f, code)
	switch {
	case err != nil:
		return false, err
	case step > 0:
		f.LastStep = step
		return false, tx.SetSecondFactor(f)
	}
	plain := strings.ToLower(strings.NewReplacer("-", "", " ", "").Replace(code))
	used, err := tx.UseRecoveryCode(f.OperatorID, auth.HashSecret(plain))
	if err == nil && !used {
		err = errWrongCode
	}
	return used, err
}

// step is the period of which a code is, later than that of the last one that was taken; 0 when it is of none.
func (s *Service) step(f store.SecondFactor, code string) (int64, error) {
	secret, err := s.secrets.Open(f.OperatorID, f.Secret)
	if err != nil {
		return 0, err
	}
	code = strings.ReplaceAll(code, " ", "")
	now, found := s.Now().Unix()/codePeriod, int64(0)
	for step := now - codesAround; step <= now+codesAround; step++ {
		right, err := hotp.GenerateCodeCustom(
			secret,
			uint64(step),
			hotp.ValidateOpts{Digits: codeDigits, Algorithm: codeAlgorithm},
		)
		if err != nil {
			return 0, err
		}
		if subtle.ConstantTimeCompare([]byte(right), []byte(code)) == 1 && step > f.LastStep {
			found = step
		}
	}
	return found, nil
}
