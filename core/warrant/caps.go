package warrant

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/rights"
)

// Caps bound how long a warrant may hold.
type Caps struct {
	Most   time.Duration                 // where nothing else is said
	Roles  map[rights.Role]time.Duration // of whoever asks
	Groups map[string]time.Duration      // of devices
}

// ReadCaps reads bounds as the option has them: ROLE=TIME, such as support=2h, or group:NAME=TIME. Errors say which of
// them is wrong.
func ReadCaps(most time.Duration, written []string) (Caps, error) {
	c := Caps{Most: most, Roles: map[rights.Role]time.Duration{}, Groups: map[string]time.Duration{}}
	for _, w := range written {
		of, text, found := strings.Cut(w, "=")
		d, err := time.ParseDuration(text)
		if !found || err != nil || d <= 0 {
			return c, fmt.Errorf("%q bounds no warrant; write ROLE=TIME or group:NAME=TIME, such as support=2h", w)
		}
		group, isGroup := strings.CutPrefix(of, "group:")
		switch role := rights.Role(of); {
		case isGroup && group != "":
			c.Groups[group] = d
		case role.Has(rights.AskOwn):
			c.Roles[role] = d
		default:
			return c, fmt.Errorf("%q bounds no warrant: nobody asks for one as %q", w, of)
		}
	}
	return c, nil
}

// Named are the groups of devices that have bounds of their own, by name.
func (c Caps) Named() []string { return slices.Sorted(maps.Keys(c.Groups)) }

// For is how long a warrant may hold that somebody with some roles asks for, on devices in some groups: the longest of
// the roles that may ask, and no longer than the shortest of the groups. Why says what bounds it, empty where nothing
// but the bound of all does.
func (c Caps) For(roles []rights.Role, groups []string) (most time.Duration, why string) {
	for _, r := range roles {
		if !r.Has(rights.AskOwn) {
			continue
		}
		own, named := c.Roles[r]
		if own = cmp.Or(own, c.Most); own <= most {
			continue
		}
		if most, why = own, ""; named {
			why = "for the role " + string(r)
		}
	}
	if most == 0 {
		most = c.Most
	}
	for _, g := range groups {
		if own, named := c.Groups[g]; named && own < most {
			most, why = own, "on devices of the group "+g
		}
	}
	return most, why
}
