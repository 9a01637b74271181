package access_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/kit/secretbox"
	"rankwarden.example/internal/room/access"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// cheap is the memory that hashing takes here, in KiB: no test is about how long that takes.
const cheap = 64

// records are operators and their attempts to sign in, in memory.
type records struct {
	access.Records // what no test here asks for
	uowtest.Trail
	operators map[string]store.Operator
	failures  map[string]store.SignInFailure
	addresses map[string]bool
	strangers int
}

func (r *records) AppendAudit(e ...audit.Entry) error        { return r.Trail.AppendAudit(e...) }
func (r *records) Notify(n notices.Notice) error             { return r.Trail.Notify(n) }
func (r *records) RequestSettle(q store.SettleRequest) error { return r.Trail.RequestSettle(q) }
func (r *records) SecondFactor(string) (store.SecondFactor, error) {
	return store.SecondFactor{}, store.ErrNotFound
}
func (r *records) CountOperators() (int64, error)               { return int64(len(r.operators)), nil }
func (r *records) AddSession(store.Session) error               { return nil }
func (r *records) AddAPIToken(store.APIToken) error             { return nil }
func (r *records) KnowsAddress(_, address string) (bool, error) { return r.addresses[address], nil }
func (r *records) SetSignInFailure(f store.SignInFailure) error {
	r.failures[f.Subject] = f
	return nil
}
func (r *records) GroupsNamed([]string) ([]store.Group, error) { return nil, nil }
func (r *records) RuledGroups() ([]store.RuleGroup, error)     { return nil, nil }
func (r *records) LearnsUsers() (bool, error)                  { return false, nil }
func (r *records) ListGroups(string, store.Page) ([]store.GroupCount, string, error) {
	return nil, "", nil
}

func (r *records) RememberAddress(_, address string, _ time.Time) error {
	r.addresses[address] = true
	return nil
}

func (r *records) CountStranger(time.Time, string, string, string) error { r.strangers++; return nil }
func (r *records) TakeStrangers(time.Time) ([]store.StrangerAttempts, error) {
	return []store.StrangerAttempts{{Minute: uowtest.Now, Action: "session.opened", Attempts: r.strangers}}, nil
}

func (r *records) AddOperator(o store.Operator) error {
	if _, known := r.operators[o.ID]; known {
		return store.ErrExists
	}
	r.operators[o.ID] = o
	return nil
}

func (r *records) SetOperator(o store.Operator, _ time.Time) error { r.operators[o.ID] = o; return nil }
func (r *records) LockOperator(id string) (store.Operator, error)  { return r.operators[id], nil }
func (r *records) OperatorByName(name string) (store.Operator, error) {
	for _, o := range r.operators {
		if o.Name == name {
			return o, nil
		}
	}
	return store.Operator{}, store.ErrNotFound
}

func (r *records) OwnersLeft() (n int, err error) {
	for _, o := range r.operators {
		if o.DisabledAt == nil && (rights.Identity{Grants: o.Grants}).Has(rights.Owner) {
			n++
		}
	}
	return n, nil
}

func (r *records) LockSignInFailures(at time.Time, subjects ...string) (list []store.SignInFailure, err error) {
	for _, s := range subjects {
		f := r.failures[s]
		f.Subject = s
		list = append(list, f)
	}
	return list, nil
}

const password = "a lamp over the north pier"

func room(t *testing.T) (*access.Service, *records, *time.Time) {
	r := &records{
		operators: map[string]store.Operator{},
		failures:  map[string]store.SignInFailure{},
		addresses: map[string]bool{},
	}
	now := uowtest.Now
	base := uowtest.Room[access.Reads, access.Records](r, r, &r.Trail)
	base.Now = func() time.Time { return now }
	secrets, err := secretbox.New(make([]byte, 32))
	require.NoError(t, err)
	s := access.New(access.Options{
		Room: base, Passwords: auth.NewHashing(cheap), Factors: secrets,
		Strangers: &uow.Strangers{Room: uowtest.Room[struct{}, uow.StrangerRecords](struct{}{}, r, &r.Trail)},
	})
	made, err := s.EnsureOwner(t.Context(), "asta", password)
	require.NoError(t, err)
	require.True(t, made)
	return s, r, &now
}

func kind(err error) refusal.Kind {
	var refused *refusal.Error
	if errors.As(err, &refused) {
		return refused.Kind
	}
	return -1
}

