package demo

import (
	"context"
	"errors"
	"net/http"

	"rankwarden.example/client"
	"rankwarden.example/core/policy"
)

// Load puts the organisation into a service, as an operator would. What is there already stays.
func Load(ctx context.Context, c *client.Client, groups []Group) error {
	for _, g := range groups {
		if _, err := c.NewGroup(ctx, g.Name, g.Description, g.Devices); err != nil && !exists(err) {
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
		if _, err := c.NewAssignment(ctx, a.Name, client.Aim{Policy: a.Policy, Include: a.Include, Exclude: a.Exclude, Rank: a.Rank}); err != nil && !exists(err) {
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
	doc, _ := policy.Parse([]byte(source))
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
