package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// Seen is what every replica keeps in memory of a device for the lists and counts of operators.
type Seen struct {
	Stands
	ID, Name, NameKey, State                              string
	Serial, Model, Platform, OSVersion, Path, PrimaryUser string
	OSBuild                                               int
	Tags                                                  []string
	Scope                                                 string
	Held                                                  []resolve.Held
	RepeatedlyReverted                                    []unit.ID
	DesiredDigest                                         string
	Locked                                                []LockedAccount
}

const seenColumns = standsColumns + `, id, name, name_key, state, serial, model, platform, os_version, path, primary_user, os_build, tags,
	coalesce(scope, ''), held, repeatedly_reverted, desired_digest, locked`

// LockedAccount is an account that is locked after wrong passwords, as the device reported last.
type LockedAccount struct {
	Name  string     `json:"name"`
	SID   string     `json:"sid"`
	Until *time.Time `json:"until"` // nil until someone unlocks it
}

// SeenMembership is a folded name that is certainly in a group, by the group's identifier.
type SeenMembership struct{ Group, Device string }

// SeenFinding is an open finding.
type SeenFinding struct {
	ID                 int64
	Device, Unit, Kind string
	FirstSeen          time.Time
}

// SeenRotation is a password that a device changes.
type SeenRotation struct {
	Device, Target, Name string
	ChangedAt            *time.Time
	EveryMinutes         *int
	Unrecovered          bool // no copy is sealed to a recovery key
}

// SeenDevices is what is kept in memory of some devices, or of all.
type SeenDevices struct {
	Devices     []Seen
	Memberships []SeenMembership // of their names
	Findings    []SeenFinding
	Rotations   []SeenRotation
	Groups      map[string]string // names by identifier, of all groups
}

// SeeDevices reads, as of one moment, devices by identifier, or all when ids is nil. It goes past GORM,
// since it reads whole fleets.
func (s *Store) SeeDevices(ctx context.Context, ids []string) (SeenDevices, error) {
	var seen SeenDevices
	err := pgx.BeginTxFunc(
		ctx,
		s.jobs,
		pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly},
		func(tx pgx.Tx) (err error) {
			some, args := func(string) string { return "" }, []any{}
			if ids != nil {
				some = func(column string) string { return " and " + column + " = any($1)" }
				args = []any{ids}
			}
			if seen.Devices, err = collect[Seen](ctx, tx, "select "+seenColumns+" from devices d where true"+some("id"), args...); err != nil {
				return err
			}
			if seen.Findings, err = collect[SeenFinding](ctx, tx, "select id, device_id, unit, kind, first_seen from findings "+
				"where state = 'open'"+some("device_id"), args...); err != nil {
				return err
			}
			if seen.Rotations, err = collect[SeenRotation](ctx, tx, `select r.device_id, r.target, r.name, r.changed_at,
				r.every_minutes, x.number is not null from rotations r
			left join deposits x on x.device_id = r.device_id and x.target = r.target and x.state = 'current' and
			x.recovery_number is null where true`+some("r.device_id")+" order by r.device_id, r.target", args...); err != nil {
				return err
			}
			if ids != nil {
				names := make([]string, len(seen.Devices))
				for i, d := range seen.Devices {
					names[i] = d.NameKey
				}
				args = []any{names}
			}
			if seen.Memberships, err = collect[SeenMembership](ctx, tx, "select group_id, device from group_members where "+
				"certain"+some("device"), args...); err != nil {
				return err
			}
			groups, err := collect[struct{ ID, Name string }](ctx, tx, "select id, name from groups")
			seen.Groups = make(map[string]string, len(groups))
			for _, g := range groups {
				seen.Groups[g.ID] = g.Name
			}
			return err
		},
	)
	if err != nil {
		return seen, fmt.Errorf("reading devices: %w", err)
	}
	return seen, nil
}

func collect[T any](ctx context.Context, tx pgx.Tx, query string, args ...any) ([]T, error) {
	found, err := tx.Query(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(found, pgx.RowToStructByPos[T])
}
