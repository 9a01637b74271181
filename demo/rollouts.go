package demo

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/assign"
)

// The changes that go out by themselves while the demo runs: one takes its time, and one is stopped by its gate,
// because some other program guards the lockout of a harbour office.
const (
	SlowRollout    = "no-quick-changes"
	StoppedRollout = "harbours-lock-sooner"
)

// outgoing is a change that brings one new policy, and how it goes out.
type outgoing struct {
	name, title, reason string
	policy, document    string
	groups              []string
	rank                int
	how                 api.StartRollout
}

var goingOut = []outgoing{
	{
		name: StoppedRollout, title: "Harbour offices lock sooner", reason: "Break-in attempts at Stromvoe in March",
		policy: "harbour-lockout", groups: []string{"harbour-offices"}, rank: 195,
		document: "format: rankwarden.policy/1\nname: harbour-lockout\ntitle: Harbour offices lock sooner\n" +
			"lockout: {threshold: 6, duration: 30m, window: 30m}\n",
		how: api.StartRollout{
			First: []string{"stromvoe"}, Shares: []int{50}, Gate: &api.Gate{Verified: 80, Failed: 2, SoakSeconds: 20},
		},
	},
	{
		name: SlowRollout, title: "Passwords stay two days", reason: "Nobody should change back to an old one at once",
		policy: "stays-two-days", groups: []string{"everything"}, rank: 480,
		document: "format: rankwarden.policy/1\nname: stays-two-days\ntitle: Passwords stay two days\n" +
			"passwords: {min_age_days: 2}\n",
		how: api.StartRollout{
			First: []string{
				"kirkness",
			}, Shares: []int{40, 70}, Gate: &api.Gate{Verified: 80, Failed: 2, SoakSeconds: 120},
		},
	},
}

// StartRollouts drafts changes as their author, and takes them out as a deployer, unless they went out before.
func StartRollouts(ctx context.Context, author, deployer *client.Client) error {
	for _, o := range goingOut {
		_, err := author.CreateChange(ctx, o.name, o.title, o.reason)
		if exists(err) {
			continue
		}
		if err != nil {
			return err
		}
		for _, e := range []api.ChangeEdit{
			{Kind: "publish", Name: o.policy, Document: o.document},
			{Kind: "assign", Name: o.policy, Assignment: &api.Aim{Policy: o.policy, Include: o.groups,
				Rank: assign.Rank(o.rank)}},
		} {
			if _, err := author.AddEdit(ctx, o.name, e); err != nil {
				return err
			}
		}
		p, err := deployer.PreviewChange(ctx, o.name)
		if err != nil {
			return err
		}
		how := o.how
		how.Change, how.Digest = o.name, p.Digest
		if _, err := deployer.StartRollout(ctx, how); err != nil {
			return err
		}
	}
	return nil
}
