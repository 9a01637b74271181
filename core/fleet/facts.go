package fleet

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"rankwarden.example/core/text"
)

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
	UserGroups  []string // of the directory that the primary user is in, in lower case, with their domain and without
}

// factFields are the names a rule can read, with their place in the bit set of [Rule.reads].
var factFields = []string{
	"name",
	"platform",
	"os_version",
	"os_build",
	"model",
	"serial",
	"path",
	"tags",
	"primary_user",
	"user_groups",
}

// OrganisationFacts are the names of the facts that no device can set for itself.
var OrganisationFacts = []string{"path", "tags", "primary_user", "user_groups"}

// OfUser reports whether a fact follows from who uses a device.
func OfUser(fact string) bool { return fact == "primary_user" || fact == "user_groups" }

// OfOrganisation reports whether a fact is one that no device can set for itself.
func OfOrganisation(fact string) bool { return slices.Contains(OrganisationFacts, fact) }

// Bounds of facts, in characters where it is not said otherwise.
const (
	MaxDeviceName = 63
	MaxPath       = 200
	mostTags      = 64 // tags
	MostGroups    = 64 // groups of the directory that count for a primary user, by name
	longestTag    = 63
)

// CheckPath checks the path of a device, such as north/kirkness/desk, or an empty one. The error says what is wrong
// with it.
func CheckPath(path string) error {
	if path == "" {
		return nil
	}
	for part := range strings.SplitSeq(path, "/") {
		if part == "" || strings.TrimSpace(part) != part {
			return fmt.Errorf("the path %q must look like north/kirkness/desk, without empty parts", path)
		}
	}
	return CheckOrganisation(path, MaxPath)
}

// CheckTags checks the tags of a device. The error names the tag and says what is wrong with it.
func CheckTags(tags []string) error {
	if len(tags) > mostTags {
		return fmt.Errorf("%d tags are too many; a device has at most %d", len(tags), mostTags)
	}
	for _, tag := range tags {
		if tag == "" || strings.TrimSpace(tag) != tag {
			return fmt.Errorf("the tag %q is empty, or begins or ends with a blank", tag)
		}
		if err := CheckOrganisation(tag, longestTag); err != nil {
			return err
		}
	}
	return nil
}

// CheckOrganisation checks an organisation fact, a text of at most so many characters. The error says what is wrong.
func CheckOrganisation(value string, most int) error {
	if err := cmp.Or(text.CheckVisible(value), text.CheckWords(value)); err != nil {
		return fmt.Errorf("%q %w", value, err)
	}
	if utf8.RuneCountInString(value) > most {
		return fmt.Errorf("%q has more than %d characters", value, most)
	}
	return nil
}
