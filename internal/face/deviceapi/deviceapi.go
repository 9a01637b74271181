// Package deviceapi is the service's side of the device protocol: enrolment, check-ins, parked
// requests. Requests and answers are signed documents, see package protocol; errors are problem
// documents.
package deviceapi

import (
	"context"
	"crypto/ed25519"
	"log/slog"
	"math/rand/v2"
	"net"
	"net/http"
	"time"

	"github.com/gofiber/fiber/v3"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/base/budget"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/face/problem"
	"rankwarden.example/internal/kit/clientaddr"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/room/devices"
	"rankwarden.example/internal/room/passwords"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Options are what the device protocol's endpoints are made of.
type Options struct {
	Devices   *devices.Service
	Passwords *passwords.Service
	Known     Known
	Now       func() time.Time
	Interval  time.Duration  // between two check-ins of a device
	Help      string         // what somebody who is locked out of a device should do
	Bytes     *budget.Purses // what a device may send
	Epochs    *budget.Purses // how often one may begin anew
	Attempts  *uow.Attempts
	Hub       *notices.Hub
	Log       *slog.Logger
	Done      context.Context // ends parked requests when the service stops
}

// API serves the device protocol.
type API struct {
	Options
	registry *registry
	door     *admission // for what is taken together, reports and deposits
	counter  *admission // for everything else that needs the database, so that those that report go first
}

// New makes the endpoints; [API.Run] must run beside them.
func New(o Options) *API {
	return &API{
		Options:  o,
		registry: newRegistry(o.Known, o.Devices.WriteContacts, o.Hub, o.Log, time.Now),
		door:     newAdmission(atOnce),
		counter:  newAdmission(asking),
	}
}

// Run keeps what is known of devices true, until the context ends.
func (a *API) Run(ctx context.Context) { a.registry.run(ctx) }

// Mount adds the endpoints to an app.
func (a *API) Mount(app *fiber.App) {
	app.Get(protocol.PathKeys, a.handle(a.keys))
	app.Post(protocol.PathEnrol, a.handle(a.enrol))
	app.Post(protocol.PathCheckIn, a.handle(a.checkIn))
	app.Post(protocol.PathWait, a.handle(a.wait))
	app.Post(protocol.PathDeposit, a.handle(a.deposit))
	app.Post(protocol.PathConfirm, a.handle(a.confirm))
	app.Post(protocol.PathEpoch, a.handle(a.epoch))
}

// requestTimeout is the longest that a request of a device may take, apart from being parked.
const requestTimeout = 30 * time.Second

// handle turns errors into problem documents.
func (a *API) handle(do func(c fiber.Ctx) error) fiber.Handler {
	return func(c fiber.Ctx) error {
		c.Set("Cache-Control", "no-store")
		ctx, cancel := context.WithTimeout(store.ForDevices(c.Context()), requestTimeout)
		defer cancel()
		c.SetContext(ctx)
		if err := do(c); err != nil {
			return problem.Send(c, problem.Of(a.Log, err))
		}
		return nil
	}
}

func refuse(status int, code, detail string) error {
	p := problem.New(status, detail)
	p.Code = code
	return p
}

// keys answers anybody with the key list and the service's time. The root key signed the list, and the time is
// signed with a key of it, so that a device whose clock is wrong can enrol.
func (a *API) keys(c fiber.Ctx) error {
	list := a.Passwords.KnownKeyList()
	now, key := a.Now(), a.Passwords.Signing()
	signed, err := protocol.Sign(
		key,
		protocol.Header{KeyID: key.ID, URL: protocol.PathKeys, Time: now},
		protocol.ServiceTime{Time: now},
		false,
	)
	if err != nil {
		return err
	}
	return c.JSON(protocol.Keys{KeyList: list, Time: signed})
}

// enrol takes in a device. Its request is signed with the key that it carries, which proves that whoever sends it
// holds the private half; the token in it says that the device may come.
func (a *API) enrol(c fiber.Ctx) error {
	signed, err := a.open(c)
	if err != nil {
		return err
	}
	if len(signed.Embedded) != ed25519.PublicKeySize {
		return refuse(
			http.StatusBadRequest,
			protocol.CodeNoKey,
			"an enrolment request must carry the device's Ed25519 key in its header",
		)
	}
	req, err := a.verify(c, signed, signed.Embedded)
	if err != nil {
		return err
	}
	var body protocol.EnrolRequest
	if err := read(req.payload, &body); err != nil {
		return err
	}
	var d store.Device
	err = a.counter.do(c.Context(), func() (err error) {
		d, err = a.Devices.Enrol(c.Context(), body, signed.Embedded, clientaddr.Of(c))
		return err
	})
	if err != nil {
		return err
	}
	return a.answer(
		c,
		req,
		protocol.EnrolAnswer{Device: d.ID, Accepted: d.State == store.Live, Interval: a.interval(), DeviceSeq: d.Seq},
	)
}

func (a *API) interval() int { return int(a.Interval.Seconds()) }

// from opens a request of an enrolled device and notes that it was heard from.
func (a *API) from(c fiber.Ctx) (store.ExchangeState, request, error) {
	signed, err := a.open(c)
	if err != nil {
		return store.ExchangeState{}, request{}, err
	}
	d, ok, err := a.registry.get(c.Context(), signed.Header.KeyID)
	if err != nil {
		return d, request{}, err
	}
	if !ok {
		return d, request{}, refuse(
			http.StatusUnauthorized,
			protocol.CodeDeviceUnknown,
			"no device of this identifier is enrolled; enrol it again with a new token",
		)
	}
	req, err := a.verify(c, signed, key(d))
	if err != nil {
		return d, req, err
	}
	if d.State == store.Retired || d.State == store.Refused {
		return d, req, refuse(
			http.StatusForbidden,
			protocol.CodeNotLive+d.State,
			"this device is "+d.State+"; an operator must enrol it again",
		)
	}
	a.registry.noteContact(d.ID, a.Now())
	return d, req, a.spend(c, a.Bytes, d.ID, len(c.BodyRaw()), "device.sent")
}

// spend takes from what a device may do. One that has done too much is asked to come back later.
func (a *API) spend(c fiber.Ctx, from *budget.Purses, device string, units int, what string) error {
	again, ok := from.Spend(device, units)
	if ok {
		return nil
	}
	return a.Attempts.TooMany(uow.Device(device, clientaddr.Of(c)), what, again)
}

// checkIn answers the regular request of a device: what it is to have, what it is to do, and which of what it told
// was taken. A device that waits for an owner is told only that.
func (a *API) checkIn(c fiber.Ctx) error {
	d, req, err := a.from(c)
	if err != nil {
		return err
	}
	defer a.registry.served(d.ID)
	var body protocol.CheckIn
	if err := read(req.payload, &body); err != nil {
		return err
	}
	if err := a.heard(c.Context(), d, req, body); err != nil {
		return err
	}
	answer := protocol.Answer{Time: a.Now(), Interval: a.interval(), Accepted: d.State == store.Live,
		Help: a.Help}
	if answer.Accepted {
		if err := a.exchanged(c.Context(), d, req, body, &answer); err != nil {
			return err
		}
	}
	return a.answer(c, req, answer)
}

// mostLife bounds the word for a start of an agent, in bytes.
const mostLife = 100

// heard notes which start of its agent a device is heard from, and what keeps the agent from its work, where either is
// news.
func (a *API) heard(ctx context.Context, d store.ExchangeState, req request, body protocol.CheckIn) error {
	if d.State != store.Live {
		return nil
	}
	if body.Life != "" && body.Life != d.Life {
		if len(body.Life) > mostLife {
			return refuse(http.StatusBadRequest, protocol.CodeBadDocument, "the life of an agent is a short word")
		}
		err := a.counter.do(ctx, func() error { return a.Devices.Lives(ctx, d.ID, body.Life, req.header.Time) })
		if err != nil {
			return err
		}
	}
	trouble := drift.Shortened(body.Trouble)
	if trouble == d.Trouble {
		return nil
	}
	return a.counter.do(ctx, func() error { return a.Devices.Troubled(ctx, d.ID, trouble) })
}

// exchanged is the part of a check-in that needs the database, if it has one.
func (a *API) exchanged(
	ctx context.Context, d store.ExchangeState, req request, body protocol.CheckIn, answer *protocol.Answer,
) error {
	work := func() error { return a.exchange(ctx, d, req, body, answer) }
	if len(body.Events)+len(body.Results) == 0 && body.Report == nil && !newer(d, body.Desired) &&
		d.OrderNumber <= body.Orders &&
		body.KeyList >= a.Passwords.KeyListNumber() &&
		(d.Mismatched || !body.Desired.Foreign(desired(d))) {
		return work() // nothing new
	}
	if body.Report == nil {
		return a.counter.do(ctx, work)
	}
	return a.door.do(ctx, work)
}

// exchange does what a check-in asks for. Numbers that were used before are refused before anything of the request is
// taken.
func (a *API) exchange(
	ctx context.Context, d store.ExchangeState, req request, body protocol.CheckIn, answer *protocol.Answer,
) (err error) {
	// What is known here may be behind, never ahead: a device that is behind it came back from a snapshot.
	if body.Epoch < d.Epoch || body.Epoch == d.Epoch && body.Deposit.Latest < d.DepositNumber {
		return refuse(
			http.StatusConflict,
			protocol.CodeSequenceBehind,
			"the numbers of this device were used before: it came back from a snapshot, or another one has its key. "+
				"Begin a new epoch",
		)
	}
	has := protocol.DepositMarks{Latest: d.DepositNumber, Confirmed: d.ConfirmedNumber}
	if body.Epoch > d.Epoch {
		has = protocol.DepositMarks{}
	}
	if has != body.Deposit {
		answer.Deposits = &has
	}
	if len(body.Events) > 0 {
		if answer.Events, err = a.Devices.TakeEvents(ctx, d.ID, body.Epoch, body.Events); err != nil {
			return err
		}
	}
	if len(body.Results) > 0 {
		if answer.Results, err = a.Devices.TakeOrderResults(ctx, d.ID, body.Results); err != nil {
			return err
		}
	}
	if body.Report != nil {
		if req.header.Sequence != body.Report.Seq {
			return refuse(
				http.StatusUnprocessableEntity,
				protocol.CodeSequenceDiffers,
				"the sequence in the header is not that of the report",
			)
		}
		if err := a.Devices.TakeReport(ctx, d.ID, body.Epoch, *body.Report, req.digest); err != nil {
			return err
		}
		answer.Stored = body.Report.Seq
	}
	if body.Desired.Foreign(desired(d)) && !d.Mismatched {
		if err := a.Devices.Holds(ctx, d.ID, body.Desired); err != nil {
			return err
		}
	}
	if newer(d, body.Desired) {
		if answer.Desired, _, err = a.Devices.SignedDesired(ctx, d.ID); err != nil {
			return err
		}
	}
	if d.OrderNumber > body.Orders {
		if answer.Orders, err = a.Devices.SignedOrders(ctx, d.ID, body.Orders); err != nil {
			return err
		}
	}
	if body.KeyList < a.Passwords.KeyListNumber() {
		answer.KeyList, _, err = a.Passwords.SignedKeyList(ctx)
	}
	return err
}

// wait holds the request until something is waiting for the device, or time is up.
func (a *API) wait(c fiber.Ctx) error {
	d, req, err := a.from(c)
	if err != nil {
		return err
	}
	var body protocol.WaitRequest
	if err := read(req.payload, &body); err != nil {
		return err
	}
	w, ended := a.registry.park(d.ID, body.Desired, body.Orders)
	switch {
	case ended: // another replica holds it
		c.RequestCtx().SetConnectionClose()
		return a.answer(c, req, a.waitAnswer(d.ID, body.Desired, false))
	case w == nil:
		return tooMany(
			"too_many_waiting",
			"too many devices are waiting here; check in at the usual interval",
			time.Minute,
		)
	}
	if ready, _ := w.outcome(); ready || body.KeyList < a.Passwords.KeyListNumber() {
		a.registry.release(d.ID, w)
		return a.answer(c, req, a.waitAnswer(d.ID, body.Desired, true))
	}
	// Answers are spread so that devices do not come back all at once.
	limit := time.Now().Add(protocol.MaxWait - rand.N(protocol.MaxWait/5))
	device, request := d.ID, req.digest // copied: the request is gone when the HTTP server lets go of the connection
	c.RequestCtx().HijackSetNoResponse(true)
	c.RequestCtx().Hijack(func(taken net.Conn) {
		conn, ok := taken.(interface{ UnsafeConn() net.Conn }).UnsafeConn().(parkable)
		if !ok {
			a.registry.release(device, w)
			_ = taken.Close() // not one of this service's listeners
			return
		}
		a.park(conn, device, request, w, limit)
	})
	return nil
}

// tooMany asks a device to come back later, spread so that not all come back at once.
func tooMany(code, detail string, after time.Duration) error {
	p := problem.New(http.StatusServiceUnavailable, detail).Later(after/2 + rand.N(after))
	p.Code = code
	return p
}
