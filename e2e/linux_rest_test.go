package e2e

import (
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// An agent that has nothing to do takes little of a workstation with 200 accounts; what it measures is printed with -v.
func TestAnAgentAtRestIsSmall(t *testing.T) {
	s := start(t)
	const name = "SKL-INF-909"
	r := realWorkstation(t, name)
	r.sh("for n in $(seq 200); do echo person-$n:x:$((2000 + n)):100:Person $n:/home/person-$n:/bin/sh; done >> " +
		"/etc/passwd; for n in $(seq 200); do echo person-$n:!:20000:0:99999:7:::; done >> /etc/shadow")
	s.publish("base", screens, 500, "everything")
	r.sh("useradd mallory")
	stop := s.enrols(r)
	s.comesTo(name, "in_step")
	assert.Len(t, s.why(name).Accounts, 202)

	pid := strings.TrimSpace(r.sh("pgrep -o rankwarden-agen"))
	status, err := os.ReadFile(r.Path("/proc/" + pid + "/status"))
	require.NoError(t, err)
	_, after, _ := strings.Cut(string(status), "VmRSS:")
	kib, err := strconv.Atoi(strings.Fields(after)[0])
	require.NoError(t, err)
	t.Logf("%.1f MiB at rest", float64(kib)/1024)
	assert.Less(t, kib, 25*1024)

	stop()
	const turns = 5
	begun := time.Now()
	for range turns {
		r.sh(agentLine + s.URL + " --once")
	}
	t.Logf("%d ms a turn with nothing to do, with the start of the program and its exchange", time.Since(begun).
		Milliseconds()/turns)
}
