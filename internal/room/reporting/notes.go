package reporting

import (
	"time"

	"rankwarden.example/core/present"
	"rankwarden.example/internal/store"
)

// returnShown is for how long everybody is told that the database went back.
const returnShown = 24 * time.Hour

// serviceNotes are what holds for every device at the moment: freezes, and that the database went back a short time
// ago.
func (s *Service) serviceNotes(tx Reads) ([]Decision, error) {
	var list []Decision
	frozen, err := tx.Freezes()
	if err != nil {
		return nil, err
	}
	for _, f := range frozen {
		title, does := present.Freeze(f.What == store.FreezeAll)
		list = append(list, Decision{Kind: DecideFrozen, Title: title,
			Detail: does + " Frozen by " + f.By + " at " + f.At.UTC().
				Format(noteTime) + ": " + f.Reason + ". To go on: rankwarden thaw"})
	}
	returns, err := tx.DatabaseReturns(s.Now().Add(-returnShown))
	if err != nil {
		return nil, err
	}
	for _, r := range returns {
		list = append(list, Decision{Kind: DecideReturned, Title: "The database went back at " + r.At.UTC().
			Format(noteTime),
			Detail: present.AfterReturn(r.Why)})
	}
	return list, nil
}

const noteTime = "2006-01-02 15:04:05 UTC"

// notesOf are what somebody who looks at a device should know of the service and of it, in words.
func (s *Service) notesOf(tx Reads, d store.Device) ([]string, error) {
	list, err := s.serviceNotes(tx)
	if err != nil {
		return nil, err
	}
	notes := []string{}
	for _, n := range list {
		notes = append(notes, n.Title+". "+n.Detail)
	}
	if d.Mismatched {
		notes = append(notes, present.Mismatched)
	}
	return notes, nil
}
