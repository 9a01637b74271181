package service

import (
	"context"
	"strings"

	"rankwarden.example/core/text"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// Limits of organisation facts.
const (
	maxTags      = 64
	maxTag       = 63  // characters
	maxPath      = 200 // characters
	maxFactsEdit = 5000
)

// OrganisationFacts are what an organisation knows of a device; nil leaves one as it is.
type OrganisationFacts struct {
	Device      string // identifier or name
	Path        *string
	Tags        *[]string
	PrimaryUser *string
}

func (f OrganisationFacts) check() error {
	if f.Path != nil {
		for part := range strings.SplitSeq(*f.Path, "/") {
			if *f.Path != "" && (part == "" || strings.TrimSpace(part) != part) {
				return failf(Invalid, "the path %q must look like north/kirkness/desk, without empty parts", *f.Path).at("path")
			}
		}
		if err := checkFact("path", *f.Path, maxPath); err != nil {
			return err
		}
	}
	if f.PrimaryUser != nil {
		if err := checkFact("primary_user", *f.PrimaryUser, maxPath); err != nil {
			return err
		}
	}
	if f.Tags == nil {
		return nil
	}
	if len(*f.Tags) > maxTags {
		return failf(Invalid, "%d tags are too many; a device has at most %d", len(*f.Tags), maxTags).at("tags")
	}
	for _, tag := range *f.Tags {
		if tag == "" || strings.TrimSpace(tag) != tag {
			return failf(Invalid, "the tag %q is empty, or begins or ends with a blank", tag).at("tags")
		}
		if err := checkFact("tags", tag, maxTag); err != nil {
			return err
		}
	}
	return nil
}

func checkFact(at, value string, most int) error {
	if err := text.CheckVisible(value); err != nil {
		return failf(Invalid, "%q %v", value, err).at(at)
	}
	if len([]rune(value)) > most {
		return failf(Invalid, "%q has more than %d characters", value, most).at(at)
	}
	return nil
}

// SetFacts changes organisation facts of any number of devices, all or none.
func (s *Service) SetFacts(ctx context.Context, who auth.Identity, edits []OrganisationFacts) error {
	if len(edits) > maxFactsEdit {
		return failf(Invalid, "%d devices are too many for one edit; send at most %d at a time", len(edits), maxFactsEdit)
	}
	return s.InTx(ctx, func(tx store.Tx) error {
		ids := make([]string, len(edits))
		for i, edit := range edits {
			if err := edit.check(); err != nil {
				return err
			}
			d, err := tx.Device(s.clock(), edit.Device, text.Fold(edit.Device))
			if err != nil {
				return named(err, "device", edit.Device)
			}
			ids[i] = d.ID
		}
		if err := tx.LockDevices(ids); err != nil {
			return err
		}
		after := map[string]any{}
		for i, edit := range edits {
			d, err := tx.Device(s.clock(), ids[i], "")
			if err != nil {
				return named(err, "device", edit.Device)
			}
			if edit.Path != nil {
				d.Path = text.NFC(*edit.Path)
			}
			if edit.Tags != nil {
				d.Tags = sortedSet(*edit.Tags)
			}
			if edit.PrimaryUser != nil {
				d.PrimaryUser = text.NFC(*edit.PrimaryUser)
			}
			if err := tx.SetFacts(d.ID, d.Path, d.Tags, d.PrimaryUser); err != nil {
				return err
			}
			after[d.Name] = map[string]any{"path": d.Path, "tags": d.Tags, "primary_user": d.PrimaryUser}
		}
		if err := s.factsChanged(tx, "facts set", ids); err != nil {
			return err
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicDevices, IDs: ids}); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "device.facts_set", object: "devices", after: after})
	})
}
