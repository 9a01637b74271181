package inventory

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"time"

	"rankwarden.example/core/drift"
)

// Digest tells what [Of] takes from reported states apart, without taking it: states with another inventory have
// another digest, and the same list in another order may have one. It is the first half of a SHA-256 in base64, of
// texts with their length before them: half of it is enough, and it is in a record that is written with every report.
func Digest(state *drift.State) string {
	b := make(binaryForm, 0, 4096)
	b.number(len(state.LocalGroups))
	for _, g := range state.LocalGroups {
		b.text(g.LocalGroup, g.SID.String())
		b.number(len(g.Members))
		for _, m := range g.Members {
			b.text(m.SID.String(), m.Name, m.Via)
		}
	}
	b.number(len(state.Sudo))
	for _, s := range state.Sudo {
		b.text(s.SID.String(), s.Name, s.Via)
		b.flag(s.Root)
		b.list(s.Commands)
	}
	b.number(len(state.Uses))
	for _, u := range state.Uses {
		b.text(u.SID.String())
		b.flag(u.LastSignIn != nil)
		if u.LastSignIn != nil {
			b.time(Day(*u.LastSignIn))
		}
		b.list(u.Runs)
	}
	b.number(len(state.Accounts))
	for _, a := range state.Accounts {
		b.text(a.SID.String(), a.Name, a.FullName, a.Builtin, a.Key)
		b.flag(a.Enabled)
		b.time(a.PasswordSetAt)
	}
	b.number(state.MoreAccounts)
	b.number(state.MoreMembers)
	b.text(state.Usual)
	sum := sha256.Sum256(b)
	return base64.RawStdEncoding.EncodeToString(sum[:sha256.Size/2])
}

// binaryForm is written so that no two different sequences of values give the same bytes.
type binaryForm []byte

func (b *binaryForm) number(n int) { *b = binary.AppendVarint(*b, int64(n)) }

func (b *binaryForm) text(texts ...string) {
	for _, t := range texts {
		b.number(len(t))
		*b = append(*b, t...)
	}
}

func (b *binaryForm) list(texts []string) {
	b.number(len(texts))
	b.text(texts...)
}

func (b *binaryForm) flag(is bool) {
	var n int
	if is {
		n = 1
	}
	b.number(n)
}

// time writes microseconds, as times are stored. The zero time has some of its own.
func (b *binaryForm) time(t time.Time) { *b = binary.AppendVarint(*b, t.UnixMicro()) }
