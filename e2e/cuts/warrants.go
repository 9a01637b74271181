package cuts

import (
	"errors"
	"net/http"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// clerk is an account of the device that is an administrator by warrant alone.
const clerk = "clerk"

// warrant has the clerk be an administrator for 15 to 60 minutes.
func (w *world) warrant() error {
	c := client.New(w.server.URL, "")
	if _, err := c.SignIn(w.ctx, "asta", password); err != nil {
		return err
	}
	made, err := c.AskWarrant(w.ctx, api.WarrantSpec{Principal: "local:" + clerk, Devices: []string{deviceName},
		Minutes: 15 + w.rand.IntN(46), Reason: "cuts", EndSessions: w.rand.IntN(2) == 0})
	var p *client.Problem
	if errors.As(err, &p) && (p.Status == http.StatusNotFound || p.Status == http.StatusConflict) {
		return nil // it has not enrolled yet, or has as many as it may
	}
	if err == nil && made.Until.After(w.until) {
		w.until = *made.Until
	}
	return err
}

// inTime is how far the device's time may be from the service's, which tells it in whole seconds.
const inTime = 2 * time.Second

// outlived is an error where the clerk is an administrator after a look that began at a time at which no warrant runs.
func (w *world) outlived(at time.Time) error {
	if !at.After(w.until.Add(inTime)) {
		return nil
	}
	state, err := w.machine.Read(w.ctx)
	if err != nil {
		return err
	}
	if group, _ := state.Group("administrators"); group.Has(w.machine.Find(clerk)) {
		return errors.New("LOST: the clerk is an administrator after the end of the warrant")
	}
	return nil
}
