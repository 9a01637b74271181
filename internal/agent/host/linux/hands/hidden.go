//go:build linux

package hands

import (
	"context"
	"fmt"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host/hosttest"
)

// drop is a file of sudoers(5) that checks write.
const drop = "/etc/sudoers.d/rw-check"

// begins is what every script begins with: the group of the administrators, and where files are kept meanwhile.
const begins = `set -e; group=sudo; getent group sudo >/dev/null || group=wheel; kept=/run/rankwarden-check; mkdir -p $kept
auth=/etc/pam.d/common-auth; [ -e $auth ] || auth=/etc/pam.d/system-auth
`

// Hidden are ways to be an administrator that no group shows, and ways in which rules do nothing.
func (h Hands) Hidden() []hosttest.Hidden {
	var list []hosttest.Hidden
	administrator := func(name, do, undo, via string) {
		list = append(list, hosttest.Hidden{Name: name, Do: h.script(do), Undo: h.script(undo),
			Found: func(state drift.State) bool {
				group, _ := state.Group(unit.GroupAdministrators)
				for _, m := range group.Members {
					if m.Via != "" && strings.Contains(m.Via, via) && m.SID.String() != "S-1-22-1-0" {
						return true
					}
				}
				return false
			}})
	}
	administrator("whoever sudoers let become root", "echo 'nobody ALL=(ALL) NOPASSWD: ALL' > "+drop, "rm "+drop,
		"sudoers.d/rw-check")
	administrator("whoever an alias of sudoers gives an editor", "printf 'User_Alias RWCHECK = nobody\nRWCHECK ALL = "+
		"/usr/bin/vi\n' > "+drop, "rm "+drop, "sudoers.d/rw-check")
	administrator("members of another group that sudoers let become root",
		"groupadd rw-check; gpasswd -a nobody rw-check; echo '%rw-check ALL=(ALL) ALL' > "+drop,
		"rm "+drop+"; groupdel rw-check", "group rw-check in sudoers.d/rw-check")
	administrator("a second account with the number of root", "useradd -o -u 0 -g 0 -M rw-check",
		"sed -i /^rw-check:/d /etc/passwd /etc/shadow /etc/subuid /etc/subgid", "the number 0")
	administrator("an account beyond the usual numbers whose first group it is", "useradd -u 61999 -g $group -M "+
		"rw-check",
		"userdel rw-check", "its first group")
	administrator("a second line with the number of the group",
		"groupadd -o -g $(getent group $group | cut -d: -f3) rw-check", "groupdel -f rw-check", "a second line")
	administrator("a password on the group",
		"cp -p /etc/gshadow $kept/; sed -i \"s|^$group:[^:]*:|$group:\\$6\\$a\\$b:|\" /etc/gshadow",
		"cp -p $kept/gshadow /etc/gshadow", "a password on the group")
	return append(list, hosttest.Hidden{Name: "that the group of the administrators is without effect",
		Do:   h.script("cp -p /etc/sudoers $kept/; sed -i \"s/^%$group/#%$group/\" /etc/sudoers"),
		Undo: h.script("cp -p $kept/sudoers /etc/sudoers"),
		Found: func(state drift.State) bool {
			group, _ := state.Group(unit.GroupAdministrators)
			return group.NoEffect != ""
		}}, hosttest.Hidden{Name: "a module that is enough before wrong passwords are counted", Lockout: true,
		Do:   h.script("cp -p $auth $kept/auth; sed -i '1i auth sufficient pam_unix.so' $auth"),
		Undo: h.script("cp -p $kept/auth $auth"),
		Found: func(state drift.State) bool {
			return state.Causes[unit.Lockout] != "" && state.Lockout.Threshold == 0
		},
	}, hosttest.Hidden{Name: "that nobody can sign in, since a module is gone", Lockout: true,
		Do: h.script("m=$(ls /usr/lib/*/security/pam_faillock.so | head -1); echo $m > $kept/at; mv $m " +
			"$kept/module"),
		Undo:  h.script("mv $kept/module $(cat $kept/at)"),
		Found: func(state drift.State) bool { return state.SignInFault != "" },
	})
}

// script is a script that runs at the device.
func (h Hands) script(text string) func(ctx context.Context) error {
	return func(ctx context.Context) error {
		if out, err := h.Command(ctx, "/bin/sh", "-c", begins+text).CombinedOutput(); err != nil {
			return fmt.Errorf("%w: %s", err, out)
		}
		return nil
	}
}
