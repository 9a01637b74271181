package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/wire/protocol"
)

// ReportBatch is one transaction that takes reports of several devices. What it needs of the devices is read in one
// round trip, and what comes of it is stored in another; only names of the directory, and what nobody keeps in memory,
// are asked for in between. Reports come by the thousand, so that it goes past GORM.
type ReportBatch struct {
	ctx       context.Context
	conn      *pgxpool.Conn
	devices   map[string]Device
	rotations map[string][]Rotation
	open      map[string][]Finding
	waived    map[string][]protocol.Waived
	ended     map[string][]warrant.Warrant
	taken     []TakenReport
}

// TakenReport is a report and what comes of it.
type TakenReport struct {
	Report
	OpenFindings       int
	VerifiedAt         *time.Time // nil where something failed or differs, or the newest desired state is another
	RepeatedlyReverted []unit.ID
	Mismatched         bool
	Locked             []LockedAccount
	Next               []drift.Rotation // when passwords are due again
	Rules              map[principal.Ref]int
	RulesDiffer        bool               // Rules are in force from now on, in minutes by target
	Fresh              []Finding          // were not there before
	Again              []Finding          // were open and still are, with their present values
	Moved              map[string][]int64 // identifiers by the state that they have from now on
	Gone               []int64            // identifiers
	Inventory          *TakenInventory    // nil where it is the one that was there before
}

// TakeReports locks devices, has judge look at their reports, and stores what it says with [ReportBatch.Store]. Devices
// that something else holds are waited for, or passed over and then busy.
func (s *Store) TakeReports(ctx context.Context, devices []string, waits bool, judge func(b *ReportBatch) error) error {
	return translate(s.pools[classOf(ctx)].AcquireFunc(ctx, func(conn *pgxpool.Conn) error {
		b := &ReportBatch{ctx: ctx, conn: conn, devices: map[string]Device{}, rotations: map[string][]Rotation{},
			open: map[string][]Finding{}, waived: map[string][]protocol.Waived{},
			ended: map[string][]warrant.Warrant{}}
		err := b.read(devices, waits)
		if err == nil {
			err = judge(b)
		}
		if err == nil && len(b.taken) > 0 {
			err = b.write()
		}
		if conn.Conn().PgConn().TxStatus() != 'I' { // also where there was nothing to store
			_, back := conn.Exec(context.WithoutCancel(ctx), "rollback")
			err = errors.Join(err, back)
		}
		return err
	}))
}

// read reads what judging needs. It is long because its queries go in one round trip, and each is short.
func (b *ReportBatch) read(devices []string, waits bool) error {
	var q pgx.Batch
	held := " skip locked"
	if waits {
		held = ""
	}
	q.Queue("begin")
	q.Queue(`select id, name, name_key, state, platform, os_version, os_build, agent_version, epoch, seq, desired_epoch,
		desired_number,
		desired_digest, settings_digest, scope, open_findings, name_refused, inventory from devices where id = any($1)
		order by id for no key update`+held,
		devices).
		Query(func(rows pgx.Rows) error {
			var d Device
			_, err := pgx.ForEachRow(
				rows,
				[]any{
					&d.ID,
					&d.Name,
					&d.NameKey,
					&d.State,
					&d.Platform,
					&d.OSVersion,
					&d.OSBuild,
					&d.AgentVersion,
					&d.Epoch,
					&d.Seq,
					&d.DesiredEpoch,
					&d.DesiredNumber,
					&d.DesiredDigest,
					&d.SettingsDigest,
					&d.Scope,
					&d.OpenFindings,
					&d.NameRefused,
					&d.Inventory,
				},
				func() error {
					b.devices[d.ID] = d
					d.Scope = nil // the next is another
					return nil
				},
			)
			return err
		})
	q.Queue("select device_id, target, changed_at, next_at, every_minutes from rotations where device_id = any($1) "+
		"order by 1, 2",
		devices).
		Query(func(rows pgx.Rows) error {
			var r Rotation
			_, err := pgx.ForEachRow(
				rows,
				[]any{&r.DeviceID, &r.Target, &r.ChangedAt, &r.NextAt, &r.EveryMinutes},
				func() error {
					b.rotations[r.DeviceID] = append(b.rotations[r.DeviceID], r)
					r = Rotation{}
					return nil
				},
			)
			return err
		})
	q.Queue("select id, device_id, key, state from findings where device_id = any($1) and closed_at is null",
		devices).Query(func(rows pgx.Rows) error {
		var f Finding
		_, err := pgx.ForEachRow(rows, []any{&f.ID, &f.DeviceID, &f.Key, &f.State}, func() error {
			b.open[f.DeviceID] = append(b.open[f.DeviceID], f)
			return nil
		})
		return err
	})
	q.Queue("select device_id, unit, subject, until from waivers where device_id = any($1) and state = 'active'",
		devices).Query(func(rows pgx.Rows) error {
		var device, name string
		var w protocol.Waived
		_, err := pgx.ForEachRow(rows, []any{&device, &name, &w.Subject, &w.Until}, func() error {
			if id, wrong := unit.Parse(name); wrong == nil { // it may be of a unit that is not known any more
				w.Unit = id
				b.waived[device] = append(b.waived[device], w)
			}
			return nil
		})
		return err
	})
	q.Queue("select wd.device_id, w.unit, w.principal, w.ended_at from warrant_devices wd join warrants w "+
		"on w.id = wd.warrant_id where wd.device_id = any($1) and not wd.was_member "+
		"and w.decided_at is not null and w.state in ('ended', 'taken_back') "+
		"and w.ended_at > now() - interval '40 days'", devices).Query(b.takeEnded)
	return b.conn.SendBatch(b.ctx, &q).Close()
}

