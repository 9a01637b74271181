package demo

import (
	"fmt"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/host/simulated"
)

const day = 24 * time.Hour

// formerColleague left the company, and stayed an administrator of fourteen devices.
const (
	formerColleague = "eilif"
	colleagueStays  = 14
)

// past gives a workstation what years of work leave behind: accounts that nobody remembers, a service that runs as one
// of them, lines of sudoers, and sign-ins long ago. The i-th device has the same past every time.
func past(m *simulated.Machine, code string, i int, now time.Time) {
	w := simulated.Boot(*m, func() time.Time { return now })
	local := localPerson[code]
	add := func(name string, admin bool) {
		w.AddAccount(name)
		if admin {
			mustJoin(w, unit.GroupAdministrators, name)
		}
	}
	if i%17 == 3 && i/17 < colleagueStays && code != "INF" {
		add(formerColleague, true)
		mustJoin(w, "backup-operators", formerColleague)
	}
	if i%5 == 2 {
		add("support", false) // made by hand, on each device anew
	}
	if code == "BRG" {
		add("tide", true)
	}
	*m = w.Machine()
	for _, s := range []struct {
		name, runs string
	}{{"tide", "service tide-sync"}, {"support", "task nightly-copy"}} {
		if sid := w.Find(s.name); !sid.IsZero() {
			m.Services = append(m.Services, simulated.Service{Name: s.runs, Account: sid})
		}
	}
	if m.Facts.Platform == host.PlatformLinux {
		m.Sudoers = []drift.Sudo{{Name: local, SID: w.Find(local), Via: "/etc/sudoers.d/signage",
			Commands: []string{"/usr/bin/systemctl restart signage"}}}
		if i%3 == 1 {
			m.Sudoers = append(m.Sudoers, drift.Sudo{Name: "support", SID: w.Find("support"),
				Via: "/etc/sudoers.d/support", Commands: []string{"ALL"}, Root: true})
		}
	}
	signIns(m, w, i, now, map[string]time.Duration{local: day, "setup": 400 * day, formerColleague: 210 * day,
		"support": 95 * day})
}

// signIns writes when somebody signed in last, oldest first.
func signIns(m *simulated.Machine, w *simulated.Workstation, i int, now time.Time, ago map[string]time.Duration) {
	for _, name := range []string{"setup", formerColleague, "support", localPerson[codeOf(m.Facts.Name)]} {
		sid := w.Find(name)
		if sid == (principal.SID{}) || ago[name] == 0 {
			continue
		}
		m.SignIns = append(m.SignIns, host.SignIn{Number: int64(len(m.SignIns) + 1), Account: sid,
			At: now.Add(-ago[name] - time.Duration(i%9)*7*time.Hour)})
	}
}

func codeOf(device string) string { return strings.Split(device, "-")[1] }

func mustJoin(w *simulated.Workstation, group, name string) {
	if err := w.Join(group, name); err != nil {
		panic(fmt.Errorf("a fresh workstation has %s and %s: %w", group, name, err))
	}
}
