package preview

import (
	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// meaning is which account of a device a key means: one, none (nil), or several, so that none can be chosen.
type meaning struct {
	account   *drift.Account
	ambiguous bool
}

// keyAsked is a key with what is desired of it in each future.
type keyAsked struct {
	key   string
	asked [2]*unit.AccountValue // by future; nil: nothing
}

// keyMeaning is a key with what it means as well, without the change and with it.
type keyMeaning struct {
	keyAsked
	means [2]meaning // by future
}

// The two futures.
const (
	without = iota
	with
)

func on(v *unit.AccountValue) bool { return v != nil && v.State != unit.Absent }

// key works out what a key means in both futures, once.
func (c *comparer) key(key string) *keyMeaning {
	for i := range c.keys {
		if c.keys[i].key == key {
			return &c.keys[i]
		}
	}
	k := keyMeaning{keyAsked: keyAsked{key: key}}
	if known := c.asks(key); known != nil {
		k.keyAsked = *known
	}
	k.means[without] = c.under(key, k.asked[without])
	if on(k.asked[without]) && k.means[without].account != nil {
		k.means[with] = k.means[without]
	} else {
		k.means[with] = c.under(key, k.asked[with])
	}
	if c.keys == nil {
		c.keys = make([]keyMeaning, 0, len(c.accounts)+4)
	}
	c.keys = append(c.keys, k)
	return &c.keys[len(c.keys)-1]
}

// asks is what is desired of a key, nil when nothing is in either future.
func (d *Difference) asks(key string) *keyAsked {
	for i := range d.accounts {
		if d.accounts[i].key == key {
			return &d.accounts[i]
		}
	}
	return nil
}

// under is which account a key means when an account block, nil for none, is desired of it.
func (c *comparer) under(key string, desired *unit.AccountValue) meaning {
	accounts := c.state.Accounts
	for i := range accounts {
		if accounts[i].Key == key {
			return meaning{account: &accounts[i]}
		}
	}
	if desired == nil {
		return meaning{}
	}
	var m meaning
	for i := range accounts {
		if free(&accounts[i]) && drift.FitsName(desired.Name, accounts[i].Name) {
			if m.account != nil {
				return meaning{ambiguous: true}
			}
			m.account = &accounts[i]
		}
	}
	if m.account != nil || desired.State == unit.Absent {
		return m
	}
	for _, former := range desired.Formerly {
		for i := range accounts {
			if free(&accounts[i]) && drift.FitsName(former, accounts[i].Name) {
				return meaning{account: &accounts[i]}
			}
		}
	}
	return meaning{}
}

// free reports whether an account is one that a key could come to mean.
func free(a *drift.Account) bool { return a.Key == "" && a.Builtin == "" }

// account is what becomes of the account of one key.
func (c *comparer) account(change effect.SettingChange) {
	key, _ := change.Unit.AccountKey()
	k := c.key(key)
	s0, s1 := k.asked[without], k.asked[with]
	if k.means[without].ambiguous {
		s0 = nil
	}
	m0, m1 := k.means[without].account, k.means[with].account
	add := func(kind effect.Kind, before, after any) {
		c.add(change.Unit, kind, principal.FromKey(key).String(), before, after)
	}
	if s1 != nil && k.means[with].ambiguous {
		add(effect.AccountAmbiguous, nil, s1.Name)
		return
	}
	if !on(s1) {
		c.accountGoes(k, s0, s1, add)
		return
	}
	absentBefore := s0 != nil && s0.State == unit.Absent
	adopted := m1 != nil && m1.Key == "" && (!on(s0) || m0 == nil)
	switch {
	case absentBefore && m0 != nil && m1 != m0:
		add(effect.AccountSpared, nil, m0.Name)
	case absentBefore && m1 != nil && m1.Key == key:
		add(effect.AccountKept, m1.Name, s1.Name)
	}
	if adopted && !s1.TakeOver {
		if runs := c.state.RunsAs(m1.SID); len(runs) > 0 {
			add(effect.TakeoverRefused, m1.Name, runs)
			return
		}
	}
	switch {
	case adopted:
		add(effect.AccountAdopted, m1.Name, s1.Name)
		c.effects[len(c.effects)-1].Takes = c.taken(m1)
		if s1.KeepPassword {
			add(effect.PasswordLeft, nil, nil)
		}
	case !on(s0) && m1 == nil:
		add(effect.AccountCreated, nil, s1.Name)
	case on(s0) && text.Fold(s0.Name) != text.Fold(s1.Name):
		add(effect.AccountRenamed, s0.Name, s1.Name)
	case s0 == nil && m1 != nil && m1.Key == key && !drift.FitsName(s1.Name, m1.Name):
		add(effect.AccountRenamed, m1.Name, s1.Name)
	}
	from := s0
	if adopted || !on(s0) {
		if m1 == nil {
			return
		}
		from = &unit.AccountValue{State: m1.State(), Details: m1.Details}
	}
	if from.State != s1.State {
		add(enabling(s1.State == unit.Enabled), nil, nil)
	}
	before, after := c.describe(from.Details, s1.Details)
	if s1.ChangePassword && (s0 == nil || !s0.ChangePassword) {
		before["change_at_next_sign_in"], after["change_at_next_sign_in"] = false, true
	}
	if len(before) > 0 {
		add(effect.AccountDescribed, before, after)
	}
}

// taken is what is known of an account that is taken over.
func (c *comparer) taken(a *drift.Account) *effect.Taken {
	t := &effect.Taken{Runs: c.state.RunsAs(a.SID)}
	for _, u := range c.state.Uses {
		if u.SID == a.SID && u.LastSignIn != nil {
			t.LastSignIn = *u.LastSignIn
		}
	}
	for _, g := range c.state.LocalGroups {
		if g.Has(a.SID) {
			t.Groups = append(t.Groups, g.LocalGroup)
		}
	}
	return t
}

// accountGoes is what becomes of an account that is no longer desired, or is to be absent.
func (c *comparer) accountGoes(
	k *keyMeaning, s0, s1 *unit.AccountValue, add func(kind effect.Kind, before, after any),
) {
	m0, m1 := k.means[without].account, k.means[with].account
	absentBefore := s0 != nil && s0.State == unit.Absent
	switch {
	case s1 == nil && on(s0) && m0 != nil:
		add(effect.AccountReleased, s0.Name, nil)
	case on(s0) && m0 == nil && m1 == nil:
		add(effect.AccountNotCreated, s0.Name, nil)
	case absentBefore && m0 != nil && (s1 == nil || m1 != m0):
		add(effect.AccountSpared, nil, m0.Name)
	}
	if s1 != nil && m1 != nil && (!absentBefore || m1 != m0) {
		add(effect.AccountRemoved, m1.Name, nil)
	}
}

// describe gives those of the details of an account that differ and that the device carries out.
func (c *comparer) describe(from, to unit.Details) (before, after map[string]any) {
	before, after = map[string]any{}, map[string]any{}
	for _, d := range unit.AccountDetails {
		_, limited := c.state.LimitOfDetail(d.Name)
		if is, will := d.Plain(from), d.Plain(to); is != will && !limited {
			before[d.Name], after[d.Name] = is, will
		}
	}
	return before, after
}
