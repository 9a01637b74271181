package drift

import (
	"slices"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// Nobody tells accounts that no policy names from others.
type Nobody struct {
	rule     unit.OthersValue
	keys     map[string]bool // of managed accounts
	patterns []string        // of their names, now and formerly
	members  map[string]bool // names of accounts that are to be in a local group
}

// NamedByNobody reads which accounts settings name, and what is asked of all others; nil where nothing is.
func NamedByNobody(settings []unit.Setting) *Nobody {
	at, asked := slices.BinarySearchFunc(settings, unit.Others, func(s unit.Setting, id unit.ID) int {
		return s.Unit.Compare(id)
	})
	if !asked {
		return nil
	}
	rule, is := settings[at].Value.(unit.OthersValue)
	if !is {
		return nil
	}
	n := &Nobody{rule: rule, keys: map[string]bool{}, members: map[string]bool{}}
	for _, s := range settings {
		switch v := s.Value.(type) {
		case unit.AccountValue:
			key, _ := s.Unit.AccountKey()
			n.keys[key] = true
			n.patterns = append(append(n.patterns, v.Name), v.Formerly...)
		case unit.Members:
			for _, ref := range v.Present {
				if ref.Kind() == principal.Local {
					n.members[ref.Value()] = true
				}
			}
		}
	}
	return n
}

// firstOfPeople is the least last part of an identifier that an operating system gives to an account which it did not
// make for itself, [MS-SAMR] 3.1.1.
const firstOfPeople = 1000

// Has reports whether an account is named by no policy: it is neither built in, nor of the operating system, nor named
// as a managed account or as one that is to be in a local group, nor allowed by the rule.
func (n *Nobody) Has(a *Account) bool {
	name := text.Fold(a.Name)
	return a.Builtin == "" && a.SID.RelativeID() >= firstOfPeople && !n.keys[a.Key] && !n.members[name] &&
		!n.rule.Allows(a.Name, a.SID) &&
		(a.Key != "" || !slices.ContainsFunc(n.patterns, func(p string) bool { return FitsName(p, a.Name) }))
}

// Ends is when the grace of an account ends that is counted since a time.
func (n *Nobody) Ends(since time.Time) time.Time {
	return since.Add(time.Duration(n.rule.GraceMinutes) * time.Minute)
}

// use is what an account is used for.
func (s *State) use(account principal.SID) Use {
	for _, u := range s.Uses {
		if u.SID == account {
			return u
		}
	}
	return Use{}
}

// others finds enabled accounts that no policy names. While the grace lasts, the actual value is when it ends, nil
// where the device does not count yet; after it, what the account is, or what runs as one that is spared.
func (c *checker) others() {
	nobody := NamedByNobody(c.settings)
	if nobody == nil {
		return
	}
	for i := range c.state.Accounts {
		a := &c.state.Accounts[i]
		if !a.Enabled || !nobody.Has(a) {
			continue
		}
		f := Finding{Unit: unit.Others, Kind: AccountCounted, Subject: principal.FromLocal(a.Name).String(),
			Expected: unit.Disabled, Member: a.SID}
		switch use := c.state.use(a.SID); {
		case use.Counted == nil:
		case c.Now.Before(nobody.Ends(*use.Counted)):
			f.Actual = nobody.Ends(*use.Counted).UTC().Format(time.RFC3339)
		case len(use.Runs) > 0:
			f.Kind, f.Actual = AccountUnnamed, use.Runs
		default:
			f.Kind, f.Actual = AccountUnnamed, unit.Enabled
		}
		c.findings = append(c.findings, f)
	}
}
