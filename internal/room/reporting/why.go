package reporting

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/present"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// SettingWhy is one unit of a device: what is asked, what it has, and why.
type SettingWhy struct {
	Unit               unit.ID
	Section            string
	Title              string
	Desired            string // in words; what it is told, for a held unit what it was told before
	Reported           string // in words
	DecidedBy          string // in words
	Settled            resolve.Unit
	DesiredValue       unit.Value // nil when a held unit never had a value
	HeldWhy            string     // in words, empty when not held
	Findings           []drift.Finding
	Compared           bool // verified against what is asked now
	RepeatedlyReverted bool // something keeps changing it back
	Trial              *TrialUnit
	Waived             []protocol.Waived // of its findings, those that are accepted
	Warrants           warrant.Running   // rights for a time that run
}

// WaivedUntil is until when a finding of the setting is accepted, nil when it is not.
func (a SettingWhy) WaivedUntil(f drift.Finding) *time.Time {
	for _, w := range a.Waived {
		if w.Unit == f.Unit && w.Subject == f.Subject {
			return &w.Until
		}
	}
	return nil
}

// InStep reports whether the unit was read back as asked. That the grace of an account runs is what is asked.
func (a SettingWhy) InStep() bool {
	return a.Compared && !slices.ContainsFunc(a.Findings, func(f drift.Finding) bool {
		return f.Kind != drift.AccountCounted
	})
}

// TrialUnit is what trial assignments would make of a unit.
type TrialUnit struct {
	Settled   resolve.Unit
	Desired   string // in words
	DecidedBy string
	Effects   []effect.Effect // that enforcing them would have
}

// Met is an assignment that may include a device, and whether it applies.
type Met struct {
	store.Assignment
	Outcome assign.Outcome
}

// DeviceWhy is the answer to: what is asked of this device, what has it, and why?
type DeviceWhy struct {
	Device      store.Device
	Assignments []Met // by rank and name
	Units       []SettingWhy
	Problems    []resolve.Problem
	Reported    *drift.Report // nil before the first report
	Directory   *principal.Table
	At          *time.Time // nil for now
	// Undecided says of assignments why nobody can tell whether they apply.
	Undecided map[string]string
	Notes     []string // on the service and the device, for whoever looks at it now
}

// Why explains a device, unit by unit.
func (s *Service) Why(ctx context.Context, who rights.Identity, idOrName string) (DeviceWhy, error) {
	var out DeviceWhy
	err := s.Snapshot(ctx, func(tx Reads) error {
		d, err := reach.Visible(tx, s.Clock(), who, idOrName)
		if err != nil {
			return err
		}
		out.Device = d
		if out.Assignments, err = metBy(tx, d); err != nil {
			return err
		}
		if out.Undecided, err = undecided(tx, d, out.Assignments); err != nil {
			return err
		}
		if out.Notes, err = s.notesOf(tx, d); err != nil {
			return err
		}
		e := explanation{device: d, now: s.Clock()}
		if err := e.read(tx); err != nil {
			return err
		}
		out.Problems, out.Reported, out.Directory = e.enforced.Problems, e.report, e.directory
		out.Units = e.units()
		return sayKept(tx, d, out.Units)
	})
	return out, err
}

// metBy are the assignments whose include groups may hold a device, with whether they apply.
func metBy(tx Reads, d store.Device) ([]Met, error) {
	groups, err := tx.GroupsOf(d.ID)
	if err != nil {
		return nil, err
	}
	truth := map[string]assign.Truth{assign.Everything: assign.Yes}
	for _, g := range groups {
		truth[g.Name] = assign.Unknown
		if g.Certain {
			truth[g.Name] = assign.Yes
		}
	}
	assignments, err := tx.Assignments()
	if err != nil {
		return nil, err
	}
	records := map[string]store.Assignment{}
	aims := make([]assign.Assignment, len(assignments))
	for i, a := range assignments {
		records[a.Name], aims[i] = a, a.Aim()
	}
	met := []Met{}
	for _, c := range plan.Candidates(aims, func(g string) assign.Truth { return truth[g] }) {
		met = append(met, Met{records[c.Name], c.Outcome})
	}
	return met, nil
}

