package service

import (
	"context"
	"errors"
	"time"

	"rankwarden.example/core/text"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// outOfReach is given when an operator has a right, but not on a device.
type outOfReach struct{ device string }

func (o *outOfReach) Error() string { return o.device + " is out of reach" }

// refusal says of a device that the operator may see that the right does not reach it.
func (o *outOfReach) refusal() *Error {
	return failf(Forbidden, "your role does not reach the device %s; ask an owner to give it on a group that the device is in", o.device).code("out_of_reach")
}

// visible finds a device by identifier or name. One that the operator may not see does not exist for them.
func (s *Service) visible(tx store.Tx, who auth.Identity, idOrName string) (store.Device, error) {
	d, err := tx.Device(s.clock(), idOrName, text.Fold(idOrName))
	if err != nil {
		return d, named(err, "device", idOrName)
	}
	reach := who.Reach(auth.Look)
	if reach.Everywhere() {
		return d, nil
	}
	outside, err := tx.OutOfReach(reach, []string{d.ID})
	if err == nil && outside != "" {
		var refusal *Error
		if err = named(store.ErrNotFound, "device", idOrName); errors.As(err, &refusal) {
			refusal.hidden = true
		}
	}
	if err != nil {
		return store.Device{}, err
	}
	return d, nil
}

// inReach gives an [outOfReach] when the identity does not have the right on all of the devices.
func (s *Service) inReach(tx store.Tx, who auth.Identity, right auth.Right, devices []string) error {
	reach := who.Reach(right)
	if reach.Everywhere() || len(devices) == 0 {
		return nil
	}
	device, err := tx.OutOfReach(reach, devices)
	if err != nil {
		return err
	}
	if device != "" {
		return &outOfReach{device}
	}
	return nil
}

// beyondReach refuses an edit that would take effect on devices out of the editor's reach.
func beyondReach(n int) error {
	return failf(Forbidden, "this would take effect on %d devices that your role does not reach, so nothing was changed. "+
		"Limit it to a group in your reach (within), or ask an owner", n).code("out_of_reach")
}

// mayAim refuses an edit of assignments that reach, before or after it, devices out of the editor's reach.
func (s *Service) mayAim(tx store.Tx, who auth.Identity, assignments ...*store.Assignment) error {
	reach := who.Reach(auth.Deploy)
	if reach.Everywhere() {
		return nil
	}
	most := 0
	for _, a := range assignments {
		if a == nil {
			continue
		}
		n, err := tx.CountAimedOutside(reach, store.Aim{Include: a.Include, Exclude: a.Exclude, Within: a.Within})
		if err != nil {
			return err
		}
		most = max(most, n)
	}
	if most > 0 {
		return beyondReach(most)
	}
	return nil
}

// mayRegroup refuses an edit of who is in a group: by whoever is no owner when an operator's reach names
// the group, and when a device or name that comes or goes is out of the editor's reach.
func (s *Service) mayRegroup(tx store.Tx, who auth.Identity, group string, names []string) error {
	if who.May(auth.Administer) {
		return nil
	}
	operators, err := tx.OperatorsReaching(group)
	if err != nil {
		return err
	}
	if len(operators) > 0 {
		return failf(Forbidden, "the group %q decides what operators may reach, so only an owner can change who is in it", group).code("group_gives_reach")
	}
	reach := who.Reach(auth.Deploy)
	if reach.Everywhere() {
		return nil
	}
	n, err := tx.CountOutside(reach, names)
	if err == nil && n > 0 {
		err = beyondReach(n)
	}
	return err
}

// refused puts an attempt on the trail that was refused for want of a right or of reach, and gives what
// the operator is told.
func (s *Service) refused(ctx context.Context, who auth.Identity, what record, err error) error {
	var outside *outOfReach
	var refusal *Error
	switch {
	case errors.As(err, &outside):
		return s.refuse(ctx, who, what, outside.refusal())
	case errors.As(err, &refusal) && refusal.Kind == Forbidden:
		return s.refuse(ctx, who, what, refusal)
	}
	return err
}

// Past narrows a list of what happened. Empty fields do not.
type Past struct {
	Device string // identifier or name
	Group  string
	Since  time.Time
	Until  time.Time
}

// narrow is a list of the past narrowed to what an operator may see, a group, and a device.
func (s *Service) narrow(ctx context.Context, who auth.Identity, p Past) (store.Narrow, error) {
	n := store.Narrow{Reach: who.Reach(auth.Look), Group: p.Group, Since: p.Since, Until: p.Until}
	if p.Device != "" {
		d, err := s.visible(s.Store.With(ctx), who, p.Device)
		n.Few = []string{d.ID}
		return n, err
	}
	if err := s.groupExists(ctx, p.Group); err != nil {
		return n, err
	}
	if n.Reach.Everywhere() && (n.Group == "" || n.Group == auth.Everything) {
		return n, nil
	}
	if ids, all := s.View.IDs(n.Reach, n.Group, store.MostFew); all <= store.MostFew {
		n.Few = append([]string{}, ids...)
	}
	return n, nil
}

// groupExists refuses a group that does not exist, with the nearest one that does; none is no restriction.
func (s *Service) groupExists(ctx context.Context, group string) error {
	if group == "" {
		return nil
	}
	err := s.groupsExist(s.Store.With(ctx), "group", []string{group})
	var refusal *Error
	if errors.As(err, &refusal) {
		return refusal.asked()
	}
	return err
}
