package store

import "time"

// Figures are what the service tells of its records, for whoever watches it by machine.
type Figures struct {
	SettlingWaiting   int        // requests for their first attempt
	SettlingFailed    int        // requests that failed and are tried again
	SettlingOldest    *time.Time // when the oldest of both was made
	Overdue           int        // passwords of live devices whose time has passed
	Unrecovered       int        // current passwords without a recovery copy
	TrailLast         int64      // the last entry of the trail
	TrailSigned       int64      // the last one that a checkpoint holds
	SignedAt          *time.Time
	OrdersWaiting     int // for their devices
	DeliveriesWaiting int // of notifications
	DeliveriesFailed  int
	SealedInUse       int // sealed owners that were used since they were sealed
	Mismatched        int // live devices that hold what the service never gave them
	Returns           int // times that the database was found to have gone back
	Frozen            int // freezes in force
}

// Figures reads them in one statement.
func (t ServiceReader) Figures(now time.Time) (Figures, error) {
	found, err := rows[Figures](t, `select
		(select count(*) from settle_requests where error = '') settling_waiting,
		(select count(*) from settle_requests where error <> '') settling_failed,
		(select min(created_at) from settle_requests) settling_oldest,
		(select count(*) from rotations r join devices d on d.id = r.device_id where d.state = 'live' and `+overdue+
		`) overdue,
		(select coalesce(max(seq), 0) from audit_entries) trail_last,
		(select coalesce(max(seq), 0) from checkpoints) trail_signed,
		(select max(at) from checkpoints) signed_at,
		(select count(*) from orders where state in ('queued', 'delivered')) orders_waiting,
		(select count(*) from deliveries where state = 'waiting') deliveries_waiting,
		(select count(*) from deliveries where state = 'failed') deliveries_failed,
		(select count(*) from operators where sealed_at is not null and opened_at is not null) sealed_in_use,
		(select count(*) from devices where mismatched and state = 'live') mismatched,
		(select count(*) from database_returns) returns,
		(select count(*) from freezes) frozen`, now)
	if err != nil || len(found) == 0 {
		return Figures{}, err
	}
	f := found[0]
	f.Unrecovered, _, err = PasswordsReader(t).Unrecovered()
	return f, err
}
