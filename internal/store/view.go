package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// ViewDevice is what every replica keeps in memory of a device for the lists and counts of operators.
type ViewDevice struct {
	StandingColumns
	ID, Name, NameKey, State                              string
	Serial, Model, Platform, OSVersion, Path, PrimaryUser string
	OSBuild                                               int
	AgentVersion                                          string
	Tags                                                  []string
	Scope                                                 string
	Held                                                  []resolve.HeldUnit
	RepeatedlyReverted                                    []unit.ID
	DesiredDigest                                         string
	Locked                                                []LockedAccount
	UnknownAccounts                                       string // see [inventory.Inventory.Unknown]
}

const viewColumns = standsColumns + `, id, name, name_key, state, serial, model, platform, os_version, path, primary_user, os_build, agent_version, tags,
	coalesce(scope, ''), held, repeatedly_reverted, desired_digest, locked,
	unknown_accounts`

// LockedAccount is an account that is locked after wrong passwords, as the device reported last.
type LockedAccount struct {
	Name  string     `json:"name"`
	SID   string     `json:"sid"`
	Until *time.Time `json:"until"` // nil until someone unlocks it
}

// ViewMembership is a device that is certainly in a group, by their identifiers.
type ViewMembership struct{ Group, Device string }

// ViewFinding is an open finding.
type ViewFinding struct {
	ID                 int64
	Device, Unit, Kind string
	FirstSeen          time.Time
	Assignments        string // that decided it, as the JSON that is stored
}

// DecidedBy reports whether an assignment decided the setting of a finding. A name has no character that JSON escapes.
func (f ViewFinding) DecidedBy(assignment string) bool {
	return strings.Contains(f.Assignments, `"`+assignment+`"`)
}

// ViewRotation is a password that a device changes.
type ViewRotation struct {
	Device, Target, Name string
	ChangedAt            *time.Time
	EveryMinutes         *int
	Unrecovered          bool // no copy is sealed to a recovery key
}

// AccountIs is what a local account is, as bits.
type AccountIs uint8

// The bits of [AccountIs].
const (
	AccountEnabled AccountIs = 1 << iota
	AccountPrivileged
	AccountManaged
	AccountBuiltin
)

// ViewAccounts are the local accounts of a device.
type ViewAccounts struct {
	Device string
	Names  []string
	Are    []int16 // each an [AccountIs]
}

// ViewRecords is what is kept in memory of some devices, or of all.
type ViewRecords struct {
	Devices     []ViewDevice
	Memberships []ViewMembership
	Former      []FormerName // that the devices keep
	Findings    []ViewFinding
	Rotations   []ViewRotation
	Accounts    []ViewAccounts
	Groups      map[string]string // names by identifier, of all groups
}

// SeeDevices reads, as of one moment, devices by identifier, or all when ids is nil. It goes past GORM,
// since it reads whole fleets.
func (s *Store) SeeDevices(ctx context.Context, ids []string) (ViewRecords, error) {
	var view ViewRecords
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
			if view.Devices, err = collect[ViewDevice](ctx, tx,
				"select "+viewColumns+" from devices d where true"+some("id"), args...); err != nil {
				return err
			}
			if view.Findings, err = collect[ViewFinding](ctx, tx,
				"select id, device_id, unit, kind, first_seen, assignments::text from findings where state = 'open'"+
					some("device_id"), args...); err != nil {
				return err
			}
			intern(view.Findings)
			if view.Rotations, err = collect[ViewRotation](ctx, tx, `select r.device_id, r.target, r.name, r.changed_at,
				r.every_minutes, x.number is not null from rotations r
			left join deposits x on x.device_id = r.device_id and x.target = r.target and x.state = 'current' and
			x.recovery_number is null where true`+some("r.device_id")+" order by r.device_id, r.target",
				args...); err != nil {
				return err
			}
			if view.Accounts, err = collect[ViewAccounts](ctx, tx, `select device_id, array_agg(name),
				array_agg((enabled::int + 2 * privileged::int + 4 * (key <> '')::int + 8 * (builtin <> '')::int)::int2)
				from inventory_accounts where true`+some("device_id")+" group by device_id", args...); err != nil {
				return err
			}
			if view.Memberships, err = collect[ViewMembership](ctx, tx,
				"select group_id, device_id from members where certain"+some("device_id"), args...); err != nil {
				return err
			}
			if view.Former, err = collect[FormerName](ctx, tx,
				"select name_key, name, device_id, until from former_names where until > now()"+some("device_id"),
				args...); err != nil {
				return err
			}
			groups, err := collect[struct{ ID, Name string }](ctx, tx, "select id, name from groups")
			view.Groups = make(map[string]string, len(groups))
			for _, g := range groups {
				view.Groups[g.ID] = g.Name
			}
			return err
		},
	)
	if err != nil {
		return view, fmt.Errorf("reading devices: %w", err)
	}
	return view, nil
}

// intern has findings share the text of their assignments: a fleet has few that differ.
func intern(findings []ViewFinding) {
	known := map[string]string{}
	for i := range findings {
		text, there := known[findings[i].Assignments]
		if !there {
			text = findings[i].Assignments
			known[text] = text
		}
		findings[i].Assignments = text
	}
}

func collect[T any](ctx context.Context, tx pgx.Tx, query string, args ...any) ([]T, error) {
	found, err := tx.Query(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(found, pgx.RowToStructByPos[T])
}
