package e2e

import (
	"fmt"
	"os"
	"os/exec"
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
	assert.Less(t, kib, 22*1024) // a system may share less of the program with others
	calls := callsOf(t, s, r, name)
	t.Logf("%d calls of the system a turn in which nothing changed", calls)
	assert.Less(t, calls, 200)

	stop()
	const turns = 5
	begun := time.Now()
	for range turns {
		r.sh(agentLine + s.URL + " --once")
	}
	t.Logf("%d ms a turn with nothing to do, with the start of the program and its exchange", time.Since(begun).
		Milliseconds()/turns)
}

// callsOf counts what a turn of an agent asks of the system, files, programs and the network, in the mean of some.
// What the runtime of its language does while it waits is another number on each machine.
func callsOf(t *testing.T, s *service, r *real, name string) int {
	agent, err := exec.Command("pgrep", "-f", "^rankwarden-agent --state.*"+s.URL).Output()
	require.NoError(t, err)
	counts := t.TempDir() + "/counts"
	ended := fmt.Sprintf("strace -f -c -e trace=%%file,%%desc,%%network,%%process -o %s -p %s", counts,
		strings.Fields(string(agent))[0])
	cmd := exec.Command("/bin/sh", "-c", "exec "+ended)
	attached, err := cmd.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	_, err = attached.Read(make([]byte, 1)) // it says so
	require.NoError(t, err)
	heard := func() time.Time { return *s.nowOf(name).Device.LastContact }
	const turns = 8
	for range turns {
		last := heard()
		r.sh("rankwarden-agent check-in >/dev/null 2>&1 || true")
		s.until(func() bool { return heard().After(last) })
	}
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	_ = cmd.Wait() // it ends as it was interrupted
	data, err := os.ReadFile(counts)
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(data)), "\n")
	total, err := strconv.Atoi(strings.Fields(lines[len(lines)-1])[3])
	require.NoError(t, err, string(data))
	return total / turns
}
