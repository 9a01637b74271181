package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/internal/store"
)

// What policies do to accounts is told to whoever wants to know: one is made, taken over, will be disabled, and goes.
func TestWhatPoliciesDoToAccountsIsTold(t *testing.T) {
	s := notified(t)
	r := s.webhook("desk", store.AccountsAltered)
	s.publish("crew", `accounts: [{key: crew, name: crew-1}, {key: setup, name: setup, password: keep}]
other_accounts: {state: disabled, grace: 2d}`, 500, "everything")
	d := s.device("SKL-TKT-001", s.enrolmentToken(1))
	d.AddAccount("setup")
	d.AddAccount("eilif")
	s.until(func() bool { return d.Cycle(t.Context()) == nil && s.why("SKL-TKT-001").Device.Desired > 0 })
	s.cycle(d, "SKL-TKT-001")
	messages := func() (all string) {
		for _, e := range about(r.Events(), store.AccountsAltered) {
			all += e.Data.Message + "\n"
		}
		return all
	}
	s.eventually(func() bool { return len(about(r.Events(), store.AccountsAltered)) == 4 }, messages())
	for _, part := range []string{"SKL-TKT-001: the account crew-1 was created", "the account setup was adopted",
		"no policy names the account eilif; it will be disabled", "no policy names the account mooring"} {
		assert.Contains(t, messages(), part)
	}
}