// takeEnded reads warrants that are over, each with its end as it came.
func (b *ReportBatch) takeEnded(rows pgx.Rows) error {
	var device, name, holder string
	var until time.Time
	_, err := pgx.ForEachRow(rows, []any{&device, &name, &holder, &until}, func() error {
		if w, known := readWarrant(name, holder); known {
			w.Until = until
			b.ended[device] = append(b.ended[device], w)
		}
		return nil
	})
	return err
}

// Ended are the warrants of a device that are over and made somebody a member who was none before.
func (b *ReportBatch) Ended(device string) []warrant.Warrant { return b.ended[device] }

// IsBusy reports whether a device that was asked for is there, and was passed over because something else holds it.
func (b *ReportBatch) IsBusy(id string) (busy bool, err error) {
	if _, locked := b.devices[id]; locked {
		return false, nil
	}
	err = b.conn.QueryRow(b.ctx, "select exists (select from devices where id = $1)", id).Scan(&busy)
	return busy, err
}

// Device is one of the devices that were asked for; it is not there where nobody knows it, or where it is busy.
func (b *ReportBatch) Device(id string) (d Device, there bool) {
	d, there = b.devices[id]
	return d, there
}

// Rotations are the passwords of a device, by target.
func (b *ReportBatch) Rotations(device string) []Rotation { return b.rotations[device] }

// OpenFindings are those of a device, also waived ones.
func (b *ReportBatch) OpenFindings(device string) []Finding { return b.open[device] }

// Waived is what a device leaves alone.
func (b *ReportBatch) Waived(device string) []protocol.Waived { return b.waived[device] }

// DigestOf is the digest of the request that brought a report, empty when there is no such report.
func (b *ReportBatch) DigestOf(device string, epoch, seq int64) (digest string, err error) {
	err = b.conn.QueryRow(b.ctx, "select digest from reports where device_id = $1 and epoch = $2 and seq = $3", device,
		epoch, seq).
		Scan(&digest)
	if errors.Is(err, pgx.ErrNoRows) {
		return "", nil
	}
	return digest, err
}

// DirectoryTable reads what the directory knows of references.
func (b *ReportBatch) DirectoryTable(refs []principal.Ref) (*principal.Table, error) {
	if len(refs) == 0 {
		return principal.NewTable(nil), nil
	}
	names, sids, guids := directoryKeys(refs)
	found, err := b.conn.Query(
		b.ctx,
		"select ref, sid, guid from directory_entries where ref = any($1) or sid = any($2) or guid = any($3)",
		names,
		sids,
		guids,
	)
	if err != nil {
		return nil, err
	}
	var entries []principal.Entry
	var e DirectoryEntry
	_, err = pgx.ForEachRow(found, []any{&e.Ref, &e.SID, &e.GUID}, func() error {
		entries = append(entries, e.Entry())
		e.GUID = nil
		return nil
	})
	return principal.NewTable(entries), err
}

// Asked reads what is asked under the given digest, nothing for an empty one.
func (b *ReportBatch) Asked(digest string) (asked protocol.DesiredContent, err error) {
	if digest == "" {
		return asked, nil
	}
	var body string
	if err := b.conn.QueryRow(b.ctx, "select body from settings where digest = $1", digest).Scan(&body); err != nil {
		return asked, err
	}
	return asked, json.Unmarshal([]byte(body), &asked)
}

// Scope finds one.
func (b *ReportBatch) Scope(digest string) (s Scope, err error) {
	err = b.conn.QueryRow(b.ctx, "select digest, assignments, lane from scopes where digest = $1", digest).
		Scan(&s.Digest, &s.Assignments, &s.Lane)
	return s, err
}

// Store stores a report with the others.
func (b *ReportBatch) Store(r TakenReport) { b.taken = append(b.taken, r) }
