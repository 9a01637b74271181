package changes_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/gate"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
)

const person = "dn: CN=%[1]s,DC=skerryline,DC=example\nobjectClass: user\nsAMAccountName: %[1]s\nuserPrincipalName: " +
	"%[1]s@skerryline.example\nobjectSid: S-1-5-21-1-2-3-%[2]d\n\n"

// A reading that lacks people whom policies name waits until somebody says that it is right.
func TestAReadingThatLosesPeopleWaits(t *testing.T) {
	s := newFleet(t, 1, gate.Rules{})
	people := func(names ...string) (source []byte) {
		for i, name := range names {
			source = append(source, fmt.Sprintf(person, name, 1000+i)...)
		}
		return source
	}
	change, err := s.ImportDirectory(t.Context(), owner, people("runa", "egil"), true, false, asking)
	require.NoError(t, err)
	assert.Equal(t, 2, change.Added)

	storetest.Write(t, s.db, func(tx store.DoorWriter) error {
		if err := tx.AddPolicyRevision(store.PolicyRevision{PolicyID: "p", Number: 2, PublishedAt: s.Now(),
			Source: "format: rankwarden.policy/1\nname: lamps\nmembership:\n" +
				"  - {local_group: remote-desktop-users, mode: adjust, members: ['user:egil@skerryline.example']}\n",
		}); err != nil {
			return err
		}
		_, err := tx.PinRevision("p", 2, s.Now())
		return err
	})
	_, err = s.ImportDirectory(t.Context(), owner, people("runa"), true, false, asking)
	refused(t, err, refusal.Conflict, "directory_loses")
	change, err = s.ImportDirectory(t.Context(), owner, people("runa"), true, true, asking)
	require.NoError(t, err)
	assert.Equal(t, 1, change.Removed)
}
