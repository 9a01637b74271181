package cache

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"rankwarden.example/core/unit"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Scopes come and go, and those in use are soon read again: that many readings are kept.
const (
	mostPolicies    = 10_000
	mostAssignments = 100_000
	mostAtOnce      = 5000 // scopes that are read in one query
	mostAsked       = 2_000
)

// Scopes are what was read of scopes. The zero Scopes is ready to use.
type Scopes struct {
	policies    readings[string]                  // by digest and setting: policies with their revisions, in words
	assignments readings[[]string]                // by digest: names
	decided     readings[map[unit.ID][]string]    // by digest: assignments by setting
	asked       readings[protocol.DesiredContent] // by digest of settings: what is asked
	bodies      readings[protocol.Asking]         // by digest of settings: the bytes that were stored, taken apart
}

// readings are what was read of one kind; they are let go of when they are too many.
type readings[V any] struct {
	values sync.Map
	count  atomic.Int64
}

func (k *readings[V]) get(key string) (value V, known bool) {
	if kept, ok := k.values.Load(key); ok {
		return kept.(V), true
	}
	return value, false
}

func (k *readings[V]) put(key string, value V, most int64) {
	if k.count.Add(1) > most {
		k.values.Clear()
		k.count.Store(1)
	}
	k.values.Store(key, value)
}

// of gives what is known of a key, or reads it.
func (k *readings[V]) of(key string, most int64, read func() (V, error)) (V, error) {
	if value, known := k.get(key); known {
		return value, nil
	}
	value, err := read()
	if err == nil {
		k.put(key, value, most)
	}
	return value, err
}

// One reads one scope.
type One interface {
	Scope(digest string) (store.Scope, error)
}

// PoliciesFor says which policies ask for a setting in a scope, with their revisions; empty for none.
func (k *Scopes) PoliciesFor(tx One, digest string, id unit.ID) (string, error) {
	return k.policies.of(digest+" "+id.String(), mostPolicies, func() (string, error) {
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
		return strings.Join(names, ", "), nil
	})
}

// DecidedBy says which assignments decided each setting of a scope, none for an empty digest. Nobody changes what it
// gives.
func (k *Scopes) DecidedBy(tx One, digest string) (map[unit.ID][]string, error) {
	if digest == "" {
		return nil, nil
	}
	return k.decided.of(digest, mostAsked, func() (map[unit.ID][]string, error) {
		scope, err := tx.Scope(digest)
		if err != nil {
			return nil, err
		}
		return scope.DecidedBy()
	})
}

// Asker reads what is asked under the digest of settings.
type Asker interface {
	Asked(digest string) (protocol.DesiredContent, error)
}

// Asked is what is asked under the digest of settings. Nobody changes what it gives.
func (k *Scopes) Asked(tx Asker, digest string) (protocol.DesiredContent, error) {
	return k.asked.of(digest, mostAsked, func() (protocol.DesiredContent, error) { return tx.Asked(digest) })
}

// Bodies reads settings as the bytes that were stored.
type Bodies interface {
	SettingsBody(digest string) (string, error)
}

// Asking is settings as the bytes that were stored, taken apart.
func (k *Scopes) Asking(tx Bodies, digest string) (protocol.Asking, error) {
	return k.bodies.of(digest, mostAsked, func() (protocol.Asking, error) {
		body, err := tx.SettingsBody(digest)
		if err != nil {
			return protocol.Asking{}, err
		}
		return protocol.ReadAsking(body)
	})
}

// Many reads scopes.
type Many interface {
	ScopesByDigest(digests []string) ([]store.Scope, error)
}

// Assignments gives the names of the assignments of scopes.
func (k *Scopes) Assignments(tx Many, digests []string) (map[string][]string, error) {
	names := make(map[string][]string, len(digests))
	var unread []string
	for _, digest := range digests {
		if known, ok := k.assignments.get(digest); ok {
			names[digest] = known
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
