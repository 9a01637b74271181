package changes

import (
	"slices"
	"sync"
)

// recentFutures keeps the plans of the previews that were paged through last. The zero value is ready to use.
type recentFutures struct {
	mu    sync.Mutex
	keys  []string // the oldest first
	plans []*futures
}

const mostRecent = 4

func (r *recentFutures) get(key string) *futures {
	r.mu.Lock()
	defer r.mu.Unlock()
	if at := slices.Index(r.keys, key); at >= 0 {
		return r.plans[at]
	}
	return nil
}

func (r *recentFutures) put(key string, f *futures) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if at := slices.Index(r.keys, key); at >= 0 {
		r.keys, r.plans = slices.Delete(r.keys, at, at+1), slices.Delete(r.plans, at, at+1)
	}
	if len(r.keys) == mostRecent {
		r.keys, r.plans = slices.Delete(r.keys, 0, 1), slices.Delete(r.plans, 0, 1)
	}
	r.keys, r.plans = append(r.keys, key), append(r.plans, f)
}