// explanation gathers what is known of a device.
type explanation struct {
	device    store.Device
	now       store.Clock
	enforced  resolve.Lane
	projected *resolve.Lane
	told      protocol.DesiredContent // what the device is to have
	former    protocol.DesiredContent // what its last report was made under
	report    *drift.Report
	directory *principal.Table
	past      bool  // the device is explained as it was at a time
	met       []Met // of the past
}

func (e *explanation) read(tx Reads) (err error) {
	d := e.device
	if d.Scope != nil {
		scope, err := tx.Scope(*d.Scope)
		if err != nil {
			return err
		}
		err = json.Unmarshal([]byte(scope.Lane), &e.enforced)
		if e.past {
			met, wrong := metThen(scope)
			e.met, err = met, errors.Join(err, wrong)
		} else if scope.Projected != nil {
			err = errors.Join(err, json.Unmarshal([]byte(*scope.Projected), &e.projected))
		}
		if err != nil {
			return fmt.Errorf("reading a scope: %w", err)
		}
	}
	if e.told, err = tx.Asked(d.SettingsDigest); err != nil {
		return err
	}
	if e.former, err = askedWhenReported(tx, d, e.told); err != nil {
		return err
	}
	settings := e.told.Settings
	if e.projected != nil {
		settings = append(slices.Clone(settings), e.projected.Settings()...)
	}
	var states []*drift.State
	if d.ReportID != nil {
		report, _, err := tx.ReportBody(*d.ReportID)
		if err != nil {
			return err
		}
		if e.past {
			err = tx.DepositTimesAt(d.ID, e.now.Now, &report.State)
		} else {
			err = tx.DepositTimes(e.now, d.ID, &report.State)
		}
		if err != nil {
			return err
		}
		e.report = &report
		states = append(states, &report.State)
	}
	e.directory, err = tx.DirectoryOf(settings, states...)
	return err
}

// askedWhenReported gives what the last report was made under: while a newer desired state is not
// yet reported back, what the device has can only be compared with the former one.
func askedWhenReported(tx Reads, d store.Device, told protocol.DesiredContent) (protocol.DesiredContent, error) {
	if d.ReportedNumber == 0 || d.ReportedEpoch == d.DesiredEpoch && d.ReportedNumber == d.DesiredNumber {
		return told, nil
	}
	former, err := tx.DesiredState(d.ID, d.ReportedEpoch, d.ReportedNumber)
	if err != nil {
		return protocol.DesiredContent{}, err
	}
	return tx.Asked(former.Settings)
}

func (e *explanation) check(settings []unit.Setting) []drift.Finding {
	if e.report == nil {
		return nil
	}
	return drift.Check(
		settings,
		&e.report.State,
		e.report.Failures,
		drift.Context{Directory: e.directory, Now: e.now.Now, Grace: e.now.Interval},
	)
}

// explained are the units that somebody or something asks for, or that the device was told of.
func (e *explanation) explained(trial map[unit.ID]*TrialUnit, running warrant.Running) []resolve.Unit {
	settled := slices.Clone(e.enforced.Units)
	seen := map[unit.ID]bool{}
	for _, u := range settled {
		seen[u.Unit] = true
	}
	for _, s := range e.told.Settings { // held, though nobody can say whether anybody asks for it now
		if !seen[s.Unit] {
			seen[s.Unit] = true
			settled = append(settled, resolve.Unit{Unit: s.Unit})
		}
	}
	for _, h := range running { // nobody asks for anything but the warrant
		if !seen[h.Unit] {
			seen[h.Unit] = true
			settled = append(settled, resolve.Unit{Unit: h.Unit})
		}
	}
	for id := range trial { // asked for by trial assignments only
		if !seen[id] {
			settled = append(settled, resolve.Unit{Unit: id})
		}
	}
	return settled
}

