package httpapi

import (
	"bytes"
	"encoding/csv"
	"strconv"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/internal/wire/audit"
)

// postureHead are the titles of a report as CSV: what each measure is of, and when.
var postureHead = []string{"section", "time", "item", "who", "why", "measure", "value"}

// postureCSV writes a report as a table with one measure a row (RFC 4180), so that it can be filtered and summed.
func postureCSV(p api.Posture) ([]byte, error) {
	rows := [][]string{postureHead}
	add := func(section, at, item, who, why, measure string, value float64) {
		rows = append(rows, []string{section, at, item, who, why, measure, strconv.FormatFloat(value, 'f', -1, 64)})
	}
	standings := func(section, at string, s api.Standings) {
		for _, x := range []struct {
			standing string
			n        int
		}{{"in_step", s.InStep}, {"drifted", s.Drifted}, {"waiting", s.Waiting}, {"held", s.Held},
			{"silent", s.Silent}} {
			add(section, at, x.standing, "", "", "devices", float64(x.n))
		}
	}
	at := func(t time.Time) string { return t.UTC().Format(time.RFC3339) }
	standings("standings now", at(p.MadeAt), p.Standings)
	for _, d := range p.Days {
		standings("standings", d.Day, d.Standings)
	}
	for _, v := range p.Verified {
		add("time to verified", v.Day, "", "", "", "desired states", float64(v.Verified))
		add("time to verified", v.Day, "", "", "", "half within seconds", v.Half)
		add("time to verified", v.Day, "", "", "", "nine of ten within seconds", v.Most)
	}
	for _, r := range p.Rules {
		item := settingOf(r)
		add("findings", "", item, "", "", "opened", float64(r.Opened))
		add("findings", "", item, "", "", "corrected", float64(r.Corrected))
		add("findings", "", item, "", "", "closed", float64(r.Closed))
		add("findings", "", item, "", "", "open", float64(r.Open))
		add("findings", "", item, "", "", "waived", float64(r.Waived))
		add("findings", "", item, "", "", "devices", float64(r.Devices))
	}
	for _, o := range p.Overdue.Items {
		add("passwords overdue", at(o.DueAt), o.Device+" "+o.Account, "", "", "days overdue",
			float64(int(p.MadeAt.Sub(o.DueAt)/(24*time.Hour))))
	}
	for _, r := range p.Reveals.Items {
		add("password views", at(r.Last), "", r.Operator, r.Reason, "times", float64(r.Times))
		add("password views", at(r.Last), "", r.Operator, r.Reason, "devices", float64(r.Devices))
	}
	for _, w := range p.Waivers.Items {
		add("waivers", at(w.MadeAt), w.Device+": "+w.Words, w.MadeBy, w.Reason, "days until its end",
			float64(int(w.Until.Sub(w.MadeAt)/(24*time.Hour))))
	}
	for _, w := range p.Warrants.Items {
		add("warrants", at(w.From), w.Principal+", "+w.UnitTitle, w.AskedBy, w.Reason, "minutes until its end",
			float64(int(w.Until.Sub(w.From)/time.Minute)))
	}
	for _, c := range p.Changes.Items {
		who := c.CreatedBy
		if c.ApprovedBy != "" {
			who += ", approved by " + c.ApprovedBy
		}
		add("changes", at(c.ClosedAt), c.Name+", "+c.State, who, c.Reason, "changes", 1)
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	for _, row := range rows {
		if err := audit.WriteRow(w, row); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}
