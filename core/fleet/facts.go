package fleet

import "slices"

// Facts are what is known of a device. Device facts come from the device itself and are unknown
// where they are zero; organisation facts are set by operators and imports, and are empty when unset.
type Facts struct {
	Name string

	// Device facts.
	Platform  string
	OSVersion string
	OSBuild   int
	Model     string
	Serial    string

	// Organisation facts.
	Path        string // like north/kirkness/desk
	Tags        []string
	PrimaryUser string
}

// factFields are the names a rule can read, with their place in the bit set of [Rule.reads].
var factFields = []string{"name", "platform", "os_version", "os_build", "model", "serial", "path", "tags", "primary_user"}

// OrganisationFacts are the names of the facts that no device can set for itself.
var OrganisationFacts = []string{"path", "tags", "primary_user"}

// OfOrganisation reports whether a fact is one that no device can set for itself.
func OfOrganisation(fact string) bool { return slices.Contains(OrganisationFacts, fact) }
