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
	if len(edits) > maxFactsEdit {
		return refusal.New(
			refusal.Invalid,
			"%d devices are too many for one edit; send at most %d at a time",
			len(edits),
			maxFactsEdit,
		)
	}
	a := attempt{act: uow.ByOperator(operation.SetDeviceFacts, who, "devices"), asking: asking, source: gate.Arrival,
		what: edits}
	a.make = func(tx Records, w *uow.Work) error { return s.setFacts(tx, w, edits) }
	return s.passOrHold(ctx, &a, store.BrakeFacts, asked{Facts: edits})
}

func (s *Service) setFacts(tx Records, w *uow.Work, edits []Facts) error {
	ids := make([]string, len(edits))
	for i, edit := range edits {
		if err := edit.check(); err != nil {
			return err
		}
		d, err := tx.Device(s.Clock(), edit.Device, text.Fold(edit.Device))
		if err != nil {
			return refusal.Named(err, "device", edit.Device)
		}
		ids[i] = d.ID
	}
	if err := tx.LockDevices(ids); err != nil {
		return err
	}
	after := map[string]any{}
	for i, edit := range edits {
		d, err := tx.Device(s.Clock(), ids[i], "")
		if err != nil {
			return refusal.Named(err, "device", edit.Device)
		}
		if edit.Path != nil {
			d.Path = text.NFC(*edit.Path)
		}
		if edit.Tags != nil {
			d.Tags = text.Set(*edit.Tags)
		}
		if edit.PrimaryUser != nil {
			d.PrimaryUser = text.NFC(*edit.PrimaryUser)
		}
		if err := tx.SetFacts(d.ID, d.Path, d.Tags, d.PrimaryUser); err != nil {
			return err
		}
		after[d.Name] = map[string]any{"path": d.Path, "tags": d.Tags, "primary_user": d.PrimaryUser}
	}
	if err := devicegroups.FactsChanged(tx, w, "facts set", ids); err != nil {
		return err
	}
	w.Tell(store.TopicDevices, ids...)
	w.After = after
	return nil
}
