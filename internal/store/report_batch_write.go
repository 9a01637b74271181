package store

import (
	"time"

	"github.com/jackc/pgx/v5"

	"rankwarden.example/internal/kit/notices"
)

// write stores what was taken, tells other replicas, and commits.
func (b *ReportBatch) write() error {
	var q pgx.Batch
	b.writeReports(&q)
	b.writePasswords(&q)
	b.writeFindings(&q)
	b.writeInventories(&q)
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
		contents = append(contents, r.Content)
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
			select s.month, content, device_id, body::jsonb
			from (select *, date_trunc('month', received_at at time zone 'UTC') as month from s) s
			where not exists (select from report_bodies k where k.month = s.month and k.digest = s.content)
			on conflict do nothing),
		r as (insert into device_reports (device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest,
		body_digest)
			select device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest, content from s
			returning id, device_id),
		v as (update desired_states x set verified_at = s.verified from s join devices o on o.id = s.device_id
			where s.verified is not null and o.verified_at is null
			and x.device_id = s.device_id and x.epoch = s.desired_epoch and x.number = s.desired_number
			and x.created_at = o.desired_at
			and x.verified_at is null)
		update devices d set epoch = s.epoch, seq = s.seq, reported_epoch = s.desired_epoch,
		reported_number = s.desired_number,
			reported_at = s.received_at, report_id = r.id, open_findings = s.open,
			verified_at = case when (s.desired_epoch, s.desired_number) = (d.desired_epoch, d.desired_number)
				then s.verified else d.verified_at end,
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
		q.Queue("update findings set state = 'closed', closed_at = $2 where id = any($1::bigint[]) "+
			"and closed_at is null", gone, at)
	}
	for state, ids := range moved {
		q.Queue("update findings set state = $2 where id = any($1::bigint[]) and closed_at is null", ids, state)
	}
	if len(again) > 0 {
		ids, actual, whose := make([]int64, len(again)), make([]*string, len(again)), make([]string, len(again))
		via := make([]string, len(again))
		for i, f := range again {
			ids[i], actual[i], whose[i], via[i] = f.ID, f.Actual, toJSON(f.Assignments), f.Via
		}
		q.Queue(`update findings f set last_seen = $4, actual = s.actual::jsonb, assignments = s.assignments::jsonb,
				via = s.via
			from unnest($1::bigint[], $2::text[], $3::text[], $5::text[]) as s(id, actual, assignments, via)
			where f.id = s.id and f.closed_at is null`, ids, actual, whose, at, via)
	}
	if len(fresh) > 0 {
		queueFindings(q, fresh)
	}
}

func queueFindings(q *pgx.Batch, list []Finding) {
	var devices, keys, units, kinds, subjects, whose, states, via []string
	var expected, actual []*string
	var first []time.Time
	var closed []*time.Time
	for _, f := range list {
		devices, keys, units = append(devices, f.DeviceID), append(keys, f.Key), append(units, f.Unit)
		kinds, subjects, states = append(kinds, f.Kind), append(subjects, f.Subject), append(states, f.State)
		expected, actual, whose = append(expected, f.Expected), append(actual, f.Actual),
			append(whose, toJSON(f.Assignments))
		first, closed, via = append(first, f.FirstSeen), append(closed, f.ClosedAt), append(via, f.Via)
	}
	q.Queue(
		`insert into findings (device_id, key, unit, kind, subject, expected, actual, assignments, state, first_seen,
			last_seen, closed_at, via)
		select device_id, key, unit, kind, subject, expected::jsonb, actual::jsonb, assignments::jsonb, state, at, at,
		closed_at, via
		from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[], $8::text[],
		$9::text[],
			$10::timestamptz[], $11::timestamptz[], $12::text[]) as f(device_id, key, unit, kind, subject, expected, actual,
			assignments,
			state, at, closed_at, via)`,
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
		via,
	)
}
