package store

import (
	"database/sql"
	"errors"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/internal/wire/escrow"
)

// States of a deposit.
const (
	DepositPending = "pending" // it may be the password, or may become it
	DepositCurrent = "current" // the device confirmed that it opens the account
	DepositFormer  = "former"  // a later one was confirmed
)

// Deposit is a sealed password of one account of a device.
type Deposit struct {
	DeviceID       string `gorm:"primaryKey"`
	Epoch          int64  `gorm:"primaryKey"` // of the device's writes
	Number         int64  `gorm:"primaryKey"`
	Target         string // the account as policies name it
	Account        string // its security identifier
	NameBefore     string
	NameAfter      string
	Reason         rotation.Reason
	Organisation   string
	KeyNumber      int64
	Sealed         []byte
	RecoveryNumber *int64
	RecoverySealed []byte
	Digest         string // of what the device sent
	Policy         string // name and revision of the policy whose rule asked for it
	State          string
	DepositedAt    time.Time
	ConfirmedAt    *time.Time
	FormerAt       *time.Time
}

// About is what the deposit is about, as sealed to the key of a number.
func (d Deposit) About(key int64) escrow.About {
	target, _ := principal.Parse(d.Target) // it was checked when it was stored
	account, _ := principal.ParseSID(d.Account)
	return escrow.About{Organisation: d.Organisation, Device: d.DeviceID, Target: target, Account: account,
		Epoch: d.Epoch, Number: d.Number, Key: key, NameBefore: d.NameBefore, NameAfter: d.NameAfter}
}

// Deposit finds one.
func (t PasswordsReader) Deposit(device string, epoch, number int64) (Deposit, error) {
	return first[Deposit](t.db.Where("device_id = ? and epoch = ? and number = ?", device, epoch, number))
}

// ScopeOf is the digest of a device's scope, empty for none.
func (t PasswordsReader) ScopeOf(device string) (digest string, err error) {
	err = t.db.Statement.ConnPool.QueryRowContext(t.db.Statement.Context,
		"select coalesce(scope, '') from devices where id = $1", device).
		Scan(&digest)
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	return digest, translate(err)
}

// TakeDeposits stores one of each of several devices, and its number as the device's latest, in one statement. It gives
// the devices whose deposit was stored: not where the device is not live, the number is not a later one of its epoch,
// or the key is not live, or something else holds the device. A key that is being retired is waited for.
func (t PasswordsWriter) TakeDeposits(list []Deposit) (map[string]bool, error) {
	var devices, targets, accounts, before, after, reasons, organisations, digests, policies []string
	var epochs, numbers, keys []int64
	var recoveryKeys []*int64
	var sealed, recovery [][]byte
	var at []time.Time
	for _, d := range list {
		devices, targets, accounts = append(devices, d.DeviceID), append(targets, d.Target), append(accounts, d.Account)
		before, after, reasons = append(before, d.NameBefore), append(after, d.NameAfter),
			append(reasons, string(d.Reason))
		organisations, digests, policies = append(organisations, d.Organisation), append(digests, d.Digest),
			append(policies, d.Policy)
		epochs, numbers, keys = append(epochs, d.Epoch), append(numbers, d.Number), append(keys, d.KeyNumber)
		recoveryKeys, recovery = append(recoveryKeys, d.RecoveryNumber), append(recovery, d.RecoverySealed)
		sealed, at = append(sealed, d.Sealed), append(at, d.DepositedAt)
	}
	found, err := t.db.Statement.ConnPool.QueryContext(
		t.db.Statement.Context,
		`with given as (select * from unnest($1::text[], $2::bigint[], $3::bigint[], $4::text[], $5::text[], $6::text[],
			$7::text[],
				$8::text[], $9::text[], $10::bigint[], $11::bytea[], $12::bigint[], $13::bytea[], $14::text[],
				$15::text[],
				$16::timestamptz[]) as g(`+depositColumns+`)),
			key as (select number from escrow_keys where number = any($10::bigint[]) and state = 'live'
			order by number for share),
			locked as (`+lockInOrder+` skip locked),
			device as (update devices d set deposit_number = g.number, changed_at = now()
				from locked join given g on g.device_id = locked.id join key k on k.number = g.key_number
				where d.id = locked.id and d.epoch = g.epoch and d.deposit_number < g.number and d.state = 'live'
				returning d.id),
			added as (insert into deposits (`+depositColumns+
			`, state) select g.*, 'pending' from given g join device on device.id = g.device_id)
		insert into rotations (device_id, target, account, name, pending)
			select g.device_id, g.target, g.account, g.name_before, 1 from given g
			join device on device.id = g.device_id
			order by 1 on conflict (device_id, target) do update set pending = rotations.pending + 1
			returning device_id`,
		devices,
		epochs,
		numbers,
		targets,
		accounts,
		before,
		after,
		reasons,
		organisations,
		keys,
		sealed,
		recoveryKeys,
		recovery,
		digests,
		policies,
		at,
	)
	if err != nil {
		return nil, translate(err)
	}
	defer found.Close()
	taken := make(map[string]bool, len(list))
	for found.Next() {
		var device string
		if err := found.Scan(&device); err != nil {
			return nil, err
		}
		taken[device] = true
	}
	return taken, translate(found.Err())
}

