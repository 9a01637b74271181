package agent

import (
	"context"
	"math/rand/v2"
	"time"

	"rankwarden.example/internal/wire/protocol"
)

// rest holds a request open, again and again, until something is waiting or the next check-in is due.
func (a *Agent) rest(ctx context.Context) {
	wait := a.interval - rand.N(a.interval/10+1)
	if !a.rotator.Wake.IsZero() {
		wait = max(min(wait, a.rotator.Wake.Sub(a.now())), 0)
	}
	due := a.Clock.After(a.untilWarrant(wait))
	parked, end := context.WithCancel(ctx)
	defer end()
	var nudged chan parkedResult
	var again <-chan time.Time
	if a.accepted {
		nudged = a.park(parked)
	}
	for {
		select {
		case <-ctx.Done():
			return
		case <-due:
			return
		case <-a.Host.Watch():
			return
		case <-a.asked:
			return
		case result := <-nudged:
			switch {
			case result.ready:
				a.takeEarly(result.desired)
				return
			case result.err != nil:
				nudged, again = nil, a.Clock.After(retry+rand.N(a.interval))
			default:
				nudged = a.park(parked)
			}
		case <-again:
			nudged, again = a.park(parked), nil
		}
	}
}

// parkedResult is what became of one parked request.
type parkedResult struct {
	ready   bool   // something is waiting
	desired string // the desired state that waits, signed; empty where it is something else
	err     error
}

// takeEarly takes a desired state that came with the answer to a parked request. What is wrong with it is said by the
// check-in that follows, which brings it again.
func (a *Agent) takeEarly(document string) {
	if document == "" || a.openDesired(document) != nil {
		return
	}
	_ = a.journal.Save() // the cycle that follows saves before it changes anything, and says what is wrong
}

// park sends one request that the service holds open.
func (a *Agent) park(ctx context.Context) chan parkedResult {
	result := make(chan parkedResult, 1)
	request, err := a.sign(
		protocol.PathWait,
		0,
		protocol.WaitRequest{Desired: a.journal.Desired, KeyList: a.journal.KeyList.Number, Orders: a.journal.Order},
	)
	if err != nil {
		result <- parkedResult{err: err}
		return result
	}
	keys := a.journal.KeyList
	go func() {
		document, err := a.post(ctx, protocol.PathWait, request)
		if err != nil {
			result <- parkedResult{err: err}
			return
		}
		answer, err := openWait(document, request, keys)
		result <- parkedResult{answer.Ready, answer.Desired, err}
	}()
	return result
}

func openWait(document, request string, keys protocol.KeyList) (protocol.WaitAnswer, error) {
	signed, err := protocol.Parse(document)
	if err != nil {
		return protocol.WaitAnswer{}, err
	}
	key, known := keys.Signing(signed.Header.KeyID)
	if !known {
		return protocol.WaitAnswer{Ready: true}, nil // by a newer key list than ours: a check-in brings it
	}
	var answer protocol.WaitAnswer
	header, err := protocol.Open(document, key, &answer)
	if err != nil || header.Answers != protocol.Digest([]byte(request)) {
		return protocol.WaitAnswer{}, ErrAnswer
	}
	return answer, nil
}
