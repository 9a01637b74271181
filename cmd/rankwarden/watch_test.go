package main

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/api"
)

// Verified is said only where nothing differs and nothing failed.
func TestHowAWatchEnds(t *testing.T) {
	const all, see = "All online devices ", ". See: rankwarden "
	for _, x := range []struct {
		verified, held int
		say            string
	}{
		{3, 0, all + "are verified."},
		{3, 1, all + "are verified; 1 device has held settings" + see + "held"},
		{2, 0, all + "have reported back; on 1 something differs or failed" + see + "drift"},
		{1, 2, all + "have reported back; on 2 something differs or failed, and 2 devices have held settings" +
			see + "drift, rankwarden held"},
	} {
		o := api.Overview{Online: 3, OnlineReported: 3, OnlineVerified: x.verified}
		o.Standings.Held = x.held
		say, fine := outcome(o)
		assert.Equal(t, x.say, say)
		assert.Equal(t, x.verified == 3 && x.held == 0, fine)
		assert.True(t, o.AllReported())
	}
	waits := api.Overview{Online: 3, OnlineReported: 2, OnlineVerified: 2}
	assert.False(t, waits.AllReported())
}
