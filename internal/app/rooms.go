package app

import (
	"cmp"
	"context"
	"log/slog"
	"time"

	"rankwarden.example/core/gate"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/base/budget"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/fleetview"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/face/httpapi"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/kit/secretbox"
	"rankwarden.example/internal/room/access"
	"rankwarden.example/internal/room/accounts"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/room/deploy"
	"rankwarden.example/internal/room/devices"
	"rankwarden.example/internal/room/notify"
	"rankwarden.example/internal/room/organisation"
	"rankwarden.example/internal/room/passwords"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/room/retention"
	"rankwarden.example/internal/room/trail"
	"rankwarden.example/internal/room/warrants"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/directory"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/keyring"
	"rankwarden.example/internal/wire/oidc"
	"rankwarden.example/internal/wire/transport"
)

// DefaultWarrant is how long a warrant may hold where nothing else is said.
const DefaultWarrant = 8 * time.Hour

// RoomOptions are what the rooms are made of.
type RoomOptions struct {
	Store        *store.Store
	Keys         keyring.Ring
	Hub          *notices.Hub
	Log          *slog.Logger
	Now          func() time.Time
	Organisation string
	Interval     time.Duration // between two check-ins of a device
	// OpenEscrow reads the private escrow keys; it is called again when they changed.
	OpenEscrow func() (escrow.Opener, error)
	// RevealBudget is how many passwords an operator may see in an hour before a second person must approve.
	RevealBudget int
	// Approvals say which changes need a second person.
	Approvals gate.Approvals
	// SecondPersonOpens says that a wave is opened before its gate is passed only with a second person.
	SecondPersonOpens bool
	// SecondPersonWaives says that a second person must agree to waivers of administrators.
	SecondPersonWaives bool
	// WarrantMost is how long a warrant may hold, [DefaultWarrant] when 0.
	WarrantMost time.Duration
	// WarrantCaps are bounds for roles and groups of devices, see [warrant.ReadCaps].
	WarrantCaps []string
	// SecondPersonKeys says that keys go live and retire only with a second person.
	SecondPersonKeys bool
	// Brake says what an import, a rule or a change of facts may alter without a decision.
	Brake gate.Brake
	// Soak is how long the waves of a rollout soak where nothing else is said, half an hour when 0.
	Soak time.Duration
	Kept store.RetentionPeriods // how long records are kept
	// DirectoryConnection is nil where the directory is only imported.
	DirectoryConnection *directory.Connection
	// Patience is how long an edit waits at most until the lists have it, 2 seconds when 0: then they follow later.
	Patience time.Duration
	// CheckpointFile is to which checkpoints of the trail are added, empty for none.
	CheckpointFile string
	// RequireSecondFactor lets nobody do anything without a second factor.
	RequireSecondFactor bool
	// Provider is where people sign in with OpenID Connect, nil for nowhere; with OnlyProvider nowhere else.
	Provider     *oidc.Options
	OnlyProvider bool
	// PublicURL is where people reach the console.
	PublicURL string
	// PasswordMemory is what hashing an operator's password takes, see [auth.NewHashing].
	PasswordMemory uint32
	// Network says where notifications may go.
	Network transport.Network
	// Present is since when the service was there and could write.
	Present func() time.Time
	// Refused is how many refused attempts of a person the trail tells one by one, [budget.Refused] when zero.
	Refused budget.Size

	attempts *uow.Attempts
}

// Rooms are the rooms of the service, and what they share.
type Rooms struct {
	httpapi.Rooms
	Retention *retention.Service
	Strangers *uow.Strangers
	Attempts  *uow.Attempts

	store     *store.Store
	documents *cache.Documents
	patience  time.Duration
}

