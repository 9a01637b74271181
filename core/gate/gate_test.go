package gate

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/unit"
)

var (
	gains = effect.AccessEffect{Access: effect.AdministratorGained, Unit: unit.Administrators,
		Subject: "user:a@x.example"}
	loses  = effect.AccessEffect{Access: effect.AdministratorLost, Unit: unit.Administrators, Subject: "local:mechanic"}
	takes  = effect.AccessEffect{Access: effect.TakenOver, Unit: unit.AccountOf("keeper"), Subject: "account:keeper"}
	opens  = effect.AccessEffect{Access: effect.WayInOpened, Unit: unit.AccountOf("keeper"), Subject: "account:keeper"}
	closes = effect.AccessEffect{Access: effect.WayInClosed, Unit: unit.AccountOf("keeper"), Subject: "account:keeper"}
	looser = effect.AccessEffect{Access: effect.ProtectionLoosened, Unit: unit.Lockout}
	noWay  = effect.AccessEffect{Access: effect.AccessLost, Unit: unit.Administrators}
)

// on gives access effects on devices 1 to n.
func on(n int, effects ...effect.AccessEffect) effect.AccessSet {
	set := effect.AccessSet{}
	for _, e := range effects {
		for i := range n {
			set.Add(e, fmt.Sprint("d", i+1))
		}
	}
	return set
}

func anyone(e effect.AccessEffect) effect.AccessSet {
	set := effect.AccessSet{}
	set.Add(e, effect.Anyone)
	return set
}

// strict asks for a second person wherever one can be asked for.
var strict = Rules{
	Approvals: Approvals{AddedAdministrators: true, RemovedAdministrators: 3, Everything: true, AllAtOnce: true},
	Brake:     Brake{Percent: 10, Administrators: 2},
}

func TestTheTable(t *testing.T) {
	free := Rules{}
	for _, c := range []struct {
		name  string
		rules Rules
		a     Alteration
		want  Answer
	}{
		{"nothing happens", strict, Alteration{}, Go},
		{"a password gets longer on a few", strict, Alteration{Devices: 5, Fleet: 20}, Go},
		{"out of reach", free, Alteration{Beyond: true}, Refuse},
		{"altered by somebody else since", free, Alteration{Moved: []string{"policy base"}}, Refuse},

		{"an administrator is gained", strict, Alteration{Access: on(1, gains), Devices: 1, Fleet: 20}, Agree},
		{"and nobody asks for a second person", free, Alteration{Access: on(1, gains), Devices: 1, Fleet: 20}, Look},
		{"by whichever device comes", strict, Alteration{Access: anyone(gains)}, Agree},
		{"administrators are lost on few", strict, Alteration{Access: on(2, loses), Devices: 2, Fleet: 90, Seen: true},
			Go},
		{"on as many as the settings say", strict, Alteration{Access: on(3, loses), Devices: 3, Fleet: 90}, Agree},
		{"an account is taken over", strict, Alteration{Access: on(1, takes), Devices: 1, Fleet: 90}, Agree},
		{"a way in is opened", strict, Alteration{Access: on(1, opens), Devices: 1, Fleet: 90}, Look},
		{"one is closed", strict, Alteration{Access: on(1, closes), Devices: 1, Fleet: 90}, Look},
		{"a lockout is loosened", strict, Alteration{Access: on(1, looser), Devices: 1, Fleet: 90}, Look},
		{"no way in is left", strict, Alteration{Access: on(1, noWay), Devices: 1, Fleet: 90}, Look},
		{"each was looked at", strict, Alteration{Access: on(1, opens, closes, looser, noWay), Seen: true}, Go},

		{"aimed at everything", strict, Alteration{Everything: []string{"base"}}, Agree},
		{"all at once", strict, Alteration{AtOnce: true, Devices: 2, Fleet: 90}, Agree},
		{"all at once on the only one", strict, Alteration{AtOnce: true, Devices: 1, Fleet: 90}, Go},

		{"more than the brake's share", strict, Alteration{Devices: 10, Fleet: 90}, Look},
		{"a little more each time", strict, Alteration{Devices: 5, Fleet: 90, Lately: Count{Devices: 5}}, Look},
		{"what was looked at", strict, Alteration{Devices: 90, Fleet: 90, Seen: true}, Go},
		{"what arrives waits", strict, Alteration{Source: Arrival, Devices: 10, Fleet: 90}, Wait},
		{"administrators lost in small steps", strict,
			Alteration{Source: Arrival, Access: on(1, loses), Devices: 1, Fleet: 90, Lately: Count{Lost: 2}}, Wait},
		{"no brake", free, Alteration{Source: Arrival, Devices: 90, Fleet: 90}, Go},

		{"as it was agreed", strict, Alteration{Access: on(2, gains), Devices: 2, Fleet: 90, Seen: true,
			Agreed: &Agreement{Access: on(2, gains)}}, Go},
		{"less than was agreed", strict, Alteration{Access: on(1, gains), Devices: 1, Fleet: 90, Seen: true,
			Agreed: &Agreement{Access: on(2, gains)}}, Go},
		{"one device more", strict, Alteration{Access: on(3, gains), Devices: 3, Fleet: 90, Seen: true,
			Agreed: &Agreement{Access: on(2, gains)}}, Agree},
		{"another way in beside it", strict, Alteration{Access: on(2, gains, takes), Devices: 2, Fleet: 90, Seen: true,
			Agreed: &Agreement{Access: on(2, gains)}}, Agree},
		{"what needs no agreement may move", strict, Alteration{Access: on(2, gains, opens), Devices: 2, Fleet: 90,
			Seen: true, Agreed: &Agreement{Access: on(2, gains)}}, Go},
		{"all at once was not said", strict, Alteration{Access: on(2, gains), Devices: 2, Fleet: 90, Seen: true,
			AtOnce: true, Agreed: &Agreement{Access: on(2, gains)}}, Agree},
		{"all at once was said", strict, Alteration{Access: on(2, gains), Devices: 2, Fleet: 90, Seen: true,
			AtOnce: true, Agreed: &Agreement{Access: on(2, gains),
				Needs: []string{"it goes to all of its devices at once"}}}, Go},
		{"agreed, and not looked at by who applies it", strict, Alteration{Access: on(2, gains), Devices: 2, Fleet: 90,
			Agreed: &Agreement{Access: on(2, gains)}}, Look},
		{"agreed, and out of reach", strict, Alteration{Access: on(2, gains), Seen: true, Beyond: true,
			Agreed: &Agreement{Access: on(2, gains)}}, Refuse},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := c.rules.Judge(c.a)
			assert.Equal(t, c.want.String(), got.Answer.String(), "%v", got.Reasons)
		})
	}
}

