package access_test

import (
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/kit/secretbox"
	"rankwarden.example/internal/room/access"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
)

// onDatabase is the room over a real database, with an owner who is signed in.
func onDatabase(t *testing.T) (*access.Service, rights.Identity) {
	db, _ := storetest.Open(t)
	secrets, err := secretbox.New(make([]byte, 32))
	require.NoError(t, err)
	s := access.New(access.Options{
		Room: uowtest.Over(db, func(r store.Reader) access.Reads { return r },
			func(w store.Writer) access.Records { return w }),
		Strangers: uowtest.Strangers(db),
		Passwords: auth.NewHashing(cheap), Factors: secrets, Organisation: "Skerry Line",
	})
	_, err = s.EnsureOwner(t.Context(), "asta", password)
	require.NoError(t, err)
	_, who, err := s.SignIn(t.Context(), "asta", password, "", "192.0.2.7")
	require.NoError(t, err)
	return s, who
}

// Whoever was disabled gets in no more, with the right password neither, and an open session ends.
func TestADisabledOperatorDoesNotGetIn(t *testing.T) {
	s, owner := onDatabase(t)
	ctx := t.Context()
	_, err := s.AddOperator(ctx, owner, "egil", password, []rights.Grant{{Role: rights.Viewer, Groups: []string{}}})
	require.NoError(t, err)
	session, _, err := s.SignIn(ctx, "egil", password, "", "192.0.2.8")
	require.NoError(t, err)
	_, err = s.BySession(ctx, session, "192.0.2.8")
	require.NoError(t, err)
	_, err = s.ChangeOperator(ctx, owner, "egil", access.OperatorChange{Disabled: new(true)})
	require.NoError(t, err)
	_, err = s.BySession(ctx, session, "192.0.2.8")
	assert.Error(t, err)
	_, _, err = s.SignIn(ctx, "egil", password, "", "192.0.2.8")
	require.Error(t, err)
	assert.Equal(t, refusal.Unauthorised, kind(err))
	_, err = s.ChangeOperator(ctx, owner, "egil", access.OperatorChange{Disabled: new(false)})
	require.NoError(t, err)
	_, _, err = s.SignIn(ctx, "egil", password, "", "192.0.2.8")
	assert.NoError(t, err)
}

// Whoever has a second factor gets in with it only: a code counts once, and a recovery code too.
func TestASecondFactorIsAskedFor(t *testing.T) {
	s, owner := onDatabase(t)
	ctx := t.Context()
	made, err := s.BeginSecondFactor(ctx, owner)
	require.NoError(t, err)
	code, err := totp.GenerateCode(made.Secret, time.Now())
	require.NoError(t, err)
	_, err = s.ConfirmSecondFactor(ctx, owner, "", "000000")
	assert.ErrorContains(t, err, "not one of this secret")
	recovery, err := s.ConfirmSecondFactor(ctx, owner, "", code)
	require.NoError(t, err)
	require.NotEmpty(t, recovery)

	_, _, err = s.SignIn(ctx, "asta", password, "", "192.0.2.7")
	assert.Equal(t, "code_needed", uowtest.Code(err), "a password alone is not enough")
	_, _, err = s.SignIn(ctx, "asta", password, code, "192.0.2.7")
	assert.Error(t, err, "that code was used")
	_, who, err := s.SignIn(ctx, "asta", password, recovery[0], "192.0.2.7")
	require.NoError(t, err)
	assert.True(t, who.Factor)
	_, _, err = s.SignIn(ctx, "asta", password, recovery[0], "192.0.2.7")
	assert.Error(t, err, "a recovery code counts once")
	_, _, err = s.SignIn(ctx, "asta", "another", recovery[1], "192.0.2.7")
	assert.Error(t, err, "nor is a code alone")
}
