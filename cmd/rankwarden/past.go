package main

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
)

// pastFlags narrow a list of what happened to a time.
type pastFlags struct{ since, until string }

func (p *pastFlags) add(cmd *cobra.Command) {
	cmd.Flags().StringVar(&p.since, "since", "", "not before this `time`: 2h, 3d, 2031-03-04 or 2031-03-04T06:00:00Z")
	cmd.Flags().StringVar(&p.until, "until", "", "before this `time`")
}

// times reads them.
func (p *pastFlags) times(now time.Time) (since, until time.Time, err error) {
	if since, err = pointInTime("since", p.since, now); err != nil {
		return since, until, err
	}
	until, err = pointInTime("until", p.until, now)
	return since, until, err
}

// pointInTime reads a time as people write it: how long ago, a day, or an instant.
func pointInTime(flag, s string, now time.Time) (time.Time, error) {
	if s == "" {
		return time.Time{}, nil
	}
	for suffix, unit := range map[string]time.Duration{"m": time.Minute, "h": time.Hour, "d": 24 * time.Hour,
		"w": 7 * 24 * time.Hour} {
		if n, err := strconv.Atoi(strings.TrimSuffix(s, suffix)); err == nil && strings.HasSuffix(s, suffix) && n >= 0 {
			return now.Add(-time.Duration(n) * unit), nil
		}
	}
	for _, layout := range []string{time.RFC3339, "2006-01-02T15:04", "2006-01-02 15:04", "2006-01-02"} {
		if t, err := time.ParseInLocation(layout, s, time.Local); err == nil {
			return t, nil
		}
	}
	return time.Time{}, unusable{
		fmt.Errorf(
			"--%s %q is no time; write how long ago (90m, 2h, 3d), a day (2031-03-04) or an instant "+
				"(2031-03-04T06:00:00Z)",
			flag,
			s,
		),
	}
}