func TestWhoCameSinceItWasAgreed(t *testing.T) {
	j := strict.Judge(Alteration{Access: on(3, gains), Devices: 3, Fleet: 90, Seen: true,
		Agreed: &Agreement{Access: on(1, gains)}})
	assert.Equal(t, []string{"d2", "d3"}, j.Newcomers.Devices())
	assert.Equal(t, []string{"it adds to administrators: user:a@x.example"}, j.Needs)
}

// anyAlteration draws one.
func anyAlteration(t *rapid.T) Alteration {
	a := Alteration{
		Source: Source(rapid.IntRange(0, 1).Draw(t, "source")), Beyond: rapid.Bool().Draw(t, "beyond"),
		AtOnce: rapid.Bool().Draw(t, "at once"), Devices: rapid.IntRange(0, 30).Draw(t, "devices"), Fleet: 100,
		Lately: Count{rapid.IntRange(0, 9).Draw(t, "lately"), rapid.IntRange(0, 3).Draw(t, "lost lately")},
		Seen:   rapid.Bool().Draw(t, "seen"), Access: anySet(t, "access"),
	}
	if rapid.Bool().Draw(t, "agreed") {
		a.Agreed = &Agreement{Access: anySet(t, "agreed access")}
	}
	if rapid.Bool().Draw(t, "everything") {
		a.Everything = []string{"base"}
	}
	return a
}

func anySet(t *rapid.T, label string) effect.AccessSet {
	set := effect.AccessSet{}
	for range rapid.IntRange(0, 6).Draw(t, label) {
		e := rapid.SampledFrom([]effect.AccessEffect{gains, loses, takes, opens, closes, looser, noWay}).
			Draw(t, "effect")
		set.Add(e, rapid.SampledFrom([]string{"d1", "d2", "d3", "d4", effect.Anyone}).Draw(t, "device"))
	}
	return set
}

// Adding devices or effects to an alteration never makes the answer milder, whatever the settings.
func TestMoreIsNeverMilder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rules := Rules{
			Approvals: Approvals{rapid.Bool().Draw(t, "added"), rapid.IntRange(0, 3).Draw(t, "removed"),
				rapid.Bool().Draw(t, "all"), rapid.Bool().Draw(t, "once")},
			Brake: Brake{rapid.IntRange(0, 20).Draw(t, "percent"), rapid.IntRange(0, 3).Draw(t, "administrators")},
		}
		a := anyAlteration(t)
		more := a
		more.Access = effect.AccessSet{}
		more.Access.Merge(a.Access)
		more.Access.Merge(anySet(t, "more"))
		more.Devices += rapid.IntRange(0, 20).Draw(t, "more devices")
		more.Beyond = a.Beyond || rapid.Bool().Draw(t, "more beyond")
		less, now := rules.Judge(a), rules.Judge(more)
		assert.GreaterOrEqual(t, int(now.Answer), int(less.Answer), "%v became %v", less.Reasons, now.Reasons)
	})
}