// ScopesOf are the digests of the scopes of devices that have one.
func (t PasswordsReader) ScopesOf(devices []string) (map[string]string, error) {
	found, err := rows[struct{ ID, Scope string }](
		t,
		"select id, scope from devices where id = any($1) and scope is not null",
		devices,
	)
	scopes := make(map[string]string, len(found))
	for _, d := range found {
		scopes[d.ID] = d.Scope
	}
	return scopes, err
}

const depositColumns = `device_id, epoch, number, target, account, name_before, name_after, reason, organisation, key_number, sealed,
		recovery_number, recovery_sealed, digest, policy, deposited_at`

// columns are the values of depositColumns.
func (d Deposit) columns() []any {
	return []any{
		d.DeviceID,
		d.Epoch,
		d.Number,
		d.Target,
		d.Account,
		d.NameBefore,
		d.NameAfter,
		string(d.Reason),
		d.Organisation,
		d.KeyNumber,
		d.Sealed,
		d.RecoveryNumber,
		d.RecoverySealed,
		d.Digest,
		d.Policy,
		d.DepositedAt,
	}
}

// AddEarlierDeposit stores one of an earlier epoch, which was given again after a backup was restored.
// It is a former one when a later one is confirmed.
func (t PasswordsWriter) AddEarlierDeposit(d Deposit) error {
	if err := t.exec("insert into deposits ("+depositColumns+
		", state) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, 'pending')",
		d.columns()...); err != nil {
		return err
	}
	if err := t.exec(`update deposits d set state = 'former', former_at = d.deposited_at where device_id = $1
		and epoch =
		$2 and number = $3
		and exists (select 1 from deposits l where l.device_id = $1 and l.target = d.target
		and l.confirmed_at is not null
		and (l.epoch, l.number) > (d.epoch, d.number))`,
		d.DeviceID, d.Epoch, d.Number); err != nil {
		return err
	}
	return t.exec(`insert into rotations (device_id, target, account, name, pending) values ($1, $2, $3, $4, 1)
		on conflict (device_id, target) do update set pending = (select count(*) from deposits p
		where p.device_id = $1 and
		p.target = $2 and p.state = 'pending')`,
		d.DeviceID, d.Target, d.Account, d.NameBefore)
}

// ConfirmDeposit notes that the password of a deposit opens its account. It becomes the current one
// unless a later one is confirmed; only earlier ones become former. A repeat changes nothing.
func (t PasswordsWriter) ConfirmDeposit(d Deposit, at time.Time) error {
	if err := t.exec("update deposits set confirmed_at = coalesce(confirmed_at, $4) where device_id = $1 "+
		"and epoch = $2 and number = $3",
		d.DeviceID, d.Epoch, d.Number, at); err != nil {
		return err
	}
	// The latest confirmed one decides, whichever confirmation came last.
	if err := t.exec(`with latest as (select epoch, number from deposits where device_id = $1 and target = $2 and
		confirmed_at is not null
			order by epoch desc, number desc limit 1)
		update deposits d set state = case when (d.epoch, d.number) = (l.epoch, l.number) then 'current'
		else 'former' end,
			former_at = case when (d.epoch, d.number) = (l.epoch, l.number) then null else coalesce(d.former_at, $3) end
		from latest l where d.device_id = $1 and d.target = $2 and (d.epoch, d.number) <= (l.epoch, l.number)
			and d.state <> case when (d.epoch, d.number) = (l.epoch, l.number) then 'current' else 'former' end`,
		d.DeviceID, d.Target, at); err != nil {
		return err
	}
	if err := t.exec("update devices set confirmed_number = greatest(confirmed_number, $2), changed_at = now() "+
		"where id = $1 and epoch = $3", d.DeviceID, d.Number, d.Epoch); err != nil {
		return err
	}
	return t.exec(
		`update rotations r set account = d.account, name = d.name_after, changed_at = d.deposited_at, next_at = null,
			shown_at = case when r.shown_at > d.deposited_at then r.shown_at end, shown_by = case when r.shown_at >
			d.deposited_at then r.shown_by else '' end,
			pending = (select count(*) from deposits p where p.device_id = $1 and p.target = $2 and p.state = 'pending')
		from deposits d where r.device_id = $1 and r.target = $2 and d.device_id = $1 and d.target = $2 and d.state =
		'current'`,
		d.DeviceID,
		d.Target,
	)
}

