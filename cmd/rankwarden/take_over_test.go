package main

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
)

func TestWhatToDoWithAFormerAccount(t *testing.T) {
	for _, c := range []struct {
		account api.LocalAccount
		do, why string
	}{
		{api.LocalAccount{Builtin: "guest"}, "leave", "built in"},
		{api.LocalAccount{Key: "mooring", Enabled: true}, "leave", "account:mooring"},
		{api.LocalAccount{Enabled: true, Runs: []string{"service tide-sync"}}, "replace", "service tide-sync"},
		{api.LocalAccount{}, "leave", "disabled"},
		{api.LocalAccount{Privileged: true}, "adopt", "privileged; no sign-in known"},
		{api.LocalAccount{Enabled: true, LastSignIn: new(time.Date(2031, 3, 4, 0, 0, 0, 0, time.UTC))}, "adopt",
			"last sign-in 2031-03-04"},
	} {
		do, why := takeOver(c.account)
		assert.Equal(t, c.do, do)
		assert.Contains(t, why, c.why)
	}
}

func TestAFileOfFormerAccounts(t *testing.T) {
	list, err := readFormer([]byte("Owner, Account\nWorkshop, setup\n\"Desk, north\",support\n"))
	require.NoError(t, err)
	assert.Equal(t, []formerAccount{{"setup", "Workshop"}, {"support", "Desk, north"}}, list)
	for source, says := range map[string]string{
		"": "empty", "name,owner\n": "must have account and owner", "account,owner\n,x\n": "line 2 names no account",
		"account,owner\nsetup,a\nSetup,b\n": "line 3 names Setup again, after line 2",
		"account,owner\nsetup\n":            "wrong number of fields",
	} {
		_, err := readFormer([]byte(source))
		assert.ErrorContains(t, err, says, source)
	}
}
