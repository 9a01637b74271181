//go:build linux

package linux

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
)

// rules are what holds for passwords and for wrong ones, and why where that is not what files say.
type rules struct {
	pam     pam
	asked   drift.Passwords // as the files say, without ages
	lockout lockout         // as the files say, or 0 attempts where it has no effect
	effect  effect
}

// effect is what a trial found.
type effect struct {
	Digest string `json:"digest"` // of the files that were tried
	// Untried is why there was no trial; then the files are believed.
	Untried    string `json:"untried,omitempty"`
	SignIn     string `json:"sign_in,omitempty"` // why signing in does not work
	NoLock     string `json:"no_lock,omitempty"` // why wrong passwords lock nobody
	MinLength  *int   `json:"min_length,omitempty"`
	Complexity *bool  `json:"complexity,omitempty"`
	Forgets    bool   `json:"forgets,omitempty"` // former passwords are taken again
	WhyQuality string `json:"why_quality,omitempty"`
	WhyHistory string `json:"why_history,omitempty"`
}

// passwords are the rules in force, without ages.
func (r rules) passwords() drift.Passwords {
	p := r.asked
	if r.effect.MinLength != nil {
		p.MinLength = r.effect.MinLength
	}
	if r.effect.Complexity != nil {
		p.Complexity = r.effect.Complexity
	}
	if r.effect.Forgets {
		p.History = new(0)
	}
	return p
}

// causes are why rules come to something else than their files say.
func (r rules) causes() map[unit.ID]string {
	causes := map[unit.ID]string{}
	note := func(id unit.ID, why string, differs bool) {
		if differs && why != "" {
			causes[id] = why
		}
	}
	note(unit.MinLength, r.effect.WhyQuality, r.effect.MinLength != nil)
	note(unit.Complexity, r.effect.WhyQuality, r.effect.Complexity != nil)
	note(unit.History, r.effect.WhyHistory, r.effect.Forgets)
	note(unit.Lockout, r.effect.NoLock, true)
	if len(causes) == 0 {
		return nil
	}
	return causes
}

// rules reads the rules, and tries them where they are other ones than were tried last.
func (h *Host) rules(ctx context.Context) (rules, error) {
	if !h.read.due(partRules) {
		return h.last.rules, nil
	}
	r, err := h.readRules(ctx)
	if err != nil {
		h.read.changed(partRules)
		return r, err
	}
	h.last.rules = r
	return r, nil
}

func (h *Host) readRules(ctx context.Context) (rules, error) {
	all, texts := readPAM()
	r := rules{pam: all, asked: askedOfPasswords(all), lockout: readLockout(all)}
	digest := digestOf(all, texts)
	switch {
	case h.kept.Effect != nil && h.kept.Effect.Digest == digest:
		r.effect = *h.kept.Effect
	case h.looks:
		r.effect = effect{Untried: "nothing is tried in a look"}
	default:
		e, err := h.tryRules(ctx, r, texts)
		switch {
		case ctx.Err() != nil:
			return r, ctx.Err()
		case err != nil:
			e = effect{Untried: err.Error()}
		}
		e.Digest = digest
		if errors.Is(err, ErrMissing) || err == nil { // else it is tried again
			h.kept.Effect = &e
			if err := h.kept.write(h.keptPath()); err != nil {
				return r, err
			}
		}
		r.effect = e
	}
	if r.effect.NoLock != "" {
		r.lockout.rule.Threshold = 0
	}
	return r, nil
}

// digestOf is another one whenever signing in may come to something else: files of services and of settings, and the
// modules.
func digestOf(all pam, texts map[string]string) string {
	sum := sha256.New()
	note := func(what, text string) { fmt.Fprintf(sum, "%s %d\n%s\n", what, len(text), text) }
	modules := map[string]bool{}
	for _, name := range slices.Sorted(maps.Keys(texts)) {
		note(name, texts[name])
		for _, l := range all[name] {
			modules[l.module] = modules[l.module] || !l.includes()
		}
	}
	for _, path := range append(globbed("/etc/security/*.conf"), globbed(filepath.Join(qualityDir, "*.conf"))...) {
		note(path, string(readOr(path)))
	}
	for _, name := range slices.Sorted(maps.Keys(modules)) {
		if path := moduleFile(name); modules[name] && path != "" {
			if info, err := os.Stat(path); err == nil {
				note(path, fmt.Sprint(info.Size(), info.ModTime().UnixNano()))
			}
		}
	}
	note("login.defs", assignments(string(readOr(loginDefs)), " ")["ENCRYPT_METHOD"])
	return hex.EncodeToString(sum.Sum(nil)[:16])
}