// PruneDeposits drops former deposits beyond the number to keep that became so before a time.
func (t PasswordsWriter) PruneDeposits(device, target string, keep int, before time.Time) error {
	return t.exec(`delete from deposits where device_id = $1 and target = $2 and state = 'former' and former_at < $4
		and (epoch, number) not in (select epoch, number from deposits where device_id = $1 and target = $2 and state =
		'former'
			order by epoch desc, number desc limit $3)`, device, target, keep, before)
}

// DepositsOf are the deposits of one password of a device, newest first.
func (t PasswordsReader) DepositsOf(device, target string) ([]Deposit, error) {
	return all[Deposit](t.db.Where("device_id = ? and target = ?", device, target).Order("epoch desc, number desc"))
}

// BeginEpoch gives a device an epoch in which all of its numbers begin again.
func (t PasswordsWriter) BeginEpoch(device string, epoch int64, nonce string) error {
	return t.exec(
		`update devices set epoch = $2, seq = 0, deposit_number = 0, confirmed_number = 0, epoch_nonce = $3,
			changed_at =
			now()
		where id = $1`,
		device,
		epoch,
		nonce,
	)
}

// SealedTo are deposits sealed to an escrow key, after one, in the order of device, epoch and number.
func (t PasswordsReader) SealedTo(key int64, after Deposit, limit int) ([]Deposit, error) {
	return all[Deposit](
		t.db.Where("key_number = ? and (device_id, epoch, number) > (?, ?, ?)", key, after.DeviceID, after.Epoch,
			after.Number).
			Order("device_id, epoch, number").
			Limit(limit),
	)
}

// Reseal stores a deposit's password as sealed to another key, unless that was done meanwhile.
func (t PasswordsWriter) Reseal(d Deposit, from int64) error {
	return t.exec(
		"update deposits set key_number = $4, sealed = $5 where device_id = $1 and epoch = $2 and number = $3 "+
			"and key_number = $6",
		d.DeviceID,
		d.Epoch,
		d.Number,
		d.KeyNumber,
		d.Sealed,
		from,
	)
}

// DepositsAfter are deposits with a recovery copy after one, in the order of device, epoch and number.
func (t PasswordsReader) DepositsAfter(after Deposit, limit int) ([]Deposit, error) {
	return all[Deposit](
		t.db.Where("recovery_number is not null and (device_id, epoch, number) > (?, ?, ?)", after.DeviceID,
			after.Epoch, after.Number).
			Order("device_id, epoch, number").
			Limit(limit),
	)
}

// KeyIsLive reports whether devices may seal to an escrow key.
func (t PasswordsWriter) KeyIsLive(number int64) (bool, error) {
	found, err := rows[bool](t, "select true from escrow_keys where number = $1 and state = 'live' for share", number)
	return len(found) > 0, err
}

// UnrecoveredPassword is a current password without a copy sealed to a recovery key.
type UnrecoveredPassword struct {
	DeviceID, Device, Target, Name string
	ChangedAt                      time.Time
}

// ListUnrecovered lists a page of them by device.
func (t PasswordsReader) ListUnrecovered(p Page) ([]UnrecoveredPassword, string, error) {
	name, id, target := "", "", ""
	if err := p.after(&name, &id, &target); err != nil {
		return nil, "", err
	}
	found, err := rows[UnrecoveredPassword](t,
		`select d.id as device_id, d.name as device, x.target, x.name_after as name,
		x.deposited_at as changed_at from deposits x join devices d on d.id = x.device_id and d.state = 'live'
		where x.state = 'current' and x.recovery_number is null and (d.name, d.id, x.target) > ($1, $2, $3)
		order by d.name, d.id, x.target limit $4`, name, id, target, p.limit()+1)
	if err != nil {
		return nil, "", err
	}
	found, next := cut(p, found, func(u UnrecoveredPassword) []any { return []any{u.Device, u.DeviceID, u.Target} })
	return found, next, nil
}

// Unrecovered counts current passwords of live devices without a copy sealed to a recovery key, and names
// the device of one.
func (t PasswordsReader) Unrecovered() (n int, example DeviceName, err error) {
	found, err := rows[struct {
		N           int
		ID, NameKey string
	}](t, `select count(*) as n, coalesce(min(d.id), '') as id, coalesce(min(d.name), '') as name_key
		from deposits x join
		devices d on d.id = x.device_id and d.state = 'live'
		where x.state = 'current' and x.recovery_number is null`)
	if err != nil || len(found) == 0 {
		return 0, DeviceName{}, err
	}
	return found[0].N, DeviceName{found[0].ID, found[0].NameKey}, nil
}
