package app

import (
	"cmp"
	"fmt"
	"strings"
	"time"

	"rankwarden.example/api"
)

// Settings are how the service is configured, in words and without secrets.
func (c Config) Settings() []api.Setting {
	yes := func(is bool) string { return map[bool]string{true: "yes", false: "no"}[is] }
	never := func(n int, words string) string {
		if n == 0 {
			return "never"
		}
		return fmt.Sprintf(words, n)
	}
	var networks []string
	for _, n := range c.NotifyNetworks {
		networks = append(networks, n.String())
	}
	directory := "imported only"
	if c.Directory != nil {
		directory = fmt.Sprintf("%s, every %s", c.Directory.URL, span(c.DirectoryEvery))
	}
	provider := "none"
	if c.Provider != nil {
		provider = c.Provider.Issuer
	}
	brake := "off"
	if c.Brake.Percent > 0 || c.Brake.Administrators > 0 {
		brake = fmt.Sprintf("more than %d %% of the fleet, or administrators on more than %d devices", c.Brake.Percent,
			c.Brake.Administrators)
	}
	kept := c.kept()
	const approval, access, records, service = "A second person", "Sign-in", "Records", "Service"
	return []api.Setting{
		{Section: approval, Title: "New members of administrators", Value: yes(c.Approvals.AddedAdministrators),
			Option: "approve-added-administrators"},
		{Section: approval, Title: "Removals from administrators",
			Value:  never(c.Approvals.RemovedAdministrators, "on %d devices or more"),
			Option: "approve-removed-administrators"},
		{Section: approval, Title: "Changes to everything at once", Value: yes(c.Approvals.Everything),
			Option: "approve-everything"},
		{Section: approval, Title: "Changes without waves", Value: yes(c.Approvals.AllAtOnce),
			Option: "approve-all-at-once"},
		{Section: approval, Title: "Opening a wave before its gate is passed", Value: yes(c.SecondPersonOpens),
			Option: "approve-opening-early"},
		{Section: approval, Title: "Waivers of administrators", Value: yes(c.SecondPersonWaives),
			Option: "approve-waivers"},
		{Section: approval, Title: "Escrow keys going live or retiring", Value: yes(c.SecondPersonKeys),
			Option: "approve-keys"},
		{Section: approval, Title: "Views of passwords in an hour", Value: never(c.RevealBudget, "beyond %d"),
			Option: "reveals-per-hour"},
		{Section: approval, Title: "The brake holds edits that alter", Value: brake,
			Option: "brake-percent, brake-administrators"},
		{Section: access, Title: "Second factor required", Value: yes(c.RequireSecondFactor),
			Option: "require-second-factor"},
		{Section: access, Title: "Identity provider", Value: provider, Option: "provider-issuer"},
		{Section: access, Title: "Passwords of our own",
			Value: map[bool]string{true: "sealed owners only", false: "yes"}[c.OnlyProvider], Option: "only-provider"},
		{Section: access, Title: "Reached at", Value: cmp.Or(c.PublicURL, "the address it listens on"),
			Option: "public-url"},
		{Section: access, Title: "Trusted proxies", Value: cmp.Or(strings.Join(c.Proxies, ", "), "none"),
			Option: "trust-proxy"},
		{Section: records, Title: "Every report is kept for", Value: span(kept.Reports) + byMonth,
			Option: "keep-reports"},
		{Section: records, Title: "Device events are kept for", Value: span(kept.Events) + byMonth,
			Option: "keep-events"},
		{Section: records, Title: "Closed findings are kept for", Value: span(kept.Findings) + byMonth,
			Option: "keep-findings"},
		{Section: records, Title: "Superseded desired states are kept for", Value: span(kept.DesiredStates) + byMonth,
			Option: "keep-states"},
		{Section: records, Title: "Applied and dropped changes are kept for", Value: span(kept.Changes),
			Option: "keep-changes"},
		{Section: records, Title: "Ended orders are kept for", Value: span(kept.Orders), Option: "keep-orders"},
		{Section: records, Title: "Checkpoints are added to a file", Value: yes(c.CheckpointFile != ""),
			Option: "checkpoint-file"},
		{Section: service, Title: "Devices check in every", Value: span(c.Interval), Option: "interval"},
		{Section: service, Title: "Waves soak for", Value: cmp.Or(span(c.Soak), "30 min"), Option: "soak"},
		{Section: service, Title: "Directory", Value: directory, Option: "directory-url"},
		{Section: service, Title: "Networks of yours that notifications may go to",
			Value: cmp.Or(strings.Join(networks, ", "), "none"), Option: "notify-network"},
		{Section: service, Title: "Traces go to", Value: cmp.Or(c.Traces, "no collector"), Option: "traces"},
		{Section: service, Title: "Metrics are served at", Value: cmp.Or(c.MetricsListen, "no address"),
			Option: "metrics-listen"},
	}
}

// byMonth says when the time begins for which records that go by the month are kept.
const byMonth = " after the month is over"

// span is a time in words; empty for none.
func span(d time.Duration) string {
	const day = 24 * time.Hour
	for _, in := range []struct {
		unit time.Duration
		word string
	}{{day, "days"}, {time.Hour, "h"}, {time.Minute, "min"}, {time.Second, "s"}} {
		if d > 0 && d%in.unit == 0 {
			return fmt.Sprintf("%d %s", d/in.unit, in.word)
		}
	}
	if d == 0 {
		return ""
	}
	return d.String()
}
