// Package largefleet makes a scenario of a large invented organisation, to see how settling grows.
package largefleet

import (
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
)

// The size of the organisation.
const (
	Devices     = 100_000
	Policies    = 200
	Assignments = 400
	Listed      = 250
	Rules       = 50
)

var builds = []int{19045, 22000, 22621, 22631, 26100}

type object = map[string]any

// Write writes the scenario in JSON: 100,000 devices, 200 policies of all kinds of unit, 400
// assignments and 300 groups, 50 of them by rule. A device is in a place, of a kind, and now and then
// in a small group of its own. It is the same every time.
func Write(w io.Writer) error { return write(w, Devices, 300, Policy) }

// WriteHarder writes a harder one: its small groups are larger, so that about three times as many distinct
// sets of assignments are met, and its policies leave things open, so that devices have problems by the dozen.
func WriteHarder(w io.Writer) error { return WriteHarderOf(w, Devices) }

// WriteHarderOf is [WriteHarder] with another number of devices. The small groups stay as large as they are.
func WriteHarderOf(w io.Writer, devices int) error { return write(w, devices, 1350, harder) }

// harder is [Policy], but rotations name accounts that few policies declare, and lists are exact.
func harder(p, revision int) string {
	switch p % 4 {
	case 1:
		return fmt.Sprintf(
			`{"format": "rankwarden.policy/1", "name": "p%[1]d", "accounts": [{"key": "mooring-%[2]d", "name": "mooring-%[2]d"}], "rotation": [{"target": "account:mooring-%[2]d", "secret": {"length": 12}}, {"target": "account:mooring-%[3]d"}]}`,
			p,
			p%12,
			(p+1)%12,
		)
	case 2:
		return fmt.Sprintf(
			`{"format": "rankwarden.policy/1", "name": "p%[1]d", "membership": [{"local_group": "users", "mode": "adjust", "members": ["account:crew-%[2]d"]}, {"local_group": "administrators", "mode": "adjust", "members": ["account:mooring-%[3]d"]}]}`,
			p,
			p%9,
			p%12,
		)
	}
	return Policy(p, revision)
}

func write(w io.Writer, count, small int, document func(p, revision int) string) error {
	scenario := object{
		"format": "rankwarden.scenario/1", "groups": groups(count, small), "devices": devices(count),
	}
	var policies, assignments []any
	for p := range Policies {
		policies = append(policies, json.RawMessage(document(p, 0)))
	}
	for a := range Assignments {
		assignments = append(assignments, assignment(a))
	}
	scenario["policies"], scenario["assignments"] = policies, assignments
	if err := json.NewEncoder(w).Encode(scenario); err != nil {
		return fmt.Errorf("writing the scenario: %w", err)
	}
	return nil
}

func name(device int) string { return fmt.Sprintf("SKL-%06d", device) }

func devices(count int) []any {
	list := make([]any, count)
	for i := range list {
		list[i] = object{
			"name": name(i), "platform": "windows", "os_version": "10.0", "os_build": builds[i*7919%len(builds)],
			"model": fmt.Sprint(
				"Quay ",
				i%20,
			), "path": fmt.Sprintf("area-%d/place-%d", i%10, i%100), "tags": []string{fmt.Sprint("kind-", i%8)},
		}
	}
	return list
}

func groupName(g int) string {
	if g < Listed {
		return fmt.Sprint("listed-", g)
	}
	return fmt.Sprint("rule-", g-Listed)
}

// groups are all groups of so many devices; the small ones have a few of them.
func groups(count, small int) []any {
	random := rand.New(rand.NewPCG(1, 2))
	var list []any
	for g := range Listed {
		members := []string{}
		switch {
		case g < 100: // places
			for d := g; d < count; d += 100 {
				members = append(members, name(d))
			}
		case g < 200: // kinds within the organisation
			for d := g - 100; d < count; d += 100 * (1 + g%3) {
				members = append(members, name(d))
			}
		default: // a few devices each, drawn from anywhere
			for range small {
				members = append(members, name(random.IntN(count)))
			}
		}
		list = append(list, object{"name": groupName(g), "devices": members})
	}
	for g := range Rules {
		list = append(list, object{"name": groupName(Listed + g), "rule": []string{
			fmt.Sprintf(`device.os_build >= %d`, builds[g%5]),
			fmt.Sprintf(`"kind-%d" in device.tags && device.os_build < %d`, g%8, builds[g%5]),
			fmt.Sprintf(`device.path.startsWith("area-%d/")`, g%10),
			fmt.Sprintf(`device.model == "Quay %d" || device.os_version.startsWith("11.")`, g%20),
			fmt.Sprintf(`device.name.endsWith("%02d")`, g),
		}[g%5]})
	}
	return list
}

// Policy is the document of a policy, in JSON; with another revision it asks for something else.
func Policy(p, revision int) string {
	key := fmt.Sprint("mooring-", p%12)
	return fmt.Sprintf(`{"format": "rankwarden.policy/1", "name": "p%d", %s}`, p, []string{
		fmt.Sprintf(`"passwords": {"min_length": %d, "history": %d, "complexity": true}, "lockout": {"threshold": %d}`,
			8+p%10+revision, p%24, 3+p%7),
		fmt.Sprintf(`"accounts": [{"key": %[1]q, "name": "%[1]s-##", "local_groups": ["administrators"]}], "rotation": [{"target": "account:%[1]s", "every": "%[2]dd"}]`, key, 7+p%20+revision),
		fmt.Sprintf(`"membership": [{"local_group": "administrators", "mode": "adjust", "members": ["local:crew-%d", "account:%s"], "remove": ["local:old-%d"]}]`, p, key, p+revision),
		fmt.Sprintf(`"builtins": {"administrator": {"name": "quay-%d", "enabled": false}, "guest": {"enabled": false}}, "passwords": {"max_age_days": %d}`, p%3, 90+p+revision),
	}[p%4])
}

func assignment(a int) any {
	total := Listed + Rules
	x := object{
		"name":    fmt.Sprint("a", a),
		"policy":  fmt.Sprint("p", a%Policies),
		"rank":    1 + a*23%9999,
		"include": []string{groupName(a % total)},
	}
	if a < 4 {
		x["include"] = []string{"everything"}
	}
	if a%7 == 0 {
		x["exclude"] = []string{groupName(a * 3 % total)}
	}
	if a%11 == 0 {
		x["within"] = []string{groupName(Listed + a%Rules)}
	}
	if a%40 == 0 {
		x["stance"] = "trial"
	}
	return x
}
