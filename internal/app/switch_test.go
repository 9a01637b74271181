package app

import (
	"testing"
	"time"

	"github.com/knadh/koanf/providers/posflag"
	"github.com/knadh/koanf/v2"
	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/gate"
	"rankwarden.example/internal/room/retention"
)

// given reads options as the command does.
func given(t *testing.T, args ...string) Config {
	flags := pflag.NewFlagSet("serve", pflag.ContinueOnError)
	AddFlags(flags)
	require.NoError(t, flags.Parse(args))
	k := koanf.New(".")
	require.NoError(t, k.Load(posflag.Provider(flags, ".", k), nil))
	return Configure(k)
}

func shown(c Config) map[string]string {
	values := map[string]string{}
	for _, s := range c.Settings() {
		values[s.Option] = s.Value
	}
	return values
}

func TestASwitchIsAFlagAFieldAndASetting(t *testing.T) {
	c := given(t)
	assert.Equal(t, retention.DefaultKept, c.kept())
	assert.Equal(t, gate.DefaultBrake, c.Brake)
	assert.Equal(t, 5*time.Minute, c.Interval)
	assert.Equal(t, DefaultBudget, c.RevealBudget)
	said := shown(c)
	assert.Equal(t, "no", said["approve-everything"])
	assert.Equal(t, "never", said["approve-removed-administrators"])
	assert.Equal(t, "366 days after the month is over", said["keep-events"])
	assert.Equal(t, "more than 2 % of the fleet, or administrators on more than 25 devices",
		said["brake-percent, brake-administrators"])

	c = given(t, "--approve-everything", "--approve-removed-administrators", "7", "--no-brake", "--keep-reports",
		"9600h",
		"--trust-proxy", "192.0.2.1,192.0.2.2", "--only-provider", "--interval", "90s")
	assert.True(t, c.Approvals.Everything)
	assert.Equal(t, []string{"192.0.2.1", "192.0.2.2"}, c.Proxies)
	assert.Equal(t, 400*24*time.Hour, c.kept().DailyReports, "a day's last report is kept as long as all of them")
	assert.Zero(t, given(t, "--keep-orders", "0s").kept().Orders, "what is given holds, also nothing")
	said = shown(c)
	assert.Equal(t, "on 7 devices or more", said["approve-removed-administrators"])
	assert.Equal(t, "off", said["brake-percent, brake-administrators"])
	assert.Equal(t, "sealed owners only", said["only-provider"])
	assert.Equal(t, "90 s", said["interval"])
	assert.Equal(t, "192.0.2.1, 192.0.2.2", said["trust-proxy"])
}

func TestSwitchesHaveNamesOfTheirOwn(t *testing.T) {
	seen := map[string]bool{}
	for _, s := range switches {
		assert.False(t, seen[s.Name], s.Name)
		assert.NotEmpty(t, s.usage, s.Name)
		assert.Equal(t, s.show != nil, s.title != "", "%s is shown with a title or not at all", s.Name)
		seen[s.Name] = true
	}
}
