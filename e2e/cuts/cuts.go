package cuts

import (
	"context"
	"errors"
	"fmt"
	"os"
	"time"

	"rankwarden.example/internal/kit/pgcluster"
)

// actions is how many things happen in one run.
const actions = 24

// mostSteps is after how many steps of the device its power goes at the latest.
const mostSteps = 45

// Run is one run, which its seed decides. The error says what was lost, or what went wrong.
func Run(ctx context.Context, cluster *pgcluster.Cluster, seed uint64) (err error) {
	dir, err := os.MkdirTemp("", "rankwarden-cuts-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	w, err := newWorld(ctx, cluster, dir, seed)
	if err != nil {
		return fmt.Errorf("seed %d: %w", seed, err)
	}
	defer w.close()
	var did []string
	fail := func(why any) error { return fmt.Errorf("seed %d: %v, after %v", seed, why, did) }
	for range actions {
		what, err := w.act()
		did = append(did, what)
		if err != nil {
			return fail(err)
		}
		lost, err := w.lost()
		if err != nil {
			return fail(err)
		}
		if lost != "" {
			return fail("LOST: " + lost)
		}
	}
	if err := w.quiet(); err != nil {
		return fail(err)
	}
	return nil
}

// act lets one thing happen, and says what.
func (w *world) act() (string, error) {
	switch n := w.rand.IntN(22); {
	case n < 10:
		return "cycle", w.cycle()
	case n < 12:
		w.ahead.Add(int64(time.Duration(w.rand.IntN(80)) * time.Minute))
		return "time", nil
	case n < 13:
		return "order", w.order()
	case n < 14:
		current, _, err := w.escrowed()
		for _, a := range w.machine.Machine().Accounts {
			_ = w.machine.SignIn(a.Name, current) // it is the password of one of them at most, and may be former
		}
		return "use", err
	case n < 15:
		if sid := w.mooring(); !sid.IsZero() {
			return "delete", w.machine.DeleteAccount(w.ctx, sid)
		}
		return "nobody to delete", nil
	case n < 16:
		if err := w.server.Stop(); err != nil {
			return "stop", err
		}
		return "restart", w.startService()
	case n < 17:
		if err := w.server.Stop(); err != nil {
			return "stop", err
		}
		if w.backup == nil {
			if id, err := w.deviceID(); err != nil ||
				id == "" { // a backup of before the enrolment would know no device
				return "nothing to back up", w.startService()
			}
			if err := w.dump(); err != nil {
				return "backup", err
			}
			return "backup", w.startService()
		}
		if err := w.restore(); err != nil {
			return "restore", err
		}
		w.backup, w.restored = nil, true
		if err := w.startService(); err != nil {
			return "restore", err
		}
		_, err := w.server.Passwords.BeginEpoch(w.ctx)
		return "restore", err
	case n < 18 && w.snapshot == nil:
		if err := w.take(); err != nil && !errors.Is(err, os.ErrNotExist) {
			return "snapshot", err
		}
		return "snapshot", nil
	case n < 18:
		err := w.putBack()
		w.snapshot = nil
		return "put back", err
	case n < 20:
		return "warrant", w.warrant()
	}
	w.link.arrive(0.5)
	return "late arrivals", nil
}

// cycle lets the device work, with everything that can go wrong.
func (w *world) cycle() error {
	began := w.now()
	w.power.left = w.rand.IntN(mostSteps)
	w.link.bad = w.rand.IntN(2) == 0
	w.cutting.Store(w.rand.IntN(2) == 0)
	a, err := w.agent()
	if err == nil {
		err = a.Cycle(w.ctx)
	}
	whole := err == nil && w.power.left > 0
	w.power.left, w.link.bad = -1, false
	w.cutting.Store(false)
	if err := w.server.Deploy.SettlePending(w.ctx); err != nil {
		return fmt.Errorf("settling: %w", err)
	}
	if whole {
		w.restored = false // it has checked in, and given what the service lacked
		return w.outlived(began)
	}
	return nil
}

// mostCycles is how many cycles a device may need until all is as asked, once nothing goes wrong.
const mostCycles = 12

// turnsEnd is longer than a turn of a process that was cut off can last.
const turnsEnd = 20 * time.Second

// quiet lets everything come to rest, and checks that the current deposit is the password.
func (w *world) quiet() error {
	w.link.arrive(1)
	w.ahead.Add(int64(2 * time.Hour)) // what failed may be tried again
	var why string
	// A turn of a process that was cut off is taken by another once its lease has ended.
	turns := time.Now().Add(turnsEnd)
	for n := 0; n < mostCycles || time.Now().Before(turns); n++ {
		if n >= mostCycles {
			<-time.After(turnsEnd / 200)
		}
		a, err := w.agent()
		if err != nil {
			return err
		}
		err = a.Cycle(w.ctx)
		if settling := w.server.Deploy.SettlePending(w.ctx); settling != nil {
			return settling
		}
		if err != nil {
			why = err.Error()
			continue
		}
		if why, err = w.atRest(); err != nil {
			return err
		}
		if why == "" {
			return nil
		}
	}
	return fmt.Errorf("after %d quiet cycles: %s", mostCycles, why)
}

func (w *world) atRest() (string, error) {
	current, _, err := w.escrowed()
	if err != nil {
		return "", err
	}
	sid := w.mooring()
	switch {
	case sid.IsZero():
		return "there is no enabled mooring", nil
	case !w.machine.Opens(sid, current):
		return "the current deposit is not the password", nil
	}
	state, err := w.machine.Read(w.ctx)
	if err != nil {
		return "", err
	}
	if group, _ := state.Group("administrators"); !group.Has(sid) {
		return "the mooring is no administrator", nil
	}
	return "", w.outlived(w.now())
}
