package main

import (
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/knadh/koanf/v2"

	"rankwarden.example/internal/wire/oidc"
)

// identityProvider is the one that the options name, nil for none.
func identityProvider(k *koanf.Koanf) (*oidc.Options, error) {
	o := &oidc.Options{Issuer: k.String("provider-issuer"), Name: k.String("provider-name"),
		ClientID:    k.String("provider-client"),
		GroupsClaim: k.String("provider-groups-claim"), NameClaim: k.String("provider-name-claim")}
	if o.Issuer == "" {
		return nil, nil
	}
	for _, text := range k.Strings("provider-role") {
		m, err := oidc.ParseMapping(text)
		if err != nil {
			return nil, fmt.Errorf("provider-role: %w", err)
		}
		o.Roles = append(o.Roles, m)
	}
	if len(o.Roles) == 0 {
		return nil, errors.New("provider-role: without one nobody of the identity provider may do anything; give " +
			"GROUP=ROLE")
	}
	if path := k.String("provider-secret-file"); path != "" {
		data, err := os.ReadFile(path)
		if err != nil {
			return nil, fmt.Errorf("provider-secret-file: %w", err)
		}
		o.ClientSecret = strings.TrimSpace(string(data))
	}
	return o, nil
}
