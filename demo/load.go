package demo

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"strings"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/assign"
	"rankwarden.example/core/policy"
)

// Load puts the organisation into a service, as its first owner would; what needs a second person is agreed to by the
// deployer. What is there already stays.
func Load(ctx context.Context, c *client.Client, groups []client.GroupSpec, password string, signIn SignIn) error {
	if err := loadDirectory(ctx, c, groups); err != nil {
		return err
	}
	if err := addOperators(ctx, c, password); err != nil {
		return err
	}
	deployer, err := signIn(ctx, Deployer, password)
	if err != nil {
		return err
	}
	l := loading{c, deployer}
	sources, err := Policies()
	if err != nil {
		return err
	}
	for _, source := range sources {
		if err := l.policy(ctx, source); err != nil {
			return err
		}
	}
	if err := l.assignments(ctx); err != nil {
		return err
	}
	return draftChange(ctx, c)
}

// SignIn signs somebody in.
type SignIn func(ctx context.Context, name, password string) (*client.Client, error)

// loading loads with two people.
type loading struct{ owner, second *client.Client }

// agreed has the second person agree to a change that waits for one, and applies it.
func (l loading) agreed(ctx context.Context, err error) error {
	var p *client.Problem
	if !errors.As(err, &p) || p.Waits == "" {
		return err
	}
	preview, err := l.second.PreviewChange(ctx, p.Waits)
	if err != nil {
		return err
	}
	if _, err := l.second.DecideChange(ctx, p.Waits, true, "as planned", preview.Digest); err != nil {
		return err
	}
	_, err = l.owner.ApplyChange(ctx, p.Waits, preview.Digest)
	return err
}

func (l loading) assignments(ctx context.Context) error {
	assignments, err := Assignments()
	if err != nil {
		return err
	}
	for _, a := range assignments {
		_, err := l.owner.CreateAssignment(ctx, a.Name,
			api.Aim{Policy: a.Policy, Include: a.Include, Exclude: a.Exclude, Within: a.Within,
				Rank:   assign.Rank(a.Rank),
				Stance: assign.Stance(a.Stance)})
		if err = l.agreed(ctx, err); err != nil && !exists(err) {
			return err
		}
	}
	return nil
}

func loadDirectory(ctx context.Context, c *client.Client, groups []client.GroupSpec) error {
	people, err := Directory()
	if err != nil {
		return err
	}
	if _, err := c.ImportDirectory(ctx, people, true, false); err != nil {
		return err
	}
	for _, g := range groups {
		if _, err := c.CreateGroup(ctx, g); err != nil && !exists(err) {
			return err
		}
	}
	return nil
}

// ChangeName is the change that is drafted in the demo: longer passwords at the ticket desks, which lets go of desk
// support there, and a decision who looks after head office's machines at Northwick.
const ChangeName = "desks-and-northwick"

// draftChange drafts the change, unless it was before.
func draftChange(ctx context.Context, c *client.Client) error {
	_, err := c.CreateChange(ctx, ChangeName, "Longer passwords at the desks; Northwick decides for itself",
		"Audit of the ticket desks, and the contest at head office is open since May")
	if exists(err) {
		return nil
	}
	if err != nil {
		return err
	}
	desks, err := c.Policy(ctx, "ticket-desks")
	if err != nil {
		return err
	}
	source := strings.NewReplacer("mode: adjust\n    members:\n      - group:Desk Support@skerryline.example",
		"mode: exact\n    members: [account:mooring]", "min_length: 14", "min_length: 20").Replace(desks.Source)
	northwick, err := c.Assignment(ctx, "northwick")
	if err != nil {
		return err
	}
	for _, e := range []api.ChangeEdit{
		{Kind: "publish", Name: "ticket-desks", Document: source, BasedOn: desks.Version},
		{Kind: "assign", Name: northwick.Name, BasedOn: northwick.Version, Assignment: &api.Aim{
			Policy: northwick.Policy, Include: northwick.Include, Exclude: northwick.Exclude, Within: northwick.Within,
			Rank:   190,
			Stance: assign.Stance(northwick.Stance)}},
	} {
		if _, err := c.AddEdit(ctx, ChangeName, e); err != nil {
			return err
		}
	}
	return nil
}

// addOperators adds who works beside the first owner; all have the same password, after they changed their first one.
func addOperators(ctx context.Context, c *client.Client, password string) error {
	const first = "the first one, of the owner"
	for _, o := range Operators {
		if _, err := c.CreateOperator(ctx, o.Name, first, o.Roles...); exists(err) {
			continue
		} else if err != nil {
			return err
		}
		person := c.WithoutToken()
		if _, err := person.SignIn(ctx, o.Name, first); err != nil {
			return err
		}
		if err := errors.Join(person.ChangeOwnPassword(ctx, first, "", password), person.SignOut(ctx)); err != nil {
			return err
		}
	}
	return nil
}

func (l loading) policy(ctx context.Context, source string) error {
	c := l.owner
	_, err := c.CreatePolicy(ctx, source)
	if err != nil && !exists(err) {
		return err
	}
	doc, _ := policy.Parse([]byte(source), nil)
	p, err := c.Policy(ctx, doc.Name)
	if err != nil || p.Revision > 0 {
		return err
	}
	_, err = c.PublishPolicy(ctx, p.Name, p.Version)
	return l.agreed(ctx, err)
}

func exists(err error) bool {
	var p *client.Problem
	return errors.As(err, &p) && p.Status == http.StatusConflict
}

// Tokens makes an enrolment token for the devices of each place, which grants its path and tags, and the
// groups that decide what operators reach or what a policy leaves out: into those no device comes by its
// name alone. It gives the token of every device.
func Tokens(ctx context.Context, c *client.Client, f Fleet) (map[string]string, error) {
	deciding, err := decidingGroups()
	if err != nil {
		return nil, err
	}
	specs := map[string]*client.EnrolmentSpec{}
	of := map[string]string{} // by device
	for name, place := range f.Places {
		groups := []string{}
		for _, g := range f.Groups {
			if deciding[g.Name] && slices.Contains(g.Devices, name) {
				groups = append(groups, g.Name)
			}
		}
		key := place.Path + " " + place.Tag + " " + strings.Join(groups, " ")
		if specs[key] == nil {
			specs[key] = &client.EnrolmentSpec{
				Note:   place.Path,
				Hours:  24,
				Path:   place.Path,
				Tags:   []string{place.Tag},
				Groups: groups,
			}
		}
		specs[key].Uses++
		of[name] = key
	}
	made := map[string]string{}
	for key, spec := range specs {
		t, err := c.CreateEnrolmentToken(ctx, *spec)
		if err != nil {
			return nil, err
		}
		made[key] = t.Token
	}
	tokens := map[string]string{}
	for name, key := range of {
		tokens[name] = made[key]
	}
	return tokens, nil
}

// decidingGroups are those that roles or exclusions name.
func decidingGroups() (map[string]bool, error) {
	deciding := map[string]bool{}
	for _, o := range Operators {
		for _, r := range o.Roles {
			for _, g := range r.Groups {
				deciding[g] = true
			}
		}
	}
	assignments, err := Assignments()
	for _, a := range assignments {
		for _, g := range a.Exclude {
			deciding[g] = true
		}
	}
	return deciding, err
}
