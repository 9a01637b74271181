package agent

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/wire/protocol"
)

// refusedForGood reports whether the service will never take a report. It is then set aside with the reason and told as
// an event, so that the rest goes on.
func refusedForGood(err error) bool {
	return protocol.RefusedWith(
		err,
		protocol.CodeBadReport,
		protocol.CodeReportOfAnother,
		protocol.CodeBadDocument,
		protocol.CodeTooLarge,
	)
}

// setReportAside drops a report that would be refused for ever. One that says the same is not sent again.
func (a *Agent) setReportAside(report drift.Report, why error) {
	a.journal.Pending = nil
	a.journal.Aside = contentOf(report)
	a.journal.Note(
		a.now(),
		drift.Event{Kind: drift.SetAside, Subject: "report", Details: drift.Details{Error: why.Error()}},
	)
}

// contentOf is a digest of what a report says, whenever it was made.
func contentOf(report drift.Report) string {
	data, err := json.Marshal(
		[]any{report.Device, report.Desired, report.State, report.Failures, report.RepeatedlyReverted},
	)
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// setEventAside finds the event that the service refuses by sending one at a time, and drops it.
func (a *Agent) setEventAside(why error) error {
	sent := a.nextEvents()
	if len(sent) > 1 {
		a.oneByOne = true
		return nil
	}
	if len(sent) == 1 {
		refused := sent[0]
		a.journal.Events = slices.Clone(a.journal.Events[1:])
		if refused.Kind != drift.SetAside { // otherwise the service does not even know that
			a.journal.Note(a.now(), drift.Event{
				Kind:    drift.SetAside,
				Subject: string(refused.Kind),
				Details: drift.Details{Error: why.Error()},
			})
		}
	}
	return a.journal.Save()
}

// setResultsAside drops results of orders that the service refuses.
func (a *Agent) setResultsAside(sent []protocol.OrderResult, why error) error {
	a.journal.Results = slices.DeleteFunc(
		a.journal.Results,
		func(r protocol.OrderResult) bool { return slices.Contains(sent, r) },
	)
	a.journal.Note(
		a.now(),
		drift.Event{Kind: drift.SetAside, Subject: "order results", Details: drift.Details{Error: why.Error()}},
	)
	return a.journal.Save()
}
