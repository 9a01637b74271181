package api

import "time"

// Password is a password that a device changes, without the password.
type Password struct {
	Device       string     `json:"device"`
	DeviceID     string     `json:"device_id"`
	Serial       string     `json:"serial"`
	Standing     string     `json:"standing" enum:"in_step,drifted,waiting,held,silent"`
	LastContact  *time.Time `json:"last_contact"`
	Account      string     `json:"account" doc:"As policies name it: account:KEY or builtin:administrator"`
	Name         string     `json:"name" doc:"What the account is called now"`
	SID          string     `json:"sid"`
	ChangedAt    *time.Time `json:"changed_at" doc:"Null before the first change"`
	NextAt       *time.Time `json:"next_at" doc:"As the device says; null when no rule asks for a change"`
	EveryMinutes *int       `json:"every_minutes" doc:"Null when no rule asks for a change any more"`
	Changing     bool       `json:"changing" doc:"A change is under way: several passwords may be the right one"`
	ShownAt      *time.Time `json:"viewed_at"`
	ShownBy      string     `json:"viewed_by"`
	Disabled     bool       `json:"disabled" doc:"The account is disabled, as the device said last: the password opens nothing"`
}

// DepositRef names a deposit of a device.
type DepositRef struct {
	Epoch  int64 `json:"epoch"`
	Number int64 `json:"number"`
}

// Deposit is a sealed password in escrow, without the password.
type Deposit struct {
	DepositRef
	State       string     `json:"state" enum:"pending,current,former"`
	Name        string     `json:"name" doc:"What the account is called under it"`
	NameBefore  string     `json:"name_before"`
	Reason      string     `json:"reason" doc:"Why it was changed"`
	Policy      string     `json:"policy" doc:"Whose rule asked for it"`
	DepositedAt time.Time  `json:"deposited_at"`
	ConfirmedAt *time.Time `json:"confirmed_at"`
	FormerAt    *time.Time `json:"former_at"`
}

// DevicePassword is a password of one device with its deposits.
type DevicePassword struct {
	Password
	Deposits []Deposit `json:"deposits" nullable:"false" doc:"Newest first"`
}

// DevicePasswords are the passwords of one device.
type DevicePasswords struct {
	Items   []DevicePassword `json:"items" nullable:"false"`
	WhyNone string           `json:"why_none" doc:"Why nothing is in escrow, and the way out; empty where something is"`
}

// RevealSpec says whose password is to be shown, and why.
type RevealSpec struct {
	Account string      `json:"account,omitempty" doc:"As policies name it, its key or its name; may be left out where the device has one"`
	Reason  string      `json:"reason" doc:"Why, such as a ticket and what is to be done"`
	Copied  bool        `json:"copied,omitempty" doc:"It is copied without being shown"`
	Former  *DepositRef `json:"former,omitempty" doc:"A former password instead, for a machine restored from an old image"`
}

// Candidate is a password that may be the right one.
type Candidate struct {
	Password string  `json:"password"`
	Deposit  Deposit `json:"deposit"`
}

// RevealResult is what a reveal gives.
type RevealResult struct {
	Password   Password    `json:"about"`
	Candidates []Candidate `json:"candidates" nullable:"false" doc:"Every password that may be the right one, newest first"`
	RotatesAt  *time.Time  `json:"rotates_at" doc:"When it is changed because it was shown; null for not therefore"`
}

// Reveal is one showing of a password.
type Reveal struct {
	Device   string    `json:"device"`
	Account  string    `json:"account"`
	Operator string    `json:"operator"`
	Reason   string    `json:"reason"`
	Copied   bool      `json:"copied"`
	At       time.Time `json:"at"`
}

// Approval is a reveal beyond an operator's budget, which a second person must approve.
type Approval struct {
	ID        string     `json:"id"`
	Device    string     `json:"device"`
	Account   string     `json:"account"`
	AskedBy   string     `json:"created_by"`
	Reason    string     `json:"reason"`
	AskedAt   time.Time  `json:"created_at"`
	EndsAt    time.Time  `json:"expires_at"`
	Approved  bool       `json:"approved"`
	DecidedBy string     `json:"decided_by"`
	DecidedAt *time.Time `json:"decided_at"`
}

// SheetSpec says whose passwords are to be sealed for use without the service.
type SheetSpec struct {
	Devices   []string `json:"devices,omitempty" maxItems:"100" doc:"Names or identifiers"`
	Group     string   `json:"group,omitempty" maxLength:"63" doc:"Every device of this group that you may see"`
	Recipient string   `json:"recipient,omitempty" maxLength:"200" doc:"Whose key it is sealed to, such as age1…; ten words where left out"`
	Hours     int      `json:"hours,omitempty" minimum:"1" maximum:"2160" doc:"How long it is good at most; 336 where left out"`
	Reason    string   `json:"reason" doc:"Why, such as a voyage or a ticket"`
}

// Sheet is a sealed sheet, without what is sealed.
type Sheet struct {
	ID        string        `json:"id"`
	State     string        `json:"state" enum:"waiting,approved,declined,made"`
	Recipient string        `json:"recipient" doc:"Whose key it is sealed to; empty for ten words"`
	Reason    string        `json:"reason"`
	Needs     []string      `json:"needs" nullable:"false" doc:"Why a second person must approve"`
	AskedBy   string        `json:"created_by"`
	AskedAt   time.Time     `json:"created_at"`
	DecidedBy string        `json:"decided_by"`
	DecidedAt *time.Time    `json:"decided_at"`
	MadeAt    *time.Time    `json:"made_at"`
	EndsAt    time.Time     `json:"expires_at" doc:"Its passwords are changed by then"`
	Valid     int           `json:"valid" doc:"How many of its passwords may still be right; with none of them the sheet is void"`
	Devices   []SheetDevice `json:"devices" nullable:"false" doc:"Those that you may see"`
}

// SheetDevice is a device of a sealed sheet.
type SheetDevice struct {
	Device    string     `json:"device"`
	DeviceID  string     `json:"device_id"`
	Passwords int        `json:"passwords" doc:"On the sheet; 0 where it has none in escrow, or before the sheet is made"`
	Valid     int        `json:"valid" doc:"Of these, how many may still be right"`
	OrderedAt *time.Time `json:"ordered_at" doc:"When it was told to change them: it does as soon as it is back"`
}

// MadeSheet is a sheet with what is sealed. The service keeps neither that nor the words.
type MadeSheet struct {
	Sheet
	Sealed     string   `json:"sealed" doc:"In the age format, as text; empty while the sheet waits for a second person"`
	Page       string   `json:"page" doc:"The same to print, as HTML with codes"`
	Passphrase string   `json:"passphrase" doc:"The ten words; empty where it is sealed to a key"`
	Without    []string `json:"without" nullable:"false" doc:"Devices that have no password in escrow"`
}