// OpenRooms opens the rooms, and brings the signed key list up to date. It is long because it opens each room once.
func OpenRooms(ctx context.Context, o RoomOptions) (*Rooms, error) {
	documents, known, view := cache.NewDocuments(), &cache.Scopes{}, fleetview.New()
	r := &Rooms{Rooms: httpapi.Rooms{View: view}, store: o.Store, documents: documents,
		patience: cmp.Or(o.Patience, 2*time.Second)}
	o.Refused = cmp.Or(o.Refused, budget.Refused)
	r.Attempts = &uow.Attempts{Room: room(o, func(store.Reader) struct{} { return struct{}{} },
		func(w store.Writer) uow.AttemptRecords { return w }), Told: budget.New(o.Refused, time.Now)}
	o.attempts = r.Attempts
	var err error
	if r.Passwords, err = passwords.New(ctx, passwords.Options{Room: room(o,
		func(r store.Reader) passwords.Reads { return r }, func(w store.Writer) passwords.Records { return w }),
		Keys: o.Keys, Hub: o.Hub, View: view, Scopes: known,
		Organisation: o.Organisation, OpenEscrow: o.OpenEscrow, RevealBudget: o.RevealBudget,
		SecondPersonKeys: o.SecondPersonKeys, Locks: o.Store}); err != nil {
		return nil, err
	}
	r.Strangers = &uow.Strangers{Room: room(o, func(store.Reader) struct{} { return struct{}{} },
		func(w store.Writer) uow.StrangerRecords { return w })}
	factors, err := box(o.Keys, "second factors")
	if err != nil {
		return nil, err
	}
	var provider *oidc.Provider
	if o.Provider != nil {
		provider = oidc.New(*o.Provider, o.PublicURL+httpapi.CallbackPath)
	}
	r.Access = access.New(access.Options{
		Room: room(o, func(r store.Reader) access.Reads { return r },
			func(w store.Writer) access.Records { return w }),
		Strangers: r.Strangers, Passwords: auth.NewHashing(o.PasswordMemory), Factors: factors,
		RequireSecondFactor: o.RequireSecondFactor, Organisation: o.Organisation, Provider: provider,
		Passkeys: access.NewPasskeys(o.Organisation, o.PublicURL), OnlyProvider: o.OnlyProvider && provider != nil,
	})
	r.Organisation = &organisation.Service{Room: room(o, func(r store.Reader) organisation.Reads { return r },
		func(w store.Writer) organisation.Records { return w }), View: view}
	r.Accounts = &accounts.Service{Room: room(o, func(r store.Reader) accounts.Reads { return r },
		func(w store.Writer) accounts.Records { return w }), View: view}
	caps, err := warrant.ReadCaps(cmp.Or(o.WarrantMost, DefaultWarrant), o.WarrantCaps)
	if err != nil {
		return nil, err
	}
	r.Warrants = &warrants.Service{View: view, Caps: caps,
		Room: room(o, func(r store.Reader) warrants.Reads { return r },
			func(w store.Writer) warrants.Records { return w }),
		Rules: gate.Rules{Approvals: o.Approvals}}
	r.Changes = changes.New(changes.Service{Room: door(o), Documents: documents, View: view, Locks: o.Store,
		DirectoryConnection: o.DirectoryConnection, Rules: gate.Rules{Approvals: o.Approvals, Brake: o.Brake},
		Soak: o.Soak})
	r.Deploy = &deploy.Service{
		Room: room(o, func(r store.Reader) deploy.Reads { return r },
			func(w store.Writer) deploy.Records { return w }),
		Locks:             o.Store,
		Documents:         documents,
		Hub:               o.Hub,
		Finish:            r.Changes.FinishRollout,
		SecondPersonOpens: o.SecondPersonOpens,
	}
	r.Devices = &devices.Service{
		Room: room(o, func(r store.Reader) devices.Reads { return r },
			func(w store.Writer) devices.Records { return w }),
		Desired:            o.Store,
		Reports:            batches(o.Store),
		Locks:              o.Store,
		Keys:               r.Passwords,
		View:               view,
		Scopes:             known,
		Strangers:          r.Strangers,
		Rules:              gate.Rules{Approvals: o.Approvals, Brake: o.Brake},
		SecondPersonWaives: o.SecondPersonWaives,
	}
	r.Retention = &retention.Service{
		Room: room(o, func(r store.Reader) retention.Reads { return r },
			func(w store.Writer) retention.Records { return w }),
		Locks:  o.Store,
		Kept:   o.Kept,
		Forget: func(ctx context.Context) error { return r.Changes.LetGo(ctx, uow.Itself, "") },
	}
	r.Trail = &trail.Service{
		Room: room(o, func(r store.Reader) trail.Reads { return r },
			func(w store.Writer) trail.Records { return w }),
		Key:          o.Keys.Signing,
		Root:         o.Keys.Root.ID,
		Organisation: o.Organisation,
		File:         o.CheckpointFile,
	}
	secrets, err := box(o.Keys, "notification targets")
	if err != nil {
		return nil, err
	}
	r.Notify = &notify.Service{
		Room: room(o, func(r store.Reader) notify.Reads { return r },
			func(w store.Writer) notify.Records { return w }),
		Locks:        o.Store,
		View:         view,
		Hub:          o.Hub,
		Secrets:      secrets,
		Organisation: o.Organisation,
		Network:      o.Network,
		PublicURL:    o.PublicURL,
		Since:        o.Now(),
	}
	r.Reporting = &reporting.Service{Room: room(o, func(r store.Reader) reporting.Reads { return r },
		func(w store.Writer) reporting.Records { return w }), View: view, Scopes: known}
	return r, nil
}

// room gives a room what it reads and what it writes of the store.
func room[R any, W uow.Records](
	o RoomOptions, read func(r store.Reader) R, write func(w store.Writer) W,
) uow.Room[R, W] {
	return uow.NewRoom(store.For(o.Store, read, write),
		uow.Env{Log: o.Log, Now: o.Now, Interval: o.Interval, Present: o.Present,
			Attempts: o.attempts})
}

// door gives the room of changes what it needs: it alone writes what is in force.
func door(o RoomOptions) uow.Room[changes.Reads, changes.Records] {
	db := store.ForDoor(o.Store, func(r store.Reader) changes.Reads { return r },
		func(w store.DoorWriter) changes.Records { return w })
	return uow.NewRoom(db, uow.Env{Log: o.Log, Now: o.Now, Interval: o.Interval, Present: o.Present,
		Attempts: o.attempts})
}

// batches gives the room of devices the transactions of reports.
func batches(db *store.Store) uow.Batches[devices.ReportBatch] {
	return uow.NewBatches(func(ctx context.Context, ids []string, waits bool,
		judge func(b devices.ReportBatch) error) error {
		return db.TakeReports(ctx, ids, waits, func(b *store.ReportBatch) error { return judge(b) })
	})
}

// box keeps secrets of one kind, which the database holds.
func box(keys keyring.Ring, of string) (secretbox.Box, error) {
	key, err := keys.Derive(of)
	if err != nil {
		return secretbox.Box{}, err
	}
	return secretbox.New(key)
}

// Forget forgets what the rooms remember of the database by numbers that may come to mean something else.
func (r *Rooms) Forget() { r.documents.Forget() }

// Changed waits until the lists of this replica have everything that was committed before the call, but not for ever.
func (r *Rooms) Changed(ctx context.Context) {
	ctx, cancel := context.WithTimeout(ctx, r.patience)
	defer cancel()
	r.View.Sync(ctx, r.store)
}
