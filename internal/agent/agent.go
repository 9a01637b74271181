package agent

import (
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"slices"
	"time"

	"github.com/cenkalti/backoff/v5"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/agent/rotate"
	"rankwarden.example/internal/agent/secret"
	"rankwarden.example/internal/kit/atomicfile"
	"rankwarden.example/internal/kit/version"
	"rankwarden.example/internal/wire/protocol"
)

// Options are what an agent is made of.
type Options struct {
	Host    host.Host
	Service string // base URL
	Token   string // enrolment token; needed only until the device is enrolled
	Dir     string // for what the agent keeps
	HTTP    *http.Client
	Clock   Clock
	Random  secret.Random // from the operating system when nil
	// Write replaces a file whole and durably, [atomicfile.Write] when nil.
	Write journal.Write
	Log   *slog.Logger
	// StatusFile is where anybody at the device may read how it stands, empty for nowhere.
	StatusFile string
	// Enrolled is called once the device is enrolled: what it enrolled with is of no use any more. It may be nil.
	Enrolled func() error
}

// Agent keeps one device as it should be.
type Agent struct {
	Options
	journal  *journal.Journal
	rotator  *rotate.Rotator
	interval time.Duration
	accepted bool
	helped   bool          // the system says what somebody who is locked out should do
	offset   time.Duration // service time less the clock's
	latest   time.Time     // service time given out last
	base     time.Time     // service time when the clock's elapsed time was elapsed
	elapsed  time.Duration // of the clock, at base
	behind   bool          // the clock stands behind what was known before the start, and the service said nothing yet
	synced   bool          // the service has told its time
	heard    *time.Time    // when the service answered last, by the clock
	asked    <-chan struct{}
	byHand   string // the latest exchange that somebody at the device asked for
	collect  bool   // report everything, also what has not changed
	enrolled string // the name that the device enrolled under in this run; empty otherwise
	life     string // of this start
	oneByOne bool   // events go one at a time, since the service refuses one of them
}

// retry is the first wait after a failed exchange; it doubles up to the check-in interval.
const retry = time.Second

// defaultInterval holds until the service says another.
const defaultInterval = time.Minute

// New reads what the agent kept, if anything.
func New(o Options) (*Agent, error) {
	if err := os.MkdirAll(o.Dir, 0o700); err != nil {
		return nil, fmt.Errorf("agent state: %w", err)
	}
	if o.Random == nil {
		o.Random = secret.System
	}
	if o.Write == nil {
		o.Write = atomicfile.Write
	}
	sealer, _ := o.Host.(journal.Sealer) // a host may have nothing to seal to
	j, err := journal.Open(o.Dir, o.Write, sealer)
	if err != nil {
		return nil, err
	}
	if o.Log != nil {
		j.Tell = func(e drift.Event) { o.Log.Info(present.Event(e), about(e)...) }
	}
	a := &Agent{Options: o, journal: j, life: rand.Text(), interval: defaultInterval, latest: j.Time}
	a.base, a.elapsed = o.Clock.Now().Round(0), o.Clock.Elapsed()
	a.behind = a.base.Before(j.Time)
	a.rotator = &rotate.Rotator{Host: o.Host, Journal: j, Service: a, Random: o.Random, Now: a.now, Log: o.Log,
		ServiceTime: func(at time.Time) time.Time { return at.Add(a.offset) }}
	return a, nil
}

// Run enrols the device if need be, and then keeps it as it should be until the context ends or
// the power of the host goes.
func (a *Agent) Run(ctx context.Context) error {
	waits := &backoff.ExponentialBackOff{
		InitialInterval:     retry,
		RandomizationFactor: 0.25,
		Multiplier:          2,
		MaxInterval:         a.interval,
	}
	waits.Reset()
	if a.StatusFile != "" {
		a.asked = a.watchAsks(ctx)
	}
	for {
		err := a.Cycle(ctx)
		a.tellStatus(err)
		switch {
		case ctx.Err() != nil:
			return nil
		case errors.Is(err, host.ErrShuttingDown):
			return err
		case err != nil:
			a.cry(ctx, err)
			waits.MaxInterval = a.interval // as the service said last
			pause := waits.NextBackOff()
			if refused := (*protocol.Refusal)(nil); errors.As(err, &refused) {
				pause = max(pause, refused.After) // the service spreads those that it asks to come back
			}
			pause = a.untilWarrant(pause)
			a.Log.Warn("exchange failed; it will be tried again", "error", err, "in", pause)
			select {
			case <-ctx.Done():
				return nil
			case <-a.Clock.After(pause):
			case <-a.asked:
			}
		default:
			waits.Reset()
			a.rest(ctx)
		}
	}
}

