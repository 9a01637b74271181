package policy

import (
	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/unit"
)

// Passwords are the rules for passwords of local accounts. A nil property is not asked for.
type Passwords struct {
	MinLength  *int  // characters, 0 to 128
	History    *int  // remembered passwords, 0 to 24
	MaxAgeDays *int  // 0 to 999; 0 means passwords never expire
	MinAgeDays *int  // 0 to 998
	Complexity *bool // three of the four classes of characters
}

// passwords is how they are written.
var passwords = shape[Passwords]{
	optional(
		"min_length",
		number(0, unit.MaxMinLength, "characters"),
		func(p *Passwords) **int { return &p.MinLength },
	).about("Characters"),
	optional(
		"history",
		number(0, unit.MaxHistory, "passwords remembered"),
		func(p *Passwords) **int { return &p.History },
	).about("Passwords remembered"),
	optional(
		"max_age_days",
		number(0, unit.MaxMaxAgeDays, "days; 0 means never expires"),
		func(p *Passwords) **int { return &p.MaxAgeDays },
	).about("0: never expires"),
	optional(
		"min_age_days",
		number(0, unit.MaxMinAgeDays, "days"),
		func(p *Passwords) **int { return &p.MinAgeDays },
	).about("Days"),
	optional(
		"complexity",
		yesNo,
		func(p *Passwords) **bool { return &p.Complexity },
	).about("Three of the four classes of characters"),
}

// rulesTogether refuses a least age that the greatest age does not allow, and warns of a minimum length that some
// devices cannot enforce.
func rulesTogether(r *reader, n *yaml.Node, path string, p *Passwords) {
	if p.MinLength != nil && *p.MinLength > unit.SureMinLength {
		r.warnf(n, path+".min_length", CodePlatform, "devices with Windows that do not take more than %d enforce %d; "+
			"the preview lists them", unit.SureMinLength, unit.SureMinLength)
	}
	if p.MinLength != nil && *p.MinLength < unit.LeastLinuxLength {
		r.warnf(n, path+".min_length", CodePlatform, "devices with Linux always ask for %d at least, and say that "+
			"this failed there", unit.LeastLinuxLength)
	}
	if p.MinAgeDays != nil && p.MaxAgeDays != nil && *p.MaxAgeDays != 0 && *p.MinAgeDays >= *p.MaxAgeDays {
		r.errorf(
			n,
			path+".min_age_days",
			CodeAges,
			"a password may not be changed for %d days, yet expires after %d; make min_age_days smaller than "+
				"max_age_days",
			*p.MinAgeDays,
			*p.MaxAgeDays,
		)
	}
}

// IsEmpty reports whether no property is asked for.
func (p Passwords) IsEmpty() bool { return p == Passwords{} }

func (n *Normal) passwords(p *Passwords) {
	if p == nil {
		return
	}
	for id, value := range map[unit.ID]*int{unit.MinLength: p.MinLength, unit.History: p.History,
		unit.MaxAgeDays: p.MaxAgeDays, unit.MinAgeDays: p.MinAgeDays} {
		if value != nil {
			n.ask(id, unit.Int(*value))
		}
	}
	if p.Complexity != nil {
		n.ask(unit.Complexity, unit.Bool(*p.Complexity))
	}
}
