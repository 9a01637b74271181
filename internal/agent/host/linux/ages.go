//go:build linux

package linux

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"rankwarden.example/core/drift"
)

// Ages are the least and the most days that a password holds, as shadow(5) has them; -1 for none.
type Ages struct {
	Min int `json:"min"`
	Max int `json:"max"`
}

// agesOf are what the agent did to the ages of an account.
type agesOf struct {
	Before Ages `json:"before"` // what somebody else set
	Set    Ages `json:"set"`
}

// wanted are the ages of an account under rules: never looser than what somebody else set. One that never expires stays
// so, since that is a thing of its own.
func wanted(before Ages, rules drift.Passwords) Ages {
	want := before
	if rules.MaxAgeDays != nil && *rules.MaxAgeDays > 0 && before.Max >= 0 {
		want.Max = min(before.Max, *rules.MaxAgeDays)
	}
	if rules.MinAgeDays != nil && *rules.MinAgeDays > 0 {
		want.Min = max(before.Min, *rules.MinAgeDays)
	}
	return want
}

// before are the ages of an account as somebody else set them.
func (h *Host) agesBefore(p person) Ages {
	now := Ages{p.minDays, p.maxDays}
	if of, known := h.kept.Ages[p.uid]; known && of.Set == now {
		return of.Before
	}
	return now
}

// setAges writes the ages for accounts to come, and gives them to those that are there.
func (h *Host) setAges(ctx context.Context, d database, rules drift.Passwords) error {
	if rules.MaxAgeDays == nil && rules.MinAgeDays == nil {
		return nil
	}
	now := h.agesAsked(d, rules)
	if err := h.setDefaultAges(now); err != nil {
		return err
	}
	changes := map[string]Ages{}
	ages := map[int]agesOf{}
	for _, p := range d.ageing() {
		before := h.agesBefore(p)
		want := wanted(before, now)
		if want != before {
			ages[p.uid] = agesOf{before, want}
		}
		if want != (Ages{p.minDays, p.maxDays}) {
			changes[p.name] = want
		}
	}
	h.kept.Ages = ages
	if err := h.kept.write(h.keptPath()); err != nil {
		return err
	}
	return h.changeAges(ctx, changes)
}

// agesAsked are the ages that hold after a change of some of them.
func (h *Host) agesAsked(d database, rules drift.Passwords) drift.Passwords {
	now := drift.Passwords{MaxAgeDays: rules.MaxAgeDays, MinAgeDays: rules.MinAgeDays}
	if now.MaxAgeDays == nil {
		now.MaxAgeDays = new(max(d.number("PASS_MAX_DAYS", never), 0) % never)
	}
	if now.MinAgeDays == nil {
		now.MinAgeDays = new(max(d.number("PASS_MIN_DAYS", 0), 0))
	}
	return now
}

// setDefaultAges writes the ages of accounts to come. Where they are those that were there before the agent, the file
// is what it was.
func (h *Host) setDefaultAges(rules drift.Passwords) error {
	longest := *rules.MaxAgeDays
	if longest == 0 {
		longest = never
	}
	was := assignments(h.was(loginDefs), " ")
	number := func(key string, otherwise int) int {
		if n, err := strconv.Atoi(was[key]); err == nil {
			return n
		}
		return otherwise
	}
	if number("PASS_MAX_DAYS", never) == longest && number("PASS_MIN_DAYS", 0) == *rules.MinAgeDays {
		return h.giveBackFile(loginDefs)
	}
	return h.writeFile(loginDefs, withSettings(string(readOr(loginDefs)), "\t",
		setting{"PASS_MAX_DAYS", strconv.Itoa(longest)}, setting{"PASS_MIN_DAYS", strconv.Itoa(*rules.MinAgeDays)}))
}

// one by one is how many accounts get their ages with a program for each.
const oneByOne = 4

// changeAges gives accounts other ages: many of them in one rewrite under the lock of the system, with vipw(8) and this
// program as its editor.
func (h *Host) changeAges(ctx context.Context, changes map[string]Ages) error {
	own, err := os.Executable()
	if err != nil {
		return err
	}
	if len(changes) <= oneByOne || !h.Tools.has("vipw") {
		for name, a := range changes {
			if _, err := h.Tools.run(ctx, "", "chage", "--mindays", strconv.Itoa(a.Min), "--maxdays",
				strconv.Itoa(a.Max), name); err != nil {
				return err
			}
		}
		return nil
	}
	list, err := os.CreateTemp("/run", "rankwarden-ages-")
	if err != nil {
		return err
	}
	defer os.Remove(list.Name())
	err = json.NewEncoder(list).Encode(changes)
	if closeErr := list.Close(); err == nil {
		err = closeErr
	}
	if err != nil {
		return err
	}
	with := h.Tools
	with.Env = []string{fmt.Sprintf("VISUAL=%s %s %s", own, EditAges, list.Name())}
	_, err = with.run(ctx, "", "vipw", "--shadow", "--quiet")
	return err
}

// EditAges is the command of the agent that is the editor of vipw(8): it takes the file with the changes, and the one
// to edit.
const EditAges = "edit-ages"

// EditShadow gives accounts other ages in a file as shadow(5): the changes are in a file that [Host] wrote. Everything
// else stays as it is, to the byte.
func EditShadow(changes, file string) error {
	data, err := os.ReadFile(changes)
	if err != nil {
		return err
	}
	var ages map[string]Ages
	if err := json.Unmarshal(data, &ages); err != nil {
		return fmt.Errorf("%s: %w", filepath.Base(changes), err)
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	before, err := os.Stat(file)
	if err != nil {
		return err
	}
	if err := os.WriteFile(file, withAges(text, ages), before.Mode().Perm()); err != nil {
		return err
	}
	// vipw takes a file of the same second for one that was not edited.
	later := time.Now().Add(2 * time.Second)
	return os.Chtimes(file, later, later)
}

// withAges is a text as shadow(5) with other ages.
func withAges(text []byte, ages map[string]Ages) []byte {
	var out bytes.Buffer
	for line := range bytes.Lines(text) {
		fields := strings.Split(strings.TrimRight(string(line), "\n"), ":")
		a, there := ages[fields[0]]
		if !there || len(fields) < 8 {
			out.Write(line)
			continue
		}
		fields[3], fields[4] = days(a.Min), days(a.Max)
		out.WriteString(strings.Join(fields, ":") + "\n")
	}
	return out.Bytes()
}

// days is a field of shadow(5), empty for none.
func days(n int) string {
	if n < 0 {
		return ""
	}
	return strconv.Itoa(n)
}
