package changes

import (
	"context"

	"rankwarden.example/core/fleet"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// maxFactsEdit is the most devices of one edit.
const maxFactsEdit = 5000

// Facts are what an organisation knows of a device; nil leaves one as it is.
type Facts struct {
	Device      string    `json:"device"` // identifier or name
	Path        *string   `json:"path,omitempty"`
	Tags        *[]string `json:"tags,omitempty"`
	PrimaryUser *string   `json:"primary_user,omitempty"`
	// Learned says that the primary user was learned from sign-ins; it stays so until somebody sets one.
	Learned bool `json:"learned,omitempty"`
}

func (f Facts) check() error {
	if f.Path != nil {
		if err := fleet.CheckPath(*f.Path); err != nil {
			return refusal.New(refusal.Invalid, "%v", err).At("path")
		}
	}
	if f.PrimaryUser != nil {
		if err := fleet.CheckOrganisation(*f.PrimaryUser, fleet.MaxPath); err != nil {
			return refusal.New(refusal.Invalid, "%v", err).At("primary_user")
		}
	}
	if f.Tags != nil {
		if err := fleet.CheckTags(*f.Tags); err != nil {
			return refusal.New(refusal.Invalid, "%v", err).At("tags")
		}
	}
	return nil
}

// SetFacts changes organisation facts of any number of devices, all or none. What alters much, or needs a second
// person, is held for a decision, and the error says so.
func (s *Service) SetFacts(ctx context.Context, who rights.Identity, edits []Facts, asking Asking) error {
	if err := checkFacts(edits); err != nil {
		return err
	}
	a := attempt{act: uow.ByOperator(operation.SetDeviceFacts, who, "devices"), asking: asking, source: gate.Arrival,
		what: edits}
	a.make = func(tx Records, w *uow.Work) error { return s.setFacts(tx, w, edits) }
	return s.passOrHold(ctx, &a, store.BrakeFacts, func(tx Records) (asked, error) {
		trial, err := s.tryFacts(tx, edits)
		return asked{Facts: edits, Alters: trial.Altered}, err
	})
}

func (s *Service) setFacts(tx Records, w *uow.Work, edits []Facts) error {
	ids := make([]string, len(edits))
	named := map[string]string{} // how each was named
	for i, edit := range edits {
		d, err := tx.Device(s.Clock(), edit.Device, text.Fold(edit.Device))
		if err != nil {
			return refusal.Named(err, "device", edit.Device)
		}
		if former, twice := named[d.ID]; twice {
			return refusal.New(refusal.Invalid, "%q and %q are one device; name each device once", former, edit.Device).
				At("devices")
		}
		ids[i], named[d.ID] = d.ID, edit.Device
	}
	if err := tx.LockDevices(ids); err != nil {
		return err
	}
	after := map[string]any{}
	users := map[bool][]string{} // devices whose primary user is set, by whether it was learned
	for i, edit := range edits {
		if edit.PrimaryUser != nil {
			users[edit.Learned] = append(users[edit.Learned], ids[i])
		}
		d, err := tx.Device(s.Clock(), ids[i], "")
		if err != nil {
			return refusal.Named(err, "device", edit.Device)
		}
		next := edit.laidOver(fleet.Facts{Path: d.Path, Tags: d.Tags, PrimaryUser: d.PrimaryUser})
		d.Path, d.Tags, d.PrimaryUser = next.Path, next.Tags, next.PrimaryUser
		if err := tx.SetFacts(d.ID, d.Path, d.Tags, d.PrimaryUser); err != nil {
			return err
		}
		after[d.Name] = map[string]any{"path": d.Path, "tags": d.Tags, "primary_user": d.PrimaryUser}
	}
	for learned, devices := range users {
		if err := tx.SetLearned(devices, learned); err != nil {
			return err
		}
		if _, err := tx.SetUserGroups(devices); err != nil {
			return err
		}
	}
	if err := devicegroups.FactsChanged(tx, w, "facts set", ids); err != nil {
		return err
	}
	w.Tell(store.TopicDevices, ids...)
	w.After = after
	return nil
}
