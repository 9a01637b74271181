package protocol

import "time"

// OrderFormat is the format of an order.
const OrderFormat = "rankwarden.order/1"

// Kinds of order.
const (
	OrderCheckIn     = "check-in"     // come now
	OrderReapply     = "re-apply"     // bring everything into line again, also what is repeatedly reverted
	OrderCollect     = "collect"      // report everything, also what has not changed
	OrderUnlock      = "unlock"       // unlock an account
	OrderEndSessions = "end-sessions" // sign out whoever uses an account
	OrderRotate      = "rotate"       // change the password of an account, or of all that rules rotate
)

// OrderKinds are all kinds, with how long an order of the kind may wait for its device, 0 for ever.
var OrderKinds = map[string]time.Duration{
	OrderCheckIn: 24 * time.Hour, OrderReapply: 24 * time.Hour, OrderCollect: 24 * time.Hour,
	OrderUnlock: time.Hour, OrderEndSessions: time.Hour, OrderRotate: 0,
}

// Kinds of order that let go of an account for good.
const (
	OrderDisableAccount = "disable-account"
	OrderRemoveAccount  = "remove-account"
)

// AccountOrderWait is how long such an order may wait for its device.
const AccountOrderWait = 24 * time.Hour

// What becomes of the files of an account that is removed.
const (
	FilesKept  = "keep" // where they are
	FilesMoved = "move" // into a directory of the day, where the platform has files of accounts in one place
)

// Order is a signed instruction for one device. It is carried out once, not before its time, and not
// after its end.
type Order struct {
	Format  string    `json:"format"`
	Device  string    `json:"device"` // id
	Number  int64     `json:"number"` // of the device's orders, from 1
	Kind    string    `json:"kind"`
	Subject string    `json:"subject,omitempty"` // a principal, for orders that concern an account
	EndsAt  time.Time `json:"ends_at,omitzero"`  // in service time; zero for never

	Files string `json:"files,omitempty"` // of an account that is removed; empty is [FilesKept]

	NotBefore time.Time `json:"not_before,omitzero"` // in service time
	Revealed  bool      `json:"revealed,omitempty"`  // a password is to change because it was shown
}

// States of an order that a device tells.
const (
	OrderDelivered = "delivered" // it waits on the device; told again only to say why it did not succeed yet
	OrderDone      = "done"
	OrderFailed    = "failed"
	OrderEnded     = "ended" // it came after its end, and was not carried out
)

// OrderResult is what became of an order.
type OrderResult struct {
	Number int64     `json:"number"`
	State  string    `json:"state"`
	Detail string    `json:"detail,omitempty"`
	At     time.Time `json:"at"`
}
