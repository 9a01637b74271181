package agent

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/protocol"
)

// rotating is what the agent keeps of one password that it changes. It never holds the password.
type rotating struct {
	Account principal.SID   `json:"account"`
	Begun   int64           `json:"begun"`   // number of a change that began and whose end was not seen, 0 for none
	Changed time.Time       `json:"changed"` // when the confirmed password was made, in service time; zero before the first
	Deposit string          `json:"deposit"` // EPOCH.NUMBER of the confirmed one
	SetAt   time.Time       `json:"set_at"`  // when the operating system says that it was set
	Now     rotation.Reason `json:"now"`     // due at once, for this reason
	Used    *time.Time      `json:"used"`    // first sign-in since the change, in service time
	Owed    *owed           `json:"owed"`    // what is still to follow a sign-in
	Stopped bool            `json:"stopped"` // no rule asks for it any more
	Kept    []kept          `json:"kept"`    // the last confirmed deposit and all later ones, oldest first

	Failures int       `json:"failures"` // in a row
	Retry    time.Time `json:"retry"`    // not before this
	Error    string    `json:"error"`    // of the last one
}

// owed is what a rule wants after a sign-in, once the password was changed.
type owed struct {
	At   time.Time `json:"at"`
	Then unit.Then `json:"then"`
}

// kept is a sealed deposit that the service has stored; it is given again to a service that lost it.
type kept struct {
	protocol.Deposit
	Confirmed bool `json:"confirmed"`
}

// waitingOrder is an order to change passwords that is not done yet.
type waitingOrder struct {
	protocol.Order
	Left []principal.Ref `json:"left"` // whose passwords are still to change
	Told string          `json:"told"` // why it did not succeed yet, as the service was told
}

// ruled is a password that a rule changes.
type ruled struct {
	target principal.Ref
	unit   unit.ID
	rule   unit.RotationValue
}

// ruledRotations are the passwords that rules change now, in the order of the desired state.
func (m *memory) ruledRotations() []ruled {
	var list []ruled
	for _, s := range m.Asked.Settings {
		if rule, ok := s.Value.(unit.RotationValue); ok {
			target, _ := s.Unit.Target()
			list = append(list, ruled{target, s.Unit, rule})
		}
	}
	return list
}

func (m *memory) rotating(target principal.Ref) *rotating {
	r := m.Rotations[target.String()]
	if r == nil {
		r = &rotating{}
		m.Rotations[target.String()] = r
	}
	return r
}

// confirmed reports whether the present password of an account is confirmed in escrow.
func (r *rotating) confirmed(a drift.Account) bool {
	return r.Account == a.SID && !r.Changed.IsZero() && r.Begun == 0 && r.SetAt.Equal(a.PasswordSetAt)
}

// escrowed are the accounts whose present password is confirmed in escrow.
func (m *memory) escrowed(state drift.State) map[principal.SID]bool {
	accounts := map[principal.SID]bool{}
	for _, r := range m.Rotations {
		for _, a := range state.Accounts {
			if r.confirmed(a) {
				accounts[a.SID] = true
			}
		}
	}
	return accounts
}

// notice compares what is known of a password with the account it belongs to now.
func (r *rotating) notice(a drift.Account) (foreign bool) {
	switch {
	case r.Account != a.SID:
		if !r.Account.IsZero() {
			r.Now = rotation.Recreated
		}
		r.Account, r.Used, r.Owed, r.Retry = a.SID, nil, nil, time.Time{}
	case r.Begun != 0:
		r.Now = rotation.Interrupted
	case !r.Changed.IsZero() && !r.SetAt.Equal(a.PasswordSetAt) && r.Now == "":
		r.Now, foreign = rotation.Elsewhere, true
	}
	return foreign
}

// due is when the password is to change, and why.
func (a *Agent) due(of ruled, r *rotating) (time.Time, rotation.Reason) {
	known := rotation.Known{Last: r.Changed, Now: r.Now, Used: r.Used}
	for _, o := range a.memory.Waiting {
		if slices.Contains(o.Left, of.target) && (known.Asked == nil || o.NotBefore.Before(*known.Asked)) {
			known.Asked, known.Reveal = &o.NotBefore, o.Revealed
		}
	}
	rule := rotation.Rule{Every: time.Duration(of.rule.EveryMinutes) * time.Minute, AfterUse: time.Duration(of.rule.AfterUse.WaitMinutes) * time.Minute}
	return rotation.Due(rule, known, rotation.Spread(a.memory.Device, of.target.String()))
}

// rotations are what a report says of passwords.
func (a *Agent) rotations(state drift.State) []drift.Rotated {
	rules := map[string]ruled{}
	for _, of := range a.memory.ruledRotations() {
		rules[of.target.String()] = of
	}
	var list []drift.Rotated
	for _, name := range slices.Sorted(maps.Keys(a.memory.Rotations)) {
		r := a.memory.Rotations[name]
		target, err := principal.Parse(name)
		if err != nil || r.Changed.IsZero() {
			continue
		}
		entry := drift.Rotated{Target: target, RotatedAt: r.Changed.UTC(), Deposit: r.Deposit}
		if of, asked := rules[name]; asked {
			next, _ := a.due(of, r)
			if next.IsZero() {
				next = r.Changed // it is overdue since its last change
			}
			entry.Next = new(next.UTC())
		}
		entry.Elsewhere = r.Now == rotation.Elsewhere
		list = append(list, entry)
	}
	return list
}

// firstRetry is the wait after a first failure; it doubles with each, up to lastRetry.
const (
	firstRetry = time.Minute
	lastRetry  = time.Hour
)

// failed notes that a password could not be changed, and when to try again.
func (r *rotating) failed(now time.Time, err error) (fresh bool) {
	fresh = r.Error != err.Error()
	r.Retry = now.Add(min(firstRetry<<min(r.Failures, 10), lastRetry))
	r.Failures++
	r.Error = err.Error()
	return fresh
}

// done notes that the password of a deposit was confirmed.
func (r *rotating) done(d protocol.Deposit, made, setAt time.Time, then unit.Then, wait time.Duration) {
	if r.Used != nil {
		r.Owed = &owed{r.Used.Add(wait), then}
	}
	r.Begun, r.Now, r.Used, r.Failures, r.Retry, r.Error = 0, "", nil, 0, time.Time{}, ""
	r.Changed, r.SetAt, r.Deposit = made, setAt, fmt.Sprintf("%d.%d", d.Epoch, d.Number)
	r.Kept = slices.DeleteFunc(r.Kept, func(k kept) bool {
		return cmp.Or(cmp.Compare(k.Epoch, d.Epoch), cmp.Compare(k.Number, d.Number)) < 0
	})
	for i := range r.Kept {
		r.Kept[i].Confirmed = r.Kept[i].Confirmed || r.Kept[i].Number == d.Number && r.Kept[i].Epoch == d.Epoch
	}
}