// Cycle is one turn: enrol if need be, bring the device into line, report, take what is new, and
// bring it into line with that.
func (a *Agent) Cycle(ctx context.Context) error {
	if a.journal.Device == "" {
		if err := a.enrol(ctx); err != nil {
			return err
		}
	}
	if err := a.interrupted(); err != nil {
		return err
	}
	for {
		if err := a.rotator.WatchUse(ctx); err != nil {
			return err
		}
		report, err := a.look(ctx)
		if err != nil {
			return err
		}
		fresh, err := a.checkIn(ctx, report)
		if protocol.RefusedWith(err, protocol.CodeSequenceBehind) {
			fresh, err = true, a.rotator.NewEpoch(ctx)
		}
		if err != nil || !fresh {
			return err
		}
	}
}

// Summary says how far this device is: that it enrolled, when it did so in this run, and what is carried out.
func (a *Agent) Summary() string {
	said := ""
	if a.enrolled != "" {
		said = "Enrolled as " + a.enrolled + ". "
	}
	switch {
	case a.journal.Device == "":
		return "This device is not enrolled yet."
	case !a.accepted:
		return said + "An owner must accept this device before it is told anything."
	case a.journal.Desired.Number == 0:
		return said + "Nothing is asked of this device yet."
	case a.journal.Last == nil || a.journal.Last.Desired != a.journal.Desired:
		return said + fmt.Sprintf(
			"Desired state %d is carried out, and waits to be reported.",
			a.journal.Desired.Number,
		)
	}
	return said + fmt.Sprintf("Desired state %d is carried out and reported.", a.journal.Desired.Number)
}

func (a *Agent) enrol(ctx context.Context) error {
	token, err := protocol.ParseToken(a.Token)
	if err != nil {
		return err
	}
	a.journal.Root = token.RootFingerprint
	// Nothing is sent before the service has shown the root key that the token names.
	if err := a.FetchKeys(ctx); err != nil {
		return err
	}
	facts, err := a.Host.Facts(ctx)
	if err != nil {
		return fmt.Errorf("reading what this device is: %w", err)
	}
	facts.Agent = version.Number()
	if err := a.journal.Save(); err != nil { // the key must last before it is known elsewhere
		return err
	}
	answer, err := a.askToEnrol(ctx, protocol.EnrolRequest{TokenID: token.ID, Secret: token.Secret, Facts: facts})
	if err != nil {
		return err
	}
	a.journal.Device, a.accepted, a.enrolled = answer.Device, answer.Accepted, facts.Name
	a.setInterval(answer.Interval)
	if err := a.journal.Save(); err != nil || a.Enrolled == nil {
		return err
	}
	if err := a.Options.Enrolled(); err != nil {
		a.Log.Warn("the enrolment token could not be removed", "error", err)
	}
	return nil
}

func (a *Agent) askToEnrol(ctx context.Context, body protocol.EnrolRequest) (protocol.EnrolAnswer, error) {
	var answer protocol.EnrolAnswer
	id := protocol.Thumbprint(a.journal.Key.Public().(ed25519.PublicKey))
	request, err := protocol.Sign(
		protocol.Key{ID: id, Private: a.journal.Key},
		protocol.Header{KeyID: id, URL: protocol.PathEnrol, Time: a.claimed()},
		body,
		true,
	)
	if err != nil {
		return answer, err
	}
	document, err := a.post(ctx, protocol.PathEnrol, request)
	if err != nil {
		return answer, err
	}
	return answer, a.open(document, request, &answer)
}

func (a *Agent) setInterval(seconds int) {
	if seconds > 0 {
		a.interval = time.Duration(seconds) * time.Second
	}
}

// checkIn is one exchange. fresh is true when it brought a new desired state.
func (a *Agent) checkIn(ctx context.Context, report *drift.Report) (fresh bool, err error) {
	if a.journal.Lacking {
		if err := a.rotator.GiveAgain(ctx, protocol.DepositMarks{}); err != nil {
			return false, err
		}
		a.journal.Lacking = false
		if err := a.journal.Save(); err != nil {
			return false, err
		}
	}
	if a.journal.Pending != nil {
		if err := a.settlePending(ctx); err != nil {
			return false, err
		}
	}
	if report != nil {
		return a.sendReport(ctx, *report)
	}
	request, err := a.sign(protocol.PathCheckIn, 0, a.checkInOf(nil))
	if err != nil {
		return false, err
	}
	return a.exchange(ctx, request, a.journal.Results)
}

