package e2e

import (
	"os"
	"os/exec"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The alert rules are what Prometheus takes, and alert when they should; every series that they, the dashboard and the
// guide name is one that the service has; every alert names a runbook that is there.
func TestWhatAlertsIsThere(t *testing.T) {
	const dir = "../packaging/monitoring"
	for _, args := range [][]string{{"check", "rules", "rules.yaml"}, {"test", "rules", "rules_test.yaml"}} {
		cmd := exec.Command("promtool", args...)
		cmd.Dir = dir
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	s := start(t)
	s.stop()
	s.config.MetricsListen = "127.0.0.1:0"
	s.run()
	_, err := s.owner.Overview(t.Context()) // requests are counted once there was one
	require.NoError(t, err)
	has, _ := s.figures()
	has += " rankwarden_certificate_expires_timestamp_seconds " // only where there is one
	runbooks, err := os.ReadFile("../docs/guide/runbooks.md")
	require.NoError(t, err)
	headings := map[string]bool{}
	for _, heading := range regexp.MustCompile(`(?m)^## (.+)$`).FindAllStringSubmatch(string(runbooks), -1) {
		headings[strings.ReplaceAll(strings.ToLower(heading[1]), " ", "-")] = true
	}
	for _, file := range []string{dir + "/rules.yaml", dir + "/dashboard.json", "../docs/guide/operations.md",
		"../docs/guide/runbooks.md"} {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		pattern := `(\brankwarden_[a-z_]+)`
		if strings.HasSuffix(file, ".md") { // where roles and databases are called so too
			pattern = "`(rankwarden_[a-z_]+)"
		}
		series := regexp.MustCompile(pattern).FindAllStringSubmatch(string(text), -1)
		require.NotEmpty(t, series, file)
		for _, name := range series {
			assert.True(t, regexp.MustCompile(`\b`+name[1]+`\b`).MatchString(has), "%s names %s", file, name[1])
		}
		for _, runbook := range regexp.MustCompile(`runbooks\.md#(\S+)`).FindAllStringSubmatch(string(text), -1) {
			assert.True(t, headings[runbook[1]], "%s names the runbook %s", file, runbook[1])
		}
	}
}
