package api

import (
	"time"

	"rankwarden.example/core/arrival"
	"rankwarden.example/core/present"
)

// WhatIf is what could be otherwise.
type WhatIf struct {
	Facts    []Facts          `json:"facts,omitempty"    maxItems:"5000" nullable:"false" doc:"Other organisation facts of devices"`
	Arriving []ArrivingDevice `json:"arriving,omitempty" maxItems:"1000" nullable:"false" doc:"Devices that are not there yet"`
	Leaving  string           `json:"leaving,omitempty"  maxLength:"300" doc:"Somebody who leaves the directory, as user:NAME@DOMAIN"`
	Operator string           `json:"operator,omitempty" maxLength:"63" doc:"The operator that the person is; the part of the name before the @ when left out"`
}

// ArrivingDevice is a device that is not there yet.
type ArrivingDevice struct {
	Name        string   `json:"name"                   minLength:"1" maxLength:"63"`
	Platform    string   `json:"platform,omitempty"`
	OSVersion   string   `json:"os_version,omitempty"`
	OSBuild     int      `json:"os_build,omitempty"`
	Model       string   `json:"model,omitempty"`
	Serial      string   `json:"serial,omitempty"`
	Path        string   `json:"path,omitempty"`
	Tags        []string `json:"tags,omitempty"         nullable:"false"`
	PrimaryUser string   `json:"primary_user,omitempty"`
	UserGroups  []string `json:"user_groups,omitempty"  nullable:"false"`
}

// WhatThen is what would become of the fleet.
type WhatThen struct {
	Moved    *Preview  `json:"moved" doc:"What other facts would do; null where none were given"`
	Arriving []Arrival `json:"arriving" nullable:"false" doc:"What devices that come would be told, by what they have in common"`
	Leaving  *Leaving  `json:"leaving" doc:"What somebody who leaves had; null where nobody does"`
}

// Arrival is what devices that come would be told, all of those that would be told the same.
type Arrival struct {
	Devices     []string `json:"devices" nullable:"false"`
	Groups      []string `json:"groups" nullable:"false" doc:"By rule, that all of them would certainly be in"`
	Assignments []string `json:"assignments" nullable:"false" doc:"That would apply, by rank and name"`
	Settings    int      `json:"settings"`
	Contested   []string `json:"contested" nullable:"false"`
	Problems    []string `json:"problems" nullable:"false" doc:"Of the settled whole, in words"`
	WayIn       bool     `json:"way_in" doc:"They would have a way in for emergencies"`
}

// Leaving is what somebody who leaves the directory had.
type Leaving struct {
	Person    string         `json:"person"`
	Devices   int            `json:"devices" doc:"On which the person can get in as an administrator, at most 2000"`
	More      bool           `json:"more" doc:"There are more than 2000"`
	Access    []LocalMember  `json:"access" nullable:"false" doc:"The first 200 of them, with the way"`
	NoWayIn   []string       `json:"no_way_in" nullable:"false" doc:"Devices on which nobody else can get in as an administrator, at most 500"`
	Policies  []string       `json:"policies" nullable:"false" doc:"In force, that name the person"`
	Operator  string         `json:"operator" doc:"Whose views of passwords are told"`
	Passwords []SeenPassword `json:"passwords" nullable:"false" doc:"That this operator saw and that are still the right ones, at most 500"`
}

// SeenPassword is a password that somebody saw and that is still the right one.
type SeenPassword struct {
	Device   string    `json:"device"`
	DeviceID string    `json:"device_id"`
	Account  string    `json:"account"`
	SeenAt   time.Time `json:"seen_at"`
}

// ArrivalOf shows what devices that come would be told.
func ArrivalOf(x arrival.Arrival) Arrival {
	view := Arrival{Devices: x.Devices, Groups: x.Groups, Assignments: x.Assignments, Settings: x.Settings,
		Contested: x.Contested, Problems: []string{}, WayIn: x.WayIn}
	for _, p := range x.Problems {
		view.Problems = append(view.Problems, present.Problem(p))
	}
	return view
}
