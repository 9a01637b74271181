package deviceapi

import (
	"time"

	"github.com/gofiber/fiber/v3"

	"rankwarden.example/internal/wire/protocol"
)

// deposit takes a sealed password; it is durable when the answer goes.
func (a *API) deposit(c fiber.Ctx) error {
	d, req, err := a.from(c)
	if err != nil {
		return err
	}
	var body protocol.Deposit
	if err := read(req.payload, &body); err != nil {
		return err
	}
	var at time.Time
	generation := a.registry.generation()
	err = a.door.do(c.Context(), func() (err error) {
		at, err = a.Passwords.TakeDeposit(c.Context(), d.ID, body)
		return err
	})
	if err != nil {
		return err
	}
	a.registry.learn(d.ID, generation, body.Epoch, protocol.DepositMarks{Latest: body.Number})
	return a.answer(c, req, protocol.DepositAnswer{Time: at, Number: body.Number})
}

// confirm takes the word of a device that the password of a deposit opens the account.
func (a *API) confirm(c fiber.Ctx) error {
	d, req, err := a.from(c)
	if err != nil {
		return err
	}
	var body protocol.Confirm
	if err := read(req.payload, &body); err != nil {
		return err
	}
	generation := a.registry.generation()
	if err := a.counter.do(c.Context(), func() error {
		return a.Passwords.TakeConfirmation(c.Context(), d.ID,
			body)
	}); err != nil {
		return err
	}
	a.registry.learn(d.ID, generation, body.Epoch, protocol.DepositMarks{Confirmed: body.Number})
	return a.answer(c, req, protocol.DepositAnswer{Time: a.Now(), Number: body.Number})
}

// epoch gives a device that came back from a snapshot numbers that were never used.
func (a *API) epoch(c fiber.Ctx) error {
	d, req, err := a.from(c)
	if err != nil {
		return err
	}
	var body protocol.EpochRequest
	if err := read(req.payload, &body); err != nil {
		return err
	}
	if err := a.spend(c, a.Epochs, d.ID, 1, "device.epoch_begun"); err != nil {
		return err
	}
	epoch, err := a.Passwords.NewDeviceEpoch(c.Context(), d.ID, body)
	if err != nil {
		return err
	}
	return a.answer(c, req, protocol.EpochAnswer{Time: a.Now(), Epoch: epoch})
}
