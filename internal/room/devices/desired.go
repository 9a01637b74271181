package devices

import (
	"context"
	"fmt"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Desired reads what devices should have. [*store.Store] has it.
type Desired interface {
	NewestDesired(ctx context.Context, devices []string) (map[string]store.NewestDesired, error)
}

// wanted is a device that is to be told its newest desired state.
type wanted struct {
	device string
	found  store.NewestDesired
}

// SignedDesired is the newest desired state of a device, signed, with its stamp. The document is
// empty while there is none. Those of devices that ask at the same time are read together.
func (s *Service) SignedDesired(ctx context.Context, id string) (string, drift.Stamp, error) {
	want := &wanted{device: id}
	if err := s.wanted.Do(ctx, id, want, s.readDesired); err != nil {
		return "", drift.Stamp{}, err
	}
	state := want.found
	if state.Stamp.Number == 0 {
		return "", state.Stamp, nil
	}
	asking, err := s.Scopes.Asking(s.Read(ctx), state.Settings)
	if err != nil {
		return "", state.Stamp, err
	}
	document, err := asking.Of(id, state.Name, state.Stamp.Epoch, state.Stamp.Number)
	if err == nil && protocol.Digest(document) != state.Stamp.Digest {
		err = fmt.Errorf(
			"the desired state %d/%d of %s does not have the digest it was stored with",
			state.Stamp.Epoch,
			state.Stamp.Number,
			state.Name,
		)
	}
	if err != nil {
		return "", state.Stamp, err
	}
	key := s.Keys.Signing()
	signed, err := protocol.Sign(key, protocol.Header{KeyID: key.ID, Time: s.Now()}, document, false)
	return signed, state.Stamp, err
}

func (s *Service) readDesired(ctx context.Context, list []*wanted) []error {
	errs := make([]error, len(list))
	devices := make([]string, len(list))
	for i, want := range list {
		devices[i] = want.device
	}
	found, err := s.Desired.NewestDesired(ctx, devices)
	for i, want := range list {
		state, there := found[want.device]
		if errs[i] = err; err == nil && !there {
			errs[i] = store.ErrNotFound
		}
		want.found = state
	}
	return errs
}
