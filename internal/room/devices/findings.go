package devices

import (
	"encoding/json"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// judgement is a report on its way to what comes of it.
type judgement struct {
	in       *incoming
	device   store.Device
	settings []unit.Setting  // that are asked for
	before   drift.State     // as the device found things
	current  bool            // the report is about the newest desired state
	looked   bool            // before is known
	named    []principal.Ref // whom the directory is asked for
	taken    store.TakenReport
}

// prepare works out what a report says by itself.
func (s *Service) prepare(b ReportBatch, d store.Device, in *incoming) (*judgement, error) {
	now, r := s.Now(), &in.report
	j := &judgement{in: in, device: d, taken: store.TakenReport{
		Report: store.Report{DeviceID: d.ID, Epoch: in.epoch, Seq: r.Seq, DesiredEpoch: r.Desired.Epoch,
			DesiredNumber: r.Desired.Number, At: earlier(r.At, now), ReceivedAt: now, Digest: in.digest, Body: in.body,
			Content: in.content},
		OpenFindings:       d.OpenFindings,
		RepeatedlyReverted: append([]unit.ID{}, r.RepeatedlyReverted...),
		Mismatched:         r.Desired.Foreign(d.Desired()),
		Locked:             lockedIn(r.State),
		Next:               r.Rotation,
	}}
	if r.Desired != d.Desired() {
		return j, nil // it says nothing of the newest desired state
	}
	j.current = true
	asked, err := s.Scopes.Asked(b, d.SettingsDigest)
	if err != nil {
		return nil, err
	}
	j.settings = s.asked(asked, r.At)
	j.before, j.looked = r.Before()
	rotationsReported(b.Rotations(d.ID), j)
	j.named = store.NamedIn(j.settings, &r.State, &j.before)
	return j, nil
}

// compare compares a report under the newest desired state with what was open before, and takes it.
func (s *Service) compare(b ReportBatch, j *judgement, about drift.Context) error {
	if !j.current {
		b.Store(j.taken)
		return nil
	}
	d, taken := j.device, &j.taken
	have, had := drift.Check(j.settings, &j.in.report.State, j.in.report.Failures, about), []drift.Finding(nil)
	if j.looked {
		had = drift.Check(j.settings, &j.before, nil, about)
	}
	var whose map[unit.ID][]string
	if len(have)+len(had) > 0 || j.bound() { // most devices have nothing to be told of
		var err error
		if whose, err = s.Scopes.DecidedBy(b, scopeOf(d)); err != nil {
			return err
		}
	}
	have = append(have, drift.LeftBehind(&j.in.report.State, func(id unit.ID) bool {
		_, claimed := whose[id]
		return claimed
	})...)
	have = append(have, drift.Outlived(&j.in.report.State, j.settings, b.Ended(d.ID), about)...)
	if d.NameRefused != "" {
		have = append(have, drift.NameTaken(d.Name, d.NameRefused))
	}
	waived := func(f drift.Finding) bool {
		return slices.ContainsFunc(
			b.Waived(d.ID),
			func(x protocol.Waived) bool { return x.Unit == f.Unit && x.Subject == f.Subject },
		)
	}
	known := map[string]store.Finding{}
	for _, f := range b.OpenFindings(d.ID) {
		known[f.Key] = f
	}
	present := map[string]bool{}
	taken.OpenFindings, taken.Moved = 0, map[string][]int64{}
	for _, f := range have {
		state := store.FindingOpen
		switch {
		case waived(f):
			state = store.FindingWaived
		case f.Drifts():
			taken.OpenFindings++
		}
		present[f.Key()] = true
		found := newFinding(d.ID, f, whose[f.Unit], state, about.Now)
		if before, again := known[f.Key()]; again {
			if found.ID = before.ID; before.State != state {
				taken.Moved[state] = append(taken.Moved[state], before.ID)
			}
			taken.Again = append(taken.Again, found)
			continue
		}
		taken.Fresh = append(taken.Fresh, found)
	}
	for _, f := range had {
		if _, wasOpen := known[f.Key()]; !present[f.Key()] && !wasOpen {
			taken.Fresh = append(taken.Fresh, newFinding(d.ID, f, whose[f.Unit], store.FindingCorrected, about.Now))
		}
	}
	for key, f := range known {
		if !present[key] {
			taken.Gone = append(taken.Gone, f.ID)
		}
	}
	slices.Sort(taken.Gone)
	if taken.OpenFindings == 0 && len(j.in.report.Failures) == 0 && !taken.Mismatched {
		taken.VerifiedAt = &taken.ReceivedAt
	}
	b.Store(*taken)
	return nil
}

// bound reports whether the device has an account that belongs to a key.
func (j *judgement) bound() bool {
	return slices.ContainsFunc(j.in.report.Accounts, func(a drift.Account) bool { return a.Key != "" })
}

func newFinding(device string, f drift.Finding, assignments []string, state string, now time.Time) store.Finding {
	if assignments == nil {
		assignments = []string{}
	}
	record := store.Finding{
		DeviceID:    device,
		Key:         f.Key(),
		Unit:        f.Unit.String(),
		Kind:        string(f.Kind),
		Subject:     f.Subject,
		Expected:    jsonOf(f.Expected),
		Actual:      jsonOf(f.Actual),
		Via:         f.Via,
		Assignments: assignments,
		State:       state,
		FirstSeen:   now,
		LastSeen:    now,
	}
	if state == store.FindingCorrected {
		record.ClosedAt = &now
	}
	return record
}

func jsonOf(value any) *string {
	if value == nil {
		return nil
	}
	data, err := json.Marshal(value)
	if err != nil {
		return nil // only values of core are given, which marshal
	}
	return new(string(data))
}

// mostBehind is how far behind the service's time the time of a report may be for what runs on its device.
const mostBehind = time.Minute

// asked is what a report is compared with: what is asked of the device, with the warrants laid over it that ran when it
// read itself. A device cannot keep one running by a time of its own.
func (s *Service) asked(of protocol.DesiredContent, at time.Time) []unit.Setting {
	now := s.Now()
	if least := now.Add(-mostBehind); at.Before(least) {
		at = least
	}
	if at.After(now) {
		at = now
	}
	return of.Running(at).Over(of.Settings, nil)
}
