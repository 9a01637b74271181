package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// On a real workstation sudo works for the clerk while the warrant runs, and not after its end, with the service
// stopped. What the clerk began as root is ended too, also what left its terminal.
func TestAWarrantOnARealWorkstation(t *testing.T) {
	s := startQuick(t)
	ctx := t.Context()
	const name = "SKL-INF-911"
	r := realWorkstation(t, name)
	r.sh("useradd -m -s /bin/bash clerk && echo clerk:Tide-table-73065 | chpasswd")
	s.publish("base", mooringOnly, 500, "everything")
	s.enrols(r)
	s.comesTo(name, "in_step")
	sudo := func(command string) error {
		_, err := r.Run(ctx, `su clerk -c "echo Tide-table-73065 | sudo -S -k `+command+`" > /dev/null 2>&1`)
		return err
	}
	require.Error(t, sudo("true"), "before")

	spec := asks("local:clerk", name)
	spec.Minutes, spec.EndSessions = 15, true
	w, err := s.owner.AskWarrant(ctx, spec)
	require.NoError(t, err)
	require.Equal(t, "agreed", w.State)
	s.until(func() bool { return sudo("true") == nil })
	s.comesTo(name, "in_step")
	require.NoError(t, sudo("-b nohup sleep 4711"))
	require.NoError(t, sudo("-b setsid nohup sleep 4712"))
	runs := func(seconds string) bool {
		_, err := r.Run(ctx, "pgrep -u root -f '^sleep "+seconds+"'")
		return err == nil
	}
	s.until(func() bool { return runs("4711") && runs("4712") })
	r.sh("setsid nohup sleep 4713 > /dev/null 2>&1 &") // somebody else's, as root

	// The device hears how late it is, and then nothing any more.
	s.clock.forward(15*time.Minute - 20*time.Second)
	s.order("check-in", "", name)
	s.until(func() bool { return s.became(name)[0] == "check-in done" })
	s.stop()
	s.until(func() bool { return sudo("true") != nil })
	s.until(func() bool { return !runs("4711") && !runs("4712") })
	assert.True(t, runs("4713"), "nobody else's programs are ended")
	assert.NotContains(t, members(r, "sudo"), "clerk")
	require.Error(t, sudo("true"), "after")
}
