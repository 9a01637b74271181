// Package scopes reads what is settled once for all devices that meet the same assignments. What a scope says never
// changes, so what was read of it is kept.
package scopes

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"rankwarden.example/core/unit"
	"rankwarden.example/internal/protocol"
	"rankwarden.example/internal/store"
)

// Scopes come and go, and those in use are soon read again: that many readings are kept.
const (
	mostPolicies    = 10_000
	mostAssignments = 100_000
	mostAtOnce      = 5000 // scopes that are read in one query
	mostAsked       = 2_000
)

// Cache is what was read. The zero Cache is ready to use.
type Cache struct {
	policies    boundedMap // by digest and setting: policies with their revisions, in words
	assignments boundedMap // by digest: names
	decided     boundedMap // by digest: assignments by setting
	asked       boundedMap // by digest of settings: what is asked
	bodies      boundedMap // by digest of settings: the bytes that were stored, taken apart
}

// boundedMap is a map that is emptied when it grew too large.
type boundedMap struct {
	values sync.Map
	count  atomic.Int64
}

func (k *boundedMap) put(key, value any, most int64) {
	if k.count.Add(1) > most {
		k.values.Clear()
		k.count.Store(1)
	}
	k.values.Store(key, value)
}

// One reads one scope.
type One interface {
	Scope(digest string) (store.Scope, error)
}

// PoliciesFor says which policies ask for a setting in a scope, with their revisions; empty for none.
func (k *Cache) PoliciesFor(tx One, digest string, id unit.ID) (string, error) {
	key := digest + " " + id.String()
	if known, ok := k.policies.values.Load(key); ok {
		return known.(string), nil
	}
	scope, err := tx.Scope(digest)
	if err != nil {
		return "", err
	}
	assignments, err := scope.Described()
	if err != nil {
		return "", fmt.Errorf("reading a scope: %w", err)
	}
	whose, err := scope.DecidedBy()
	if err != nil {
		return "", err
	}
	var names []string
	for _, a := range assignments {
		if slices.Contains(whose[id], a.Assignment) {
			names = append(names, fmt.Sprintf("%s revision %d", a.Policy, a.Revision))
		}
	}
	policies := strings.Join(names, ", ")
	k.policies.put(key, policies, mostPolicies)
	return policies, nil
}

// DecidedBy says which assignments decided each setting of a scope, none for an empty digest. Nobody changes what it gives.
func (k *Cache) DecidedBy(tx One, digest string) (map[unit.ID][]string, error) {
	if digest == "" {
		return nil, nil
	}
	if known, ok := k.decided.values.Load(digest); ok {
		return known.(map[unit.ID][]string), nil
	}
	scope, err := tx.Scope(digest)
	if err != nil {
		return nil, err
	}
	whose, err := scope.DecidedBy()
	if err == nil {
		k.decided.put(digest, whose, mostAsked)
	}
	return whose, err
}

// Asker reads what is asked under the digest of settings.
type Asker interface {
	Asked(digest string) (protocol.DesiredContent, error)
}

// Asked is what is asked under the digest of settings. Nobody changes what it gives.
func (k *Cache) Asked(tx Asker, digest string) (protocol.DesiredContent, error) {
	if known, ok := k.asked.values.Load(digest); ok {
		return known.(protocol.DesiredContent), nil
	}
	asked, err := tx.Asked(digest)
	if err == nil {
		k.asked.put(digest, asked, mostAsked)
	}
	return asked, err
}

// Bodies reads settings as the bytes that were stored.
type Bodies interface {
	SettingsBody(digest string) (string, error)
}

// Asking is settings as the bytes that were stored, taken apart.
func (k *Cache) Asking(tx Bodies, digest string) (protocol.Asking, error) {
	if known, ok := k.bodies.values.Load(digest); ok {
		return known.(protocol.Asking), nil
	}
	body, err := tx.SettingsBody(digest)
	if err != nil {
		return protocol.Asking{}, err
	}
	asking, err := protocol.ReadAsking(body)
	if err == nil {
		k.bodies.put(digest, asking, mostAsked)
	}
	return asking, err
}

// Many reads scopes.
type Many interface {
	ScopesByDigest(digests []string) ([]store.Scope, error)
}

// Assignments gives the names of the assignments of scopes.
func (k *Cache) Assignments(tx Many, digests []string) (map[string][]string, error) {
	names := make(map[string][]string, len(digests))
	var unread []string
	for _, digest := range digests {
		if known, ok := k.assignments.values.Load(digest); ok {
			names[digest] = known.([]string)
		} else {
			unread = append(unread, digest)
		}
	}
	for part := range slices.Chunk(unread, mostAtOnce) {
		scopes, err := tx.ScopesByDigest(part)
		if err != nil {
			return nil, err
		}
		for _, scope := range scopes {
			described, err := scope.Described()
			if err != nil {
				return nil, fmt.Errorf("reading a scope: %w", err)
			}
			list := make([]string, len(described))
			for i, a := range described {
				list[i] = a.Assignment
			}
			names[scope.Digest] = list
			k.assignments.put(scope.Digest, list, mostAssignments)
		}
	}
	return names, nil
}
