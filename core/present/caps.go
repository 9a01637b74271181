package present

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"rankwarden.example/core/warrant"
)

// Caps are the bounds of warrants for roles and groups of devices.
func Caps(c warrant.Caps) string {
	var words []string
	for _, r := range slices.Sorted(maps.Keys(c.Roles)) {
		words = append(words, string(r)+" "+Minutes(int(c.Roles[r].Minutes())))
	}
	for _, g := range c.Named() {
		words = append(words, "group "+g+" "+Minutes(int(c.Groups[g].Minutes())))
	}
	return cmp.Or(strings.Join(words, ", "), "none")
}