// units explains every unit that is asked for, that the device was told of, or that is on trial.
func (e *explanation) units() []SettingWhy {
	told, former := valuesOf(e.told.Settings), valuesOf(e.former.Settings)
	findings := map[unit.ID][]drift.Finding{}
	running := e.told.Running(e.now.Now)
	for _, f := range e.check(e.former.Running(e.now.Now).Over(e.former.Settings, nil)) {
		findings[f.Unit] = append(findings[f.Unit], f)
	}
	trial := e.trials()
	units := []SettingWhy{}
	for _, u := range e.explained(trial, running) {
		a := SettingWhy{
			Unit:               u.Unit,
			Section:            present.Section(u.Unit),
			Title:              present.Unit(u.Unit),
			DecidedBy:          present.Why(u),
			Settled:            u,
			DesiredValue:       told[u.Unit],
			Findings:           []drift.Finding{},
			Reported:           "not reported yet",
			Trial:              trial[u.Unit],
			RepeatedlyReverted: slices.Contains(e.device.RepeatedlyReverted, u.Unit),
			Warrants:           running.Of(u.Unit),
		}
		for _, w := range e.told.Waived {
			if w.Unit == u.Unit && e.now.Now.Before(w.Until) {
				a.Waived = append(a.Waived, w)
			}
		}
		a.Desired = present.Value(u.Unit, a.DesiredValue)
		if u.Verdict == "" && a.DesiredValue != nil {
			a.DecidedBy = "its assignment was deleted"
		}
		if a.DesiredValue == nil && len(a.Warrants) > 0 {
			a.Desired, a.DecidedBy = "whoever is a member, and by warrant", "set by warrant only"
		}
		if u.Verdict == "" && a.Trial != nil {
			a.DecidedBy = "set by trial assignments only"
		}
		for _, h := range e.device.Held {
			switch {
			case h.Unit == u.Unit && h.Why == string(resolve.UndecidedScope):
				a.HeldWhy = heldWhole
			case h.Unit == u.Unit:
				a.HeldWhy = present.Held(h)
			}
		}
		if a.DesiredValue == nil && a.HeldWhy != "" {
			a.Desired = "none yet, held"
		}
		if e.report != nil {
			a.Reported = present.Has(u.Unit, a.DesiredValue, &e.report.State, e.directory)
			now, before := a.DesiredValue, former[u.Unit]
			if now != nil && before != nil && now.Equal(before) || now == nil && len(a.Warrants) > 0 {
				a.Findings = append(a.Findings, findings[u.Unit]...)
				a.Compared = true
			}
		}
		units = append(units, a)
	}
	slices.SortFunc(units, func(a, b SettingWhy) int { return present.Compare(a.Unit, b.Unit) })
	return units
}

// trials are the units that trial assignments would change, with what enforcing them would do.
func (e *explanation) trials() map[unit.ID]*TrialUnit {
	if e.projected == nil {
		return nil
	}
	now := map[unit.ID]resolve.Unit{}
	for _, u := range e.enforced.Units {
		now[u.Unit] = u
	}
	var state *drift.State
	if e.report != nil {
		state = &e.report.State
	}
	forecast := map[unit.ID][]effect.Effect{}
	_, effects := preview.Differ(e.enforced, *e.projected, e.told.Settings).
		Compare(preview.Device{State: state}, e.directory)
	for _, f := range effects {
		forecast[f.Unit] = append(forecast[f.Unit], f)
	}
	trial := map[unit.ID]*TrialUnit{}
	for _, u := range e.projected.Units {
		enforced, there := now[u.Unit]
		if there && (u.Value == nil) == (enforced.Value == nil) && (u.Value == nil || u.Value.Equal(enforced.Value)) {
			continue
		}
		t := &TrialUnit{
			Settled:   u,
			Desired:   present.Value(u.Unit, u.Value),
			DecidedBy: present.Why(u),
			Effects:   forecast[u.Unit],
		}
		if u.Value == nil {
			t.Desired = "contested"
		}
		trial[u.Unit] = t
	}
	return trial
}

func valuesOf(settings []unit.Setting) map[unit.ID]unit.Value {
	values := map[unit.ID]unit.Value{}
	for _, s := range settings {
		values[s.Unit] = s.Value
	}
	return values
}

// heldWhole says of one setting that all of the device are held; why is said once, for the device.
const heldWhole = "every setting of this device is held"

// sayKept says of each held setting which desired state its value is kept from.
func sayKept(tx Reads, d store.Device, units []SettingWhy) error {
	for i, u := range units {
		if u.HeldWhy == "" || u.DesiredValue == nil {
			continue
		}
		from, err := keptFrom(tx, d, u.Unit, u.DesiredValue)
		if err != nil {
			return err
		}
		units[i].Desired += fmt.Sprintf(", kept from desired state %d", from)
	}
	return nil
}