// tryRules takes a throw-away account through what the rules say.
func (h *Host) tryRules(ctx context.Context, r rules, texts map[string]string) (e effect, err error) {
	err = h.onTrial(ctx, texts, func(t *doors) error {
		if e.SignIn, err = t.trySignIn(ctx, r.pam); err != nil || e.SignIn != "" {
			return err
		}
		if e.NoLock, err = t.tryLockout(ctx, r.pam, r.lockout.rule.Threshold); err != nil {
			return err
		}
		return t.tryPasswords(ctx, r, &e)
	})
	return e, err
}

// tryDoors is the part of a trial that says whether signing in works.
func (h *Host) tryDoors(ctx context.Context) error {
	all, texts := readPAM()
	return h.onTrial(ctx, texts, func(t *doors) error {
		why, err := t.trySignIn(ctx, all)
		if err == nil && why != "" {
			err = errors.New(why)
		}
		return err
	})
}

// different are the services by which people sign in, of those that are alike one.
func different(all pam) []string {
	var list []string
	seen := map[string]bool{}
	for _, service := range signInServices {
		if len(all[service]) == 0 {
			continue
		}
		var text strings.Builder
		for _, kind := range []string{"auth", "account"} {
			for _, l := range all.stack(service, kind) {
				if slices.Contains(known, l.module) || !hasModule(l.module) {
					fmt.Fprintln(&text, l.kind, l.control, l.module, l.args)
				}
			}
		}
		if !seen[text.String()] {
			seen[text.String()] = true
			list = append(list, service)
		}
	}
	return list
}

// trySignIn says why signing in does not work, by any service; empty where it does.
func (t *doors) trySignIn(ctx context.Context, all pam) (string, error) {
	var faults []string
	for _, service := range different(all) {
		outcomes, err := t.enter(ctx, service, t.password, "not-"+t.password)
		if err != nil {
			return "", err
		}
		if err := t.forget(ctx); err != nil {
			return "", err
		}
		switch {
		case !outcomes[0].Let():
			faults = append(faults, fmt.Sprintf("%s lets nobody in (%s)%s", service, outcomes[0].Name,
				because(all.missing(service, "auth", "account"))))
		case outcomes[1].Let():
			faults = append(faults, fmt.Sprintf("%s lets in whoever gives a wrong password%s", service,
				because(all.open(service))))
		}
	}
	return strings.Join(faults, "; "), nil
}

func because(why string) string {
	if why == "" {
		return ""
	}
	return ": " + why
}

// mostTries bounds the wrong passwords of a trial; a lockout after more is believed.
const mostTries = 20

// tryLockout says why wrong passwords do not lock, by any service; empty where they do.
func (t *doors) tryLockout(ctx context.Context, all pam, threshold int) (string, error) {
	if threshold == 0 || threshold > mostTries {
		return "", nil
	}
	tries := append(slices.Repeat([]string{"not-" + t.password}, threshold), t.password)
	for _, service := range different(all) {
		outcomes, err := t.enter(ctx, service, tries...)
		if err != nil {
			return "", err
		}
		if err := t.forget(ctx); err != nil {
			return "", err
		}
		if outcomes[threshold].Let() {
			return all.noLock(service), nil
		}
	}
	return "", nil
}

// longest is the longest minimum length that is looked for, in characters.
const longest = 64

// tryPasswords changes the password of the account to ones that the rules must refuse and to ones that they must take.
func (t *doors) tryPasswords(ctx context.Context, r rules, e *effect) error {
	length, complex := *r.asked.MinLength, *r.asked.Complexity
	if ok, err := t.change(ctx, strong(max(length, 12)+8)); err != nil {
		return err
	} else if !ok {
		e.WhyQuality = "changing a password does not work" + because(r.pam.missing(changeService, "password"))
		e.SignIn = changeService + ": " + e.WhyQuality
		return nil
	}
	takes := func(password string) bool {
		ok, err := t.change(ctx, password)
		if err != nil {
			e.Untried = err.Error()
		}
		return ok
	}
	if length > 1 {
		if least := leastTaken(length, func(n int) bool { return takes(strong(n)) }); least != length {
			e.MinLength, e.WhyQuality = &least, r.pam.noQuality()
		}
	}
	if complex && takes(mixed(max(length, 8)+8, letterClasses[:2])) {
		e.Complexity, e.WhyQuality = new(false), r.pam.noQuality()
	}
	if *r.asked.History > 0 {
		former := t.password
		if takes(strong(max(length, 12)+9)) && takes(former) {
			e.Forgets, e.WhyHistory = true, r.pam.noHistory()
		}
	}
	if e.Untried != "" {
		return errors.New(e.Untried)
	}
	return nil
}

// leastTaken is the least length that is taken, given that longer ones are too; asked is what it should be.
func leastTaken(asked int, taken func(length int) bool) int {
	low, high := asked, longest // the former is refused, the latter taken
	if taken(asked) {
		if !taken(asked - 1) {
			return asked
		}
		low, high = 0, asked-1
	}
	for high-low > 1 {
		if middle := (low + high) / 2; taken(middle) {
			high = middle
		} else {
			low = middle
		}
	}
	return high
}
