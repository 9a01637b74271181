//go:build linux

package linux

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
)

// qualityName is the agent's own profile for new passwords, for systems on which its file of settings does not count.
const qualityName = "rankwarden-quality"

// qualityFiles are those in which pwquality.conf(5) is, the stronger ones later.
func qualityFiles() []string {
	return append(globbed(filepath.Join(qualityDir, "*.conf")), qualityConf)
}

// quality is a setting of pwquality.conf(5) as files of the directory in their order and the file itself say, unless a
// call of the module says another. Every call must take a password, so that the greatest counts.
func (p pam) quality(key string, otherwise int) int {
	return p.qualityOf(key, otherwise, qualityFiles(), p.calls("password", "pam_pwquality.so"))
}

func (p pam) qualityOf(key string, otherwise int, files []string, calls []module) int {
	base := otherwise
	for _, f := range files {
		if n, err := strconv.Atoi(assignments(string(readOr(f)), "=")[key]); err == nil {
			base = n
		}
	}
	most, called := 0, false
	for _, m := range calls {
		n := base
		if value, there := m.arg(key); there {
			if set, err := strconv.Atoi(value); err == nil {
				n = set
			}
		}
		most, called = max(most, n), true
	}
	if !called {
		return base
	}
	return most
}

// wantedQuality are the length and the classes of characters that new passwords must have.
type wantedQuality struct{ length, classes int }

// values are as pwquality.conf(5) writes them.
func (w wantedQuality) values() []setting {
	return []setting{{"minlen", strconv.Itoa(w.length)}, {"minclass", strconv.Itoa(w.classes)}}
}

// profile is the agent's own one, whose arguments count whatever files say.
func (w wantedQuality) profile() profile {
	line := fmt.Sprintf("\trequisite\tpam_pwquality.so retry=3 minlen=%d minclass=%d dcredit=0 ucredit=0 lcredit=0 "+
		"ocredit=0 enforcing=1\n", w.length, w.classes)
	return profile{qualityName, "Name: Rank Warden: new passwords are checked\nDefault: no\nPriority: 1100\n" +
		"Password-Type: Primary\nPassword:\n" + line + "Password-Initial:\n" + line}
}

// without is what new passwords must have without the agent.
func (p pam) without() wantedQuality {
	files := slices.DeleteFunc(qualityFiles(), func(f string) bool { return f == qualityFile })
	calls := slices.DeleteFunc(p.calls("password", "pam_pwquality.so"), func(m module) bool {
		return slices.Contains(m, "enforcing=1") && slices.Contains(m, "dcredit=0")
	})
	if len(calls) == 0 {
		return wantedQuality{}
	}
	return wantedQuality{max(p.qualityOf("minlen", defaultLength, files, calls), unit.LeastLinuxLength),
		p.qualityOf("minclass", 0, files, calls)}
}

// setQuality has new passwords checked: by a file of settings, and where that does not count by a profile of the
// agent's own. Where what is asked holds without the agent, both go.
func (h *Host) setQuality(ctx context.Context, asked drift.Passwords) error {
	if asked.MinLength == nil && asked.Complexity == nil {
		return nil
	}
	all, _ := readPAM()
	want := wantedQuality{all.quality("minlen", defaultLength), all.quality("minclass", 0)}
	if asked.MinLength != nil {
		want.length = *asked.MinLength
	}
	switch {
	case asked.Complexity == nil:
	case !*asked.Complexity:
		want.classes = 0
	case want.classes < classes:
		want.classes = classes
	}
	own := filepath.Join(profilesDir, qualityName)
	_, hasOwn := os.Stat(own)
	if bare := all.without(); want.length == bare.length && (want.classes >= classes) == (bare.classes >= classes) {
		if hasOwn == nil {
			if err := h.changeStack(ctx, pam.checksQuality, profile{qualityName, ""}); err != nil {
				return err
			}
		}
		if err := h.giveBackFile(qualityFile); !errors.Is(err, ErrWrittenSince) {
			return err
		}
	}
	text := string(readOr(qualityFile))
	if text == "" {
		text = "# Written by the agent of Rank Warden, as policies ask.\n"
	}
	if err := h.makeQualityDir(); err != nil {
		return err
	}
	if err := h.writeFile(qualityFile, withSettings(text, " = ", want.values()...)); err != nil {
		return err
	}
	if !all.checksQuality() {
		standard := filepath.Join(profilesDir, "pwquality") // of the package that brings the module
		return h.changeStack(ctx, pam.checksQuality, profile{"pwquality", string(readOr(standard))})
	}
	return h.insist(ctx, want, hasOwn == nil)
}

// insist adds the agent's own profile where a trial shows that the file of settings does not count.
func (h *Host) insist(ctx context.Context, want wantedQuality, hasOwn bool) error {
	now, err := h.rulesNow(ctx)
	if err != nil {
		return err
	}
	p := now.passwords()
	holds := *p.MinLength >= want.length && *p.Complexity == (want.classes >= classes)
	there := string(readOr(filepath.Join(profilesDir, qualityName)))
	if holds && !hasOwn || strings.Contains(there, want.profile().text) {
		return nil
	}
	return h.changeStack(ctx, pam.checksQuality, want.profile())
}

// makeQualityDir makes the directory of settings, and remembers that it did.
func (h *Host) makeQualityDir() error {
	err := os.Mkdir(qualityDir, 0o755)
	if errors.Is(err, os.ErrExist) {
		return nil
	}
	if err == nil {
		h.kept.QualityDir = true
		err = h.kept.write(h.keptPath())
	}
	return err
}
