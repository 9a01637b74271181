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
	"rankwarden.example/internal/kit/notices"
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
	taken     []TakenReport
}

// TakenReport is a report and what comes of it.
type TakenReport struct {
	Report
	OpenFindings       int
	VerifiedAt         *time.Time // nil where it says nothing of the newest desired state
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
}

// TakeReports locks devices, has judge look at their reports, and stores what it says with [ReportBatch.Take]. Devices
// that something else holds are waited for, or passed over and then busy.
func (s *Store) TakeReports(ctx context.Context, devices []string, waits bool, judge func(b *ReportBatch) error) error {
	return translate(s.pools[classOf(ctx)].AcquireFunc(ctx, func(conn *pgxpool.Conn) error {
		b := &ReportBatch{ctx: ctx, conn: conn, devices: map[string]Device{}, rotations: map[string][]Rotation{},
			open: map[string][]Finding{}, waived: map[string][]protocol.Waived{}}
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

func (b *ReportBatch) read(devices []string, waits bool) error {
	var q pgx.Batch
	held := " skip locked"
	if waits {
		held = ""
	}
	q.Queue("begin")
	q.Queue(`select id, name, name_key, state, platform, os_version, os_build, agent_version, epoch, seq, desired_epoch,
		desired_number,
		desired_digest, settings_digest, scope, open_findings from devices where id = any($1)
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
	return b.conn.SendBatch(b.ctx, &q).Close()
}

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

// Take stores a report with the others.
func (b *ReportBatch) Take(r TakenReport) { b.taken = append(b.taken, r) }

// write stores what was taken, tells other replicas, and commits.
func (b *ReportBatch) write() error {
	var q pgx.Batch
	b.writeReports(&q)
	b.writePasswords(&q)
	b.writeFindings(&q)
	ids := make([]string, len(b.taken))
	for i, r := range b.taken {
		ids[i] = r.DeviceID
	}
	for _, message := range messages(notices.Notice{Topic: TopicReports, IDs: ids}) {
		q.Queue(notify, channel, message)
	}
	q.Queue("commit")
	return b.conn.SendBatch(b.ctx, &q).Close()
}

func (b *ReportBatch) writeReports(q *pgx.Batch) {
	var devices, digests, bodies, reverted, locked []string
	var epochs, seqs, desiredEpochs, desiredNumbers, open []int64
	var made, received []time.Time
	var verified []*time.Time
	var mismatched []bool
	var contents [][]byte
	for _, r := range b.taken {
		contents = append(contents, bodyDigest(r.DeviceID, r.Body))
		devices, digests, bodies = append(devices, r.DeviceID), append(digests, r.Digest), append(bodies, r.Body)
		epochs, seqs, open = append(epochs, r.Epoch), append(seqs, r.Seq), append(open, int64(r.OpenFindings))
		desiredEpochs, desiredNumbers = append(desiredEpochs, r.DesiredEpoch), append(desiredNumbers, r.DesiredNumber)
		made, received, verified = append(made, r.At), append(received, r.ReceivedAt), append(verified, r.VerifiedAt)
		mismatched = append(mismatched, r.Mismatched)
		reverted, locked = append(reverted, toJSON(r.RepeatedlyReverted)), append(locked, toJSON(r.Locked))
	}
	q.Queue(
		`with s as (select * from unnest($1::text[], $2::bigint[], $3::bigint[], $4::bigint[], $5::bigint[],
			$6::timestamptz[],
			$7::timestamptz[], $8::text[], $9::text[], $10::bigint[], $11::timestamptz[], $12::text[], $13::boolean[],
			$14::text[],
			$15::bytea[]) as s(device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest, body,
			open, verified,
			reverted, mismatched, locked, content)),
		c as (insert into report_bodies (month, digest, device_id, body)
			select date_trunc('month', received_at at time zone 'UTC'), content, device_id, body::jsonb from s
			on conflict do nothing),
		r as (insert into device_reports (device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest,
		body_digest)
			select device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest, content from s
			returning id, device_id),
		v as (update desired_states x set verified_at = s.verified from s join devices o on o.id = s.device_id
			where s.verified is not null and (o.reported_epoch, o.reported_number) is distinct from (s.desired_epoch,
			s.desired_number)
			and x.device_id = s.device_id and x.epoch = s.desired_epoch and x.number = s.desired_number
			and x.created_at = o.desired_at
			and x.verified_at is null)
		update devices d set epoch = s.epoch, seq = s.seq, reported_epoch = s.desired_epoch,
		reported_number = s.desired_number,
			reported_at = s.received_at, report_id = r.id, open_findings = s.open, verified_at = coalesce(s.verified,
			d.verified_at),
			repeatedly_reverted = s.reverted::jsonb, mismatched = s.mismatched, locked = s.locked::jsonb,
			last_contact = greatest(d.last_contact, s.received_at), changed_at = now()
		from s join r using (device_id) where d.id = s.device_id`,
		devices,
		epochs,
		seqs,
		desiredEpochs,
		desiredNumbers,
		made,
		received,
		digests,
		bodies,
		open,
		verified,
		reverted,
		mismatched,
		locked,
		contents,
	)
}

func (b *ReportBatch) writePasswords(q *pgx.Batch) {
	var devices, targets []string
	var next []*time.Time
	for _, r := range b.taken {
		for _, n := range r.Next {
			devices, targets, next = append(devices, r.DeviceID), append(targets, n.Target.String()),
				append(next, n.Next)
		}
		if r.RulesDiffer {
			ruled, minutes := []string{}, []int64{}
			for target, m := range r.Rules {
				ruled, minutes = append(ruled, target.String()), append(minutes, int64(m))
			}
			q.Queue(`update rotations r set every_minutes = (select e.minutes from unnest($2::text[], $3::bigint[]) as
				e(target, minutes) where e.target = r.target) where device_id = $1`, r.DeviceID, ruled, minutes)
		}
	}
	if len(devices) > 0 {
		q.Queue(`update rotations r set next_at = n.next_at from unnest($1::text[], $2::text[], $3::timestamptz[]) as
			n(device_id, target, next_at) where r.device_id = n.device_id and r.target = n.target
			and r.next_at is distinct
			from n.next_at`, devices, targets, next)
	}
}

func (b *ReportBatch) writeFindings(q *pgx.Batch) {
	var fresh, again []Finding
	var gone []int64
	moved := map[string][]int64{}
	at := b.taken[0].ReceivedAt
	for _, r := range b.taken {
		fresh, again, gone = append(fresh, r.Fresh...), append(again, r.Again...), append(gone, r.Gone...)
		for state, ids := range r.Moved {
			moved[state] = append(moved[state], ids...)
		}
	}
	if len(gone) > 0 {
		q.Queue("update findings set state = 'settled', closed_at = $2 where id = any($1::bigint[]) "+
			"and closed_at is null", gone, at)
	}
	for state, ids := range moved {
		q.Queue("update findings set state = $2 where id = any($1::bigint[]) and closed_at is null", ids, state)
	}
	if len(again) > 0 {
		ids, actual, whose := make([]int64, len(again)), make([]*string, len(again)), make([]string, len(again))
		for i, f := range again {
			ids[i], actual[i], whose[i] = f.ID, f.Actual, toJSON(f.Assignments)
		}
		q.Queue(`update findings f set last_seen = $4, actual = s.actual::jsonb, assignments = s.assignments::jsonb
			from unnest($1::bigint[], $2::text[], $3::text[]) as s(id, actual, assignments)
			where f.id = s.id and f.closed_at is null`, ids, actual, whose, at)
	}
	if len(fresh) > 0 {
		queueFindings(q, fresh)
	}
}

func queueFindings(q *pgx.Batch, list []Finding) {
	var devices, keys, units, kinds, subjects, whose, states []string
	var expected, actual []*string
	var first []time.Time
	var closed []*time.Time
	for _, f := range list {
		devices, keys, units = append(devices, f.DeviceID), append(keys, f.Key), append(units, f.Unit)
		kinds, subjects, states = append(kinds, f.Kind), append(subjects, f.Subject), append(states, f.State)
		expected, actual, whose = append(expected, f.Expected), append(actual, f.Actual),
			append(whose, toJSON(f.Assignments))
		first, closed = append(first, f.FirstSeen), append(closed, f.ClosedAt)
	}
	q.Queue(
		`insert into findings (device_id, key, unit, kind, subject, expected, actual, assignments, state, first_seen,
			last_seen, closed_at)
		select device_id, key, unit, kind, subject, expected::jsonb, actual::jsonb, assignments::jsonb, state, at, at,
		closed_at
		from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[], $8::text[],
		$9::text[],
			$10::timestamptz[], $11::timestamptz[]) as f(device_id, key, unit, kind, subject, expected, actual,
			assignments,
			state, at, closed_at)`,
		devices,
		keys,
		units,
		kinds,
		subjects,
		expected,
		actual,
		whose,
		states,
		first,
		closed,
	)
}
