package store

import (
	"time"

	"rankwarden.example/core/rights"
)

// ScopesByDigest reads the assignments of scopes, as JSON by digest.
func (t FindingsReader) ScopesByDigest(digests []string) ([]Scope, error) {
	return rows[Scope](t, "select digest, assignments from scopes where digest = any($1)", digests)
}

// LanesByDigest reads what is settled for scopes, as JSON.
func (t FindingsReader) LanesByDigest(digests []string) ([]Scope, error) {
	return rows[Scope](t, "select digest, lane from scopes where digest = any($1)", digests)
}

// RecentFindings are findings of devices in reach that came or were closed since a time, latest first.
func (t FindingsReader) RecentFindings(reach rights.Reach, since time.Time, limit int) ([]Finding, error) {
	within, args := inReach(reach)
	return rows[Finding](t, `select f.*, d.name as device from findings f join devices d on d.id = f.device_id
		where coalesce(f.closed_at, f.first_seen) >= ? and d.state = 'live' and `+within+
		` order by coalesce(f.closed_at, f.first_seen) desc limit ?`,
		append(append([]any{since}, args...), limit)...)
}
