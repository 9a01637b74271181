package reporting

import (
	"cmp"
	"context"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// Limits of the overview.
const (
	maxMarks   = 150     // devices of a group that are named one by one
	maxField   = 10_000  // devices of a group that are drawn one by one
	maxFields  = 100_000 // of all groups that are
	maxRecent  = 40
	recentSpan = 24 * time.Hour
)

// Counts are numbers of devices by standing.
type Counts = fleetview.Counts

// VerifiedCounts counts live devices: all, those heard from within three check-in intervals, those verified under their
// newest desired state, and of those heard from the ones that have reported back on it and the ones that are verified.
type VerifiedCounts struct{ Devices, Online, Verified, OnlineReported, OnlineVerified int }

// Overview is the fleet now, as far as an operator may see it.
type Overview struct {
	Standings Counts
	Verified  VerifiedCounts
	Strips    []fleetview.Group // devices are named where they are few enough to be drawn
	Decisions []Decision
	Edits     []audit.Entry
	Findings  []store.Finding
	Rollouts  []RolloutSummary // under way
	Versions  []AgentVersion   // of the agents in use, most devices first
	Unsettled int              // changes that are still being settled for their devices
}

// Watch gives the overview of the devices in reach, narrowed to a group when it is named.
func (s *Service) Watch(ctx context.Context, who rights.Identity, group string) (Overview, error) {
	clock, reach := s.Clock(), who.Reach(rights.Look)
	since := clock.Now.Add(-recentSpan)
	var o Overview
	var standings fleetview.Tally
	if err := devicegroups.Asked(s.Read(ctx), group); err != nil {
		return o, err
	}
	held, versions := newHeldSums(), map[string]int{}
	visit := func(d *fleetview.Device, standing drift.Standing) {
		online, verified := !d.StandingInput.LastContact.Before(clock.Silent()), d.Verified()
		o.Verified.Devices++
		o.Verified.Online += numberOf(online)
		o.Verified.Verified += numberOf(verified)
		o.Verified.OnlineReported += numberOf(online && d.ReportedBack())
		o.Verified.OnlineVerified += numberOf(online && verified)
		standings.Add(standing)
		versions[d.AgentVersion]++
		held.add(d)
	}
	whole := visit // the fleet is gone through once where that is enough
	if group != "" {
		whole = nil
		s.View.Each(
			clock,
			fleetview.Filter{Reach: reach, Group: group},
			func(d *fleetview.Device, standing drift.Standing) bool {
				visit(d, standing)
				return true
			},
		)
	}
	drawn := 0
	for _, g := range s.View.Groups(clock, reach, fleetview.Drawn{Marks: maxMarks, Field: maxField}, whole) {
		if group != "" && g.Name != group || g.Counts.Total() == 0 {
			continue
		}
		if g.Counts.Total() > maxMarks-1 {
			g.Marks = nil
		} else {
			g.Field = nil // its devices are named
		}
		if drawn += len(g.Field); drawn > maxFields {
			g.Field = nil
		}
		o.Strips = append(o.Strips, g)
	}
	o.Standings, o.Versions = standings.Counts(), byDevices(versions)
	err := s.Snapshot(ctx, func(tx Reads) error {
		waiting, failed, err := tx.SettleWaiting()
		if err != nil {
			return err
		}
		o.Unsettled = waiting + len(failed)
		if o.Rollouts, err = s.underWay(tx, who); err != nil {
			return err
		}
		if o.Decisions, err = s.decisions(tx, who, held, failed); err != nil {
			return err
		}
		if o.Edits, err = tx.RecentAudit(since, maxRecent, who.May(rights.Trail)); err != nil {
			return err
		}
		o.Findings, err = tx.RecentFindings(reach, since, maxRecent)
		return err
	})
	return o, err
}

// AgentVersion is a version of the agent that so many devices run.
type AgentVersion struct {
	Version string // empty for those that have not said one
	Devices int
}

// mostVersions is how many versions are told; a fleet with more has the rest on few devices.
const mostVersions = 20

func byDevices(versions map[string]int) []AgentVersion {
	list := make([]AgentVersion, 0, len(versions))
	for version, devices := range versions {
		list = append(list, AgentVersion{version, devices})
	}
	slices.SortFunc(list, func(a, b AgentVersion) int {
		return cmp.Or(-cmp.Compare(a.Devices, b.Devices), cmp.Compare(a.Version, b.Version))
	})
	return list[:min(len(list), mostVersions)]
}

func numberOf(b bool) int {
	if b {
		return 1
	}
	return 0
}
