package journal

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/kit/doubling"
	"rankwarden.example/internal/wire/protocol"
)

// Password is what the agent keeps of one password that it changes. It never holds the password.
type Password struct {
	Account principal.SID `json:"account"`
	Begun   int64         `json:"begun"` // number of a change that began and whose end was not seen, 0 for none
	// when the confirmed password was made, in service time; zero before the first
	Changed time.Time       `json:"changed"`
	Deposit string          `json:"deposit"` // EPOCH.NUMBER of the confirmed one
	Stamp   string          `json:"stamp"`   // of the operating system, of the password that was confirmed
	Now     rotation.Reason `json:"now"`     // due at once, for this reason
	Used    *time.Time      `json:"used"`    // first sign-in since the change, in service time
	Pending *PendingAction  `json:"pending"` // what is still to follow a sign-in
	Stopped bool            `json:"stopped"` // no rule asks for it any more
	Kept    []StoredDeposit `json:"kept"`    // the last confirmed deposit and all later ones, oldest first

	Failures int       `json:"failures"` // in a row
	Retry    time.Time `json:"retry"`    // not before this
	Error    string    `json:"error"`    // of the last one
}

// PendingAction is what a rule wants after a sign-in, once the password was changed.
type PendingAction struct {
	At   time.Time `json:"at"`
	Then unit.Then `json:"then"`
}

// StoredDeposit is a sealed deposit that the service has stored; it is given again to a service that lost it.
type StoredDeposit struct {
	protocol.Deposit
	Confirmed bool `json:"confirmed"`
}

// Order is an order to change passwords that is not done yet.
type Order struct {
	protocol.Order
	Left      []principal.Ref `json:"left"`       // whose passwords are still to change
	LastError string          `json:"last_error"` // why it did not succeed yet, as the service was told
}

// Rule is a password that a rule changes.
type Rule struct {
	Target principal.Ref
	Unit   unit.ID
	unit.RotationValue
}

// Rules are the passwords that rules change now, in the order of the desired state.
func (j *Journal) Rules() []Rule {
	var list []Rule
	for _, s := range j.Asked.Settings {
		if rule, ok := s.Value.(unit.RotationValue); ok {
			target, _ := s.Unit.Target()
			list = append(list, Rule{target, s.Unit, rule})
		}
	}
	return list
}

// Password is what is kept of the password of an account.
func (j *Journal) Password(target principal.Ref) *Password {
	r := j.Passwords[target.String()]
	if r == nil {
		r = &Password{}
		j.Passwords[target.String()] = r
	}
	return r
}

// Confirmed reports whether the present password of an account is confirmed in escrow.
func (r *Password) Confirmed(a drift.Account) bool {
	return r.Account == a.SID && !r.Changed.IsZero() && r.Begun == 0 && r.Stamp == a.PasswordStamp
}

// Escrowed are the accounts whose present password is confirmed in escrow.
func (j *Journal) Escrowed(state drift.State) map[principal.SID]bool {
	accounts := map[principal.SID]bool{}
	for _, r := range j.Passwords {
		for _, a := range state.Accounts {
			if r.Confirmed(a) {
				accounts[a.SID] = true
			}
		}
	}
	return accounts
}

// Notice compares what is known of a password with the account it belongs to now.
func (r *Password) Notice(a drift.Account) (foreign bool) {
	switch {
	case r.Account != a.SID:
		if !r.Account.IsZero() {
			r.Now = rotation.Recreated
		}
		r.Account, r.Used, r.Pending, r.Retry = a.SID, nil, nil, time.Time{}
	case r.Begun != 0:
		r.Now = rotation.Interrupted
	case !r.Changed.IsZero() && r.Stamp != a.PasswordStamp && r.Now == "":
		r.Now, foreign = rotation.Elsewhere, true
	}
	return foreign
}

// retry is the wait after failures in a row.
var retry = doubling.Wait{First: time.Minute, Longest: time.Hour}

// Failed notes that a password could not be changed, and when to try again.
func (r *Password) Failed(now time.Time, err error) (fresh bool) {
	fresh = r.Error != err.Error()
	r.Retry = now.Add(retry.After(r.Failures + 1))
	r.Failures++
	r.Error = err.Error()
	return fresh
}

// Done notes that the password of a deposit was confirmed.
func (r *Password) Done(d protocol.Deposit, made time.Time, stamp string, then unit.Then, wait time.Duration) {
	if r.Used != nil {
		r.Pending = &PendingAction{r.Used.Add(wait), then}
	}
	r.Begun, r.Now, r.Used, r.Failures, r.Retry, r.Error = 0, "", nil, 0, time.Time{}, ""
	r.Changed, r.Stamp, r.Deposit = made, stamp, fmt.Sprintf("%d.%d", d.Epoch, d.Number)
	r.Kept = slices.DeleteFunc(r.Kept, func(k StoredDeposit) bool {
		return cmp.Or(cmp.Compare(k.Epoch, d.Epoch), cmp.Compare(k.Number, d.Number)) < 0
	})
	for i := range r.Kept {
		r.Kept[i].Confirmed = r.Kept[i].Confirmed || r.Kept[i].Number == d.Number && r.Kept[i].Epoch == d.Epoch
	}
}