// Wrong passwords make whoever gives them wait, twice as long each time; a right one ends that. Strangers at other
// addresses keep nobody out who signed in from theirs before.
func TestWrongPasswordsMakeOneWait(t *testing.T) {
	s, r, now := room(t)
	try := func(password, address string) error {
		_, _, err := s.SignIn(t.Context(), "asta", password, "", address)
		return err
	}
	require.NoError(t, try(password, "192.0.2.1"))
	for range 5 {
		assert.Equal(t, refusal.Unauthorised, kind(try("wrong", "192.0.2.1")))
	}
	for _, wait := range []time.Duration{time.Second, 2 * time.Second, 4 * time.Second} {
		err := try(password, "192.0.2.1")
		require.Equal(t, refusal.TooMany, kind(err), "after the free tries even the right one must wait")
		var refused *refusal.Error
		require.ErrorAs(t, err, &refused)
		assert.Equal(t, wait, refused.Retry)
		*now = now.Add(wait)
		assert.Equal(t, refusal.Unauthorised, kind(try("wrong", "192.0.2.1")))
	}
	*now = now.Add(8 * time.Second)
	require.NoError(t, try(password, "192.0.2.1"))
	assert.Equal(t, refusal.Unauthorised, kind(try("wrong", "192.0.2.1")), "it begins again")

	for i := range 40 {
		_ = try("wrong", "198.51.100."+string(rune('a'+i)))
	}
	assert.Equal(t, refusal.TooMany, kind(try(password, "203.0.113.1")), "the name alone is limited as well")
	require.NoError(t, try(password, "192.0.2.1"), "but not where its operator is known")

	require.NoError(t, s.Strangers.Record(t.Context()))
	last := r.Entries[len(r.Entries)-1]
	assert.Equal(
		t,
		[]string{"strangers", "session.opened", "refused"},
		[]string{last.Actor, last.Action, string(last.Outcome)},
	)
}

func TestTheLastOwnerStays(t *testing.T) {
	s, r, _ := room(t)
	asta, err := r.OperatorByName("asta")
	require.NoError(t, err)
	who := rights.Identity{OperatorID: asta.ID, Name: "asta", Grants: asta.Grants}
	_, err = s.ChangeOperator(t.Context(), who, "asta", access.OperatorChange{Disabled: new(true)})
	assert.ErrorContains(t, err, "from yourself")
	other := rights.Identity{OperatorID: "x", Name: "egil", Grants: asta.Grants}
	_, err = s.ChangeOperator(
		t.Context(),
		other,
		"asta",
		access.OperatorChange{Grants: []rights.Grant{{Role: rights.Viewer}}},
	)
	assert.ErrorContains(t, err, "the last owner")
	r.operators[asta.ID] = asta
	for _, grants := range [][]rights.Grant{{}, {{Role: "captain"}}, {{Role: rights.Support}, {Role: rights.Support}},
		{{Role: rights.Owner, Groups: []string{"piers"}}}, {{Role: rights.Support, Groups: []string{"piers"}}}} {
		_, err = s.AddOperator(t.Context(), who, "runa", password, grants)
		assert.Equal(t, refusal.Invalid, kind(err), "%v", grants)
	}
	_, err = s.AddOperator(t.Context(), who, "runa", "short", []rights.Grant{{Role: rights.Viewer}})
	assert.Equal(t, refusal.Invalid, kind(err))
	runa, err := s.AddOperator(
		t.Context(),
		who,
		"runa",
		password,
		[]rights.Grant{{Role: rights.Support, Groups: []string{"everything"}}},
	)
	require.NoError(t, err)
	assert.Equal(t, []rights.Grant{{Role: rights.Support, Groups: []string{}}}, runa.Grants)
}

func TestATokenIsNeverMoreThanItsMaker(t *testing.T) {
	s, r, now := room(t)
	support := rights.Identity{
		OperatorID: "2",
		Name:       "runa",
		Grants:     []rights.Grant{{Role: rights.Support, Groups: []string{"piers"}}},
		FreshAt:    *now,
	}
	token, secret, err := s.NewAPIToken(t.Context(), support, "nightly", rights.Viewer, time.Hour)
	require.NoError(t, err)
	assert.Equal(t, []rights.Grant{{Role: rights.Viewer, Groups: []string{"piers"}}}, token.Grants)
	assert.Contains(t, secret, auth.TokenPrefix)
	for _, e := range r.Entries {
		assert.NotContains(t, string(e.After), secret)
	}
	_, _, err = s.NewAPIToken(t.Context(), support, "nightly", rights.Owner, time.Hour)
	assert.Equal(t, refusal.Invalid, kind(err))
	_, _, err = s.NewAPIToken(t.Context(), support, "nightly", rights.Viewer, 400*24*time.Hour)
	assert.Equal(t, refusal.Invalid, kind(err))
}
