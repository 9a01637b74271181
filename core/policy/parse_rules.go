package policy

import (
	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/unit"
)

func (r *reader) passwords(n *yaml.Node, path string) *Passwords {
	p := &Passwords{}
	number := func(to **int, low, high int, measure string) field {
		return func(n *yaml.Node, path string) { *to = r.integer(n, path, low, high, measure) }
	}
	r.mapping(n, path, map[string]field{
		"min_length":   number(&p.MinLength, 0, unit.MaxMinLength, "characters"),
		"history":      number(&p.History, 0, unit.MaxHistory, "passwords remembered"),
		"max_age_days": number(&p.MaxAgeDays, 0, unit.MaxMaxAgeDays, "days; 0 means never expires"),
		"min_age_days": number(&p.MinAgeDays, 0, unit.MaxMinAgeDays, "days"),
		"complexity":   func(n *yaml.Node, path string) { p.Complexity = r.boolean(n, path) },
	})
	if p.MinAgeDays != nil && p.MaxAgeDays != nil && *p.MaxAgeDays != 0 && *p.MinAgeDays >= *p.MaxAgeDays {
		r.errorf(n, path+".min_age_days", CodeAges, "a password may not be changed for %d days, yet expires after %d; make min_age_days smaller than max_age_days", *p.MinAgeDays, *p.MaxAgeDays)
	}
	return p
}

func (r *reader) lockout(n *yaml.Node, path string) *Lockout {
	l := &Lockout{Threshold: -1} // until it is read
	r.mapping(n, path, map[string]field{
		"threshold": func(n *yaml.Node, path string) {
			if t := r.integer(n, path, 0, unit.MaxThreshold, "wrong attempts; 0 means never lock"); t != nil {
				l.Threshold = *t
			}
		},
		"duration": func(n *yaml.Node, path string) { l.Duration = r.duration(n, path, 0, unit.MaxLockoutMins) },
		"window":   func(n *yaml.Node, path string) { l.Window = r.duration(n, path, 1, unit.MaxLockoutMins) },
	}, "threshold")
	if l.Threshold == 0 && (l.Duration != nil || l.Window != nil) {
		r.errorf(n, path, CodeNeverLocks, "threshold 0 means that accounts never lock, so duration and window say nothing; take them out, or set a threshold of 1 or more")
		return l
	}
	if duration, window := l.times(); l.Threshold > 0 && duration != 0 && window > duration {
		r.errorf(n, path+".window", CodeWindow, "the counter would restart after %d minutes, later than the lock of %d minutes ends; make window at most duration", int(window.Minutes()), int(duration.Minutes()))
	}
	return l
}
