package uow

import "context"

// Batches are the transactions of reports: what many devices say at once is judged and stored together, by devices,
// which need no right and leave nothing on the trail. B is what a batch gives those who judge it.
type Batches[B any] struct {
	take func(ctx context.Context, devices []string, waits bool, judge func(b B) error) error
}

// NewBatches makes them over what takes a batch in one transaction.
func NewBatches[B any](
	take func(ctx context.Context, devices []string, waits bool, judge func(b B) error) error,
) Batches[B] {
	return Batches[B]{take}
}

// Do locks devices and has judge look at what they said; what that stores is stored when it returns no error. Devices
// that something else holds are waited for, or passed over.
func (b Batches[B]) Do(ctx context.Context, devices []string, waits bool, judge func(b B) error) error {
	return b.take(ctx, devices, waits, judge)
}
