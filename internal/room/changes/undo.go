package changes

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"rankwarden.example/core/change"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/store"
)

// undoOf gives the edit that takes an edit back which is about to be made, as JSON; empty where nothing does: a new
// policy stays, and does nothing while no assignment uses it.
func (s *Service) undoOf(tx Records, e change.Edit) (string, error) {
	undo, err := opposite(tx, e)
	if err != nil || undo == nil {
		return "", err
	}
	body, err := json.Marshal(undo)
	if err != nil {
		return "", fmt.Errorf("storing what takes an edit back: %w", err)
	}
	return string(body), nil
}

// opposite is the edit that takes an edit back, as things are before it is made; nil for none.
func opposite(tx Records, e change.Edit) (*change.Edit, error) {
	undo := &change.Edit{Name: e.Name}
	switch {
	case e.Kind == change.Publish && e.BasedOn == 0:
		return nil, nil
	case e.Kind == change.Publish:
		return oppositePublish(tx, undo)
	case e.Kind == change.Assign && e.BasedOn == 0:
		undo.Kind = change.Withdraw
	case e.Kind == change.Assign, e.Kind == change.Withdraw:
		a, err := tx.Assignment(e.Name)
		if err != nil {
			return nil, err
		}
		undo.Kind, undo.Assignment = change.Assign, new(change.Aim(a.Aim()))
	case e.Kind == change.Group && e.BasedOn == 0:
		undo.Kind = change.DropGroup
	default:
		return oppositeGroup(tx, e, undo)
	}
	return undo, nil
}

func oppositePublish(tx Records, undo *change.Edit) (*change.Edit, error) {
	p, err := tx.Policy(undo.Name)
	if err != nil || p.Revision == 0 {
		return nil, err
	}
	r, err := tx.PolicyRevision(p.ID, p.Revision)
	undo.Kind, undo.Document = change.Publish, r.Source
	return undo, err
}

// oppositeGroup brings a group back that is removed, and takes back who comes into one and who leaves.
func oppositeGroup(tx Records, e change.Edit, undo *change.Edit) (*change.Edit, error) {
	g, err := tx.Group(e.Name)
	if err != nil {
		return nil, err
	}
	undo.Kind = change.Group
	undo.Group = &change.GroupBody{Description: g.Description, Rule: g.Rule}
	if g.Rule != "" {
		return undo, nil
	}
	listed, err := tx.GroupList(g.ID)
	if err != nil {
		return nil, err
	}
	if e.Kind == change.DropGroup {
		if undo.Group.Devices = listed; len(listed) > planning.MaxGroupDevices {
			return nil, nil
		}
		return undo, nil
	}
	slices.Sort(listed)
	come, leave := folded(e.Group.Add), folded(e.Group.Remove)
	if come, err = tx.CurrentNames(come); err != nil {
		return nil, err
	}
	if leave, err = tx.CurrentNames(leave); err != nil {
		return nil, err
	}
	if !e.Group.Amend {
		wanted, err := tx.CurrentNames(folded(e.Group.Devices))
		if err != nil {
			return nil, err
		}
		slices.Sort(wanted)
		come, leave = missingFrom(wanted, listed), missingFrom(listed, wanted)
	}
	undo.Group.Amend = true
	undo.Group.Remove = missingFrom(come, listed)
	for _, name := range leave {
		if _, there := slices.BinarySearch(listed, name); there {
			undo.Group.Add = append(undo.Group.Add, name)
		}
	}
	return undo, nil
}

// folded are names as groups keep them, sorted.
func folded(names []string) []string {
	keys := make([]string, len(names))
	for i, name := range names {
		keys[i] = text.Fold(name)
	}
	slices.Sort(keys)
	return slices.Compact(keys)
}

var errNoUndo = errors.New("nothing takes it back")

// undoing reads what takes an edit back.
func undoing(r store.ChangeEdit) (change.Edit, error) {
	var e change.Edit
	if r.Undo == nil {
		return e, errNoUndo
	}
	if err := json.Unmarshal([]byte(*r.Undo), &e); err != nil {
		return e, fmt.Errorf("reading what takes an edit back: %w", err)
	}
	return e, nil
}
