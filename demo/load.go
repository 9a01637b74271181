package demo

import (
	"context"
	"errors"
	"net/http"

	"rankwarden.example/client"
	"rankwarden.example/core/policy"
)

// Load puts the organisation into a service, as an operator would. What is there already stays.
func Load(ctx context.Context, c *client.Client, groups []client.GroupSpec) error {
	people, err := Directory()
	if err != nil {
		return err
	}
	if _, err := c.ImportDirectory(ctx, people, true); err != nil {
		return err
	}
	for _, g := range groups {
		if _, err := c.NewGroup(ctx, g); err != nil && !exists(err) {
			return err
		}
	}
	sources, err := Policies()
	if err != nil {
		return err
	}
	for _, source := range sources {
		if err := loadPolicy(ctx, c, source); err != nil {
			return err
		}
	}
	assignments, err := Assignments()
	if err != nil {
		return err
	}
	for _, a := range assignments {
		if _, err := c.NewAssignment(ctx, a.Name, client.Aim{Policy: a.Policy, Include: a.Include, Exclude: a.Exclude, Within: a.Within, Rank: a.Rank, Stance: a.Stance}); err != nil && !exists(err) {
			return err
		}
	}
	return nil
}

// AddOperators adds who works beside the first owner; all get the same password.
func AddOperators(ctx context.Context, c *client.Client, password string) error {
	for _, o := range Operators {
		if _, err := c.AddOperator(ctx, o.Name, password, o.Roles...); err != nil && !exists(err) {
			return err
		}
	}
	return nil
}

func loadPolicy(ctx context.Context, c *client.Client, source string) error {
	_, err := c.NewPolicy(ctx, source)
	if err != nil && !exists(err) {
		return err
	}
	doc, _ := policy.Parse([]byte(source), nil)
	p, err := c.Policy(ctx, doc.Name)
	if err != nil || p.Revision > 0 {
		return err
	}
	_, err = c.PublishPolicy(ctx, p.Name, p.Version)
	return err
}

func exists(err error) bool {
	var p *client.Problem
	return errors.As(err, &p) && p.Status == http.StatusConflict
}

// Tokens makes an enrolment token for each place, which grants its path and tags, and gives the one
// of every device.
func Tokens(ctx context.Context, c *client.Client, f Fleet) (map[string]string, error) {
	count := map[Place]int{}
	for _, place := range f.Places {
		count[place]++
	}
	made := map[Place]string{}
	tokens := map[string]string{}
	for name, place := range f.Places {
		if made[place] == "" {
			t, err := c.MakeEnrolmentToken(ctx, client.EnrolmentSpec{Note: place.Path, Uses: count[place], Hours: 24, Path: place.Path, Tags: []string{place.Tag}})
			if err != nil {
				return nil, err
			}
			made[place] = t.Token
		}
		tokens[name] = made[place]
	}
	return tokens, nil
}
