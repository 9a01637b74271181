package reporting

import (
	"fmt"
	"strconv"
	"strings"

	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/store"
)

// secondPersons are what waits for a second person, or for somebody to let it go: changes, what the brake holds, waves
// that somebody wants to open early, and keys.
func (s *Service) secondPersons(tx Reads, who rights.Identity) (list []Decision, err error) {
	for _, more := range []func(tx Reads, who rights.Identity) ([]Decision, error){
		changesToDecide, brakesToDecide, wavesToDecide, keysToDecide,
	} {
		found, err := more(tx, who)
		if err != nil {
			return nil, err
		}
		list = append(list, found...)
	}
	return list, nil
}

func changesToDecide(tx Reads, _ rights.Identity) (list []Decision, err error) {
	waiting, _, err := tx.ListChanges([]string{string(store.ChangeWaiting)}, "", store.Page{Limit: maxRecent})
	for _, c := range waiting {
		list = append(list, Decision{Kind: DecideChange, Title: c.Name, Object: c.Name,
			Detail: fmt.Sprintf("%s asked for it to go out; a second person must approve it: %s", c.AskedBy,
				strings.Join(c.Needs, "; "))})
	}
	return list, err
}

func brakesToDecide(tx Reads, who rights.Identity) (list []Decision, err error) {
	held, _, err := tx.ListBrakes(true, store.Page{Limit: maxRecent})
	for _, b := range held {
		d := Decision{Kind: DecideBrake, Object: b.ID, Title: "something would alter many devices",
			Detail: b.AskedBy + " asked for it, and nothing of it was done yet; somebody must release it or refuse it"}
		if who.Reach(rights.Look).Everywhere() {
			d.Devices, d.Title = b.Devices, present.HeldByBrake(b.Kind, b.Object, b.Devices, b.Fleet)
		}
		list = append(list, d)
	}
	return list, err
}

func wavesToDecide(tx Reads, _ rights.Identity) (list []Decision, err error) {
	underWay, _, err := tx.ListRollouts(true, store.Page{Limit: maxRecent})
	if err != nil {
		return nil, err
	}
	for _, r := range underWay {
		machine, err := planning.Machine(r)
		if err != nil {
			return nil, err
		}
		if asked := machine.Asked; asked != nil {
			list = append(list, Decision{Kind: DecideWave, Object: r.Name,
				Title:  fmt.Sprintf("wave %d of %s is to open before its gate is passed", asked.Wave+1, r.Name),
				Detail: fmt.Sprintf("%s asked for it; a second person must open it: %s", asked.By, asked.Reason)})
		}
	}
	return list, nil
}

func keysToDecide(tx Reads, who rights.Identity) (list []Decision, err error) {
	if !who.May(rights.Administer) {
		return nil, nil
	}
	keys, err := tx.EscrowKeys()
	for _, k := range keys {
		if k.Asked != "" {
			list = append(list, Decision{Kind: DecideKey, Object: strconv.FormatInt(k.Number, 10),
				Title:  fmt.Sprintf("%s key %d is to become %s", k.Use, k.Number, k.Asked),
				Detail: k.AskedBy + " asked for it; a second owner must approve it"})
		}
	}
	return list, err
}