func (a *Agent) checkInOf(report *drift.Report) protocol.CheckIn {
	return protocol.CheckIn{
		Desired: a.journal.Desired,
		KeyList: a.journal.KeyList.Number,
		Epoch:   a.journal.Epoch,
		Report:  report,
		Events:  a.nextEvents(),
		Orders:  a.journal.Order,
		Results: a.journal.Results,
		Deposit: a.journal.Marks(),
		Life:    a.life,
	}
}

// sendReport keeps the signed report until the service has stored it.
func (a *Agent) sendReport(ctx context.Context, report drift.Report) (fresh bool, err error) {
	a.journal.Seq++
	report.Seq = a.journal.Seq
	request, err := a.sign(protocol.PathCheckIn, report.Seq, a.checkInOf(&report))
	if err != nil {
		return false, err
	}
	a.journal.Pending = &journal.Pending{Request: request, SentAt: a.now(), Report: report, Results: a.journal.Results}
	if err := a.journal.Save(); err != nil {
		return false, err
	}
	return a.exchange(ctx, request, a.journal.Results)
}

// settlePending finds out what became of a report whose answer was never seen.
func (a *Agent) settlePending(ctx context.Context) error {
	p := a.journal.Pending
	_, err := a.exchange(ctx, p.Request, p.Results)
	if protocol.RefusedWith(err, protocol.CodeWrongTime, protocol.CodeBadEvents, protocol.CodeBadResults) {
		// It lay too long, or what went with it was set aside: signed again, it is still the same report.
		if err := a.signPending(); err != nil {
			return err
		}
		_, err = a.exchange(ctx, a.journal.Pending.Request, a.journal.Pending.Results)
	}
	switch {
	case err == nil, protocol.RefusedWith(err, protocol.CodeSequenceUsed):
		a.journal.Last, a.journal.Pending = &p.Report, nil
		return a.journal.Save()
	case refusedForGood(err):
		a.setReportAside(p.Report, err)
		return errors.Join(err, a.journal.Save())
	case protocol.RefusedWith(err, protocol.CodeBadEvents, protocol.CodeBadResults): // the next turn sends less of it
		return errors.Join(err, a.signPending())
	}
	return err
}

func (a *Agent) signPending() error {
	p := a.journal.Pending
	request, err := a.sign(protocol.PathCheckIn, p.Report.Seq, a.checkInOf(&p.Report))
	if err != nil {
		return err
	}
	p.Request, p.Results = request, a.journal.Results
	return a.journal.Save()
}

// exchange sends a check-in that carries the given results of orders.
func (a *Agent) exchange(ctx context.Context, request string, results []protocol.OrderResult) (fresh bool, err error) {
	document, err := a.post(ctx, protocol.PathCheckIn, request)
	switch {
	case protocol.RefusedWith(err, protocol.CodeWrongTime):
		return false, errors.Join(err, a.FetchKeys(ctx)) // the next attempt goes by the service's time
	case protocol.RefusedWith(err, protocol.CodeBadEvents):
		return false, errors.Join(err, a.setEventAside(err))
	case protocol.RefusedWith(err, protocol.CodeBadResults):
		return false, errors.Join(err, a.setResultsAside(results, err))
	case err != nil:
		return false, err
	}
	a.oneByOne = false
	var answer protocol.Answer
	if err := a.open(document, request, &answer); err != nil {
		return false, errors.Join(err, a.FetchKeys(ctx))
	}
	a.accepted = answer.Accepted
	a.takeHelp(ctx, answer.Help)
	a.setInterval(answer.Interval)
	if answer.KeyList != "" {
		if err := a.takeKeys(answer.KeyList); err != nil {
			return false, err
		}
	}
	stored := a.journal.Pending != nil && answer.Stored == a.journal.Pending.Report.Seq
	if stored {
		a.journal.Last, a.journal.Pending = &a.journal.Pending.Report, nil
	}
	if answer.Desired != "" {
		if err := a.openDesired(answer.Desired); err != nil {
			return false, err
		}
		fresh = true
	}
	a.journal.Stored(answer.Events)
	a.journal.Results = slices.DeleteFunc(a.journal.Results, func(r protocol.OrderResult) bool {
		return r.Number <= answer.Results && slices.Contains(results, r)
	})
	if len(answer.Orders) > 0 {
		took, err := a.takeOrders(ctx, answer.Orders)
		if err != nil {
			return false, err
		}
		fresh = fresh || took
	}
	if answer.Deposits != nil {
		if err := a.rotator.GiveAgain(ctx, *answer.Deposits); err != nil {
			return false, err
		}
		fresh = fresh || a.journal.Lacking // a new epoch has begun meanwhile
	}
	if !stored && !fresh && answer.KeyList == "" && answer.Events+answer.Results == 0 {
		return false, nil // nothing new, so nothing to keep
	}
	return fresh, a.journal.Save()
}
