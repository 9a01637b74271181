package access_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/room/access"
)

// A program that a stolen session let in gets nothing once the password is another one, and neither does what began
// before: a new epoch of the operator.
func TestWhatBeganBeforeAResetIsWorthNothing(t *testing.T) {
	s, owner := onDatabase(t)
	ctx := t.Context()
	_, err := s.AddOperator(ctx, owner, "egil", password, []rights.Grant{{Role: rights.Support, Groups: []string{}}})
	require.NoError(t, err)
	for name, reset := range map[string]access.OperatorChange{
		"a new password":      {Password: new("a lamp over the south pier")},
		"the old one again":   {Password: new(password)},
		"another role":        {Grants: []rights.Grant{{Role: rights.Viewer, Groups: []string{}}}},
		"no second factor":    {ResetFactor: true},
		"not let in":          {Disabled: new(true)},
		"let in again":        {Disabled: new(false)},
		"the role once more":  {Grants: []rights.Grant{{Role: rights.Support, Groups: []string{}}}},
		"and not let in more": {Disabled: new(true)},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := s.ChangeOperator(ctx, owner, "egil",
				access.OperatorChange{Password: new(password), Disabled: new(false)})
			require.NoError(t, err)
			stolen, thief, err := s.SignIn(ctx, "egil", password, "", "192.0.2.66")
			require.NoError(t, err)
			asked, err := s.AskForToken(ctx, "a program", "192.0.2.66", 24*365)
			require.NoError(t, err)
			require.NoError(t, s.DecideGrant(ctx, thief, asked.UserCode, true))
			_, token, err := s.NewAPIToken(ctx, thief, "kept", "", time.Hour)
			require.NoError(t, err)
			_, err = s.ChangeOperator(ctx, owner, "egil", reset)
			require.NoError(t, err)

			_, err = s.BySession(ctx, stolen, "192.0.2.66")
			assert.Error(t, err, "the session")
			_, err = s.ByToken(ctx, token, "192.0.2.66")
			assert.Error(t, err, "its token")
			_, _, err = s.TakeToken(ctx, asked.DeviceCode, "192.0.2.66")
			assert.ErrorIs(t, err, access.ErrDenied, "the program that it let in")
			_, late, err := s.NewAPIToken(ctx, thief, "late", "", time.Hour)
			require.NoError(t, err, "a request that was under way")
			_, err = s.ByToken(ctx, late, "192.0.2.66")
			assert.Error(t, err, "what it made")
		})
	}
}

// Strangers who guess at an office's address keep out nobody who signed in there before.
func TestStrangersSpendNobodysAttempts(t *testing.T) {
	s, _ := onDatabase(t)
	ctx := t.Context()
	for range 30 {
		_, _, err := s.SignIn(ctx, "nobody-here", "guess", "", "192.0.2.7")
		require.Error(t, err)
	}
	_, _, err := s.SignIn(ctx, "nobody-here", "guess", "", "192.0.2.7")
	assert.Equal(t, refusal.TooMany, kind(err))
	_, _, err = s.SignIn(ctx, "asta", password, "", "192.0.2.7")
	assert.NoError(t, err, "asta signed in from there before")
	for range 6 {
		_, _, err = s.SignIn(ctx, "asta", "guess", "", "192.0.2.7")
	}
	assert.Equal(t, refusal.TooMany, kind(err), "her own attempts are counted all the same")
}
