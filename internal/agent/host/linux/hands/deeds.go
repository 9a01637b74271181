//go:build linux

package hands

import (
	"context"
	"errors"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/host/hosttest"
)

// Deeds are what a host of Linux does that only files and programs show.
func (h Hands) Deeds() []hosttest.Deed {
	return []hosttest.Deed{{
		Name: "takes away the keys that open an account beside its password",
		Before: h.script("d=$(getent passwd rw-check | cut -d: -f6)/.ssh; mkdir $d; echo ssh-ed25519 AAAA > " +
			"$d/authorized_keys"),
		Do: func(ctx context.Context, of host.Host, account principal.SID) error {
			_, err := of.(host.ClearsKeys).ClearKeys(ctx, account)
			return err
		},
		Seen: h.script("! test -s $(getent passwd rw-check | cut -d: -f6)/.ssh/authorized_keys"),
	}, {
		Name: "takes along what the system keeps under a name",
		Before: h.script("mkdir -p /var/spool/cron/crontabs; echo '@daily true' > /var/spool/cron/crontabs/rw-check; " +
			"grep -q ^rw-check: /etc/subuid || echo rw-check:9900000:10 >> /etc/subuid"),
		Do: func(ctx context.Context, of host.Host, account principal.SID) error {
			return of.RenameAccount(ctx, account, "rw-renamed")
		},
		Seen: h.script("test -e /var/spool/cron/crontabs/rw-renamed; grep -q ^rw-renamed: /etc/subuid; " +
			"! grep -q ^rw-check: /etc/subuid"),
		Undo: h.script("rm -f /var/spool/cron/crontabs/rw-check /var/spool/cron/crontabs/rw-renamed"),
	}, {
		Name:   "names the files in which a name has rights, and by which another one may come to have them",
		Before: h.script("echo 'rw-check ALL = /usr/bin/id' > " + drop),
		Do: func(ctx context.Context, of host.Host, _ principal.SID) error {
			files, err := host.NamedIn(ctx, of, hosttest.DeedsAccount)
			if err == nil && len(files) != 1 {
				err = errors.New("it names none, or too many")
			}
			return err
		},
		Undo: h.script("rm -f " + drop),
	}, {
		Name:   "never loosens the ages of an account that is stricter",
		Before: h.script("chage -m 5 -M 20 rw-check"),
		Rules:  &drift.Passwords{MinAgeDays: new(1), MaxAgeDays: new(365)},
		Seen:   h.script("[ $(getent shadow rw-check | cut -d: -f4,5) = 5:20 ]"),
	}, {
		Name:   "counts no way in whose shell lets nobody in",
		Before: h.script("usermod -s /usr/sbin/nologin rw-check; gpasswd -a rw-check $group"),
		Do: func(ctx context.Context, of host.Host, account principal.SID) error {
			if of.(host.TriesDoors).LetsIn(ctx, account) == nil {
				return errors.New("it counts it")
			}
			return nil
		},
		Undo: h.script("gpasswd -d rw-check $group || true"),
	}}
}
