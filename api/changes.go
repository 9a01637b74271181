package api

import (
	"time"

	"rankwarden.example/core/edit"
	"rankwarden.example/core/policy"
)

// Change is a set of edits that goes out together.
type Change struct {
	Name      string     `json:"name"`
	Title     string     `json:"title"`
	Reason    string     `json:"reason"`
	State     string     `json:"state" enum:"draft,waiting,approved,going_out,done,dropped,reverted" doc:"waiting: for a second person's approval; going_out: its rollout is under way"`
	Version   int64      `json:"version" doc:"Counts every alteration; the ETag"`
	CreatedAt time.Time  `json:"created_at"`
	CreatedBy string     `json:"created_by"`
	UpdatedAt time.Time  `json:"updated_at"`
	ClosedAt  *time.Time `json:"closed_at" doc:"When it went out, was dropped or reverted"`
	AskedBy   string     `json:"asked_by" doc:"Who asked for it to go out, while it waits or is approved"`
	Needs     []string   `json:"needs" doc:"Why a second person must approve" nullable:"false"`
}

// ChangeSummary is a change in a list.
type ChangeSummary struct {
	Change
	Edits int `json:"edits" doc:"Number of edits"`
}

// ChangeDetail is a change with its edits.
type ChangeDetail struct {
	Change
	Edits   []EditState `json:"edits" nullable:"false" doc:"In the order in which they go out"`
	Problem string      `json:"problem" doc:"The first edit that cannot be made now; empty when all can"`
	Rollout string      `json:"rollout" doc:"State of its rollout while that has not ended; empty for none"`
	Waves   bool        `json:"waves" doc:"It goes out in waves, or did"`
	Own     bool        `json:"own" doc:"Whoever asks wrote a part of it, or asked for it to go out, so that somebody else approves it"`
}

// ChangeEdit is one edit of a change. Of document, assignment and group that is given which its kind needs.
type ChangeEdit = edit.Edit

// GroupBody is what a group is to be.
type GroupBody = edit.GroupBody

// PutEdit is an edit that goes into a change.
type PutEdit struct {
	ChangeEdit
	Replaces *int64 `json:"replaces,omitempty" doc:"Version of the edit of the same thing that was read, 0 when there was none; left out, whatever is there is replaced" minimum:"0"`
}

// EditState is an edit of a change as it stands.
type EditState struct {
	ChangeEdit
	Type     string `json:"type" enum:"policy,assignment,group"`
	EditedBy string `json:"edited_by"`
	Version  int64  `json:"version" doc:"What the next edit of the same thing names as the one that it replaces"`
	Now      int64  `json:"now" doc:"Version that the thing has now, 0 when it does not exist"`
	Conflict bool   `json:"conflict" doc:"Somebody else altered the thing since: edit it again, or take the edit out"`
}

// EditResult is a change after an edit, and the warnings of a document.
type EditResult struct {
	Change   ChangeDetail     `json:"change"`
	Problems []policy.Problem `json:"problems" nullable:"false"`
}

// ChangeEvent is one line of the history of a change.
type ChangeEvent struct {
	At     time.Time `json:"at"`
	Who    string    `json:"who"`
	What   string    `json:"what" enum:"created,edited,edit_removed,retitled,approval_requested,approved,refused,approval_lapsed,applied,dropped,rollout_started,rollout_resumed,reverted"`
	Detail string    `json:"detail"`
}

// Preview is what edits would do to the devices in reach.
type Preview struct {
	Fleet       int          `json:"fleet" doc:"Devices in reach"`
	Devices     int          `json:"devices" doc:"Of those, affected"`
	NotReported int          `json:"not_reported" doc:"Of those affected, that never reported: their effects are not known"`
	Sums        []EffectSum  `json:"sums" doc:"Who loses access first, then what becomes held, then the rest" nullable:"false"`
	Groups      []GroupCount `json:"groups" nullable:"false" doc:"Devices affected by group, the largest number first; at most 50 groups"`
	MoreGroups  int          `json:"more_groups" doc:"Groups with affected devices that are not told"`
	TakesAway   bool         `json:"takes_away" doc:"Somebody should look before it goes out"`
	Version     int64        `json:"version" doc:"Of the change; 0 for edits that are in none"`
	Digest      string       `json:"digest" doc:"Send it with apply or approve; empty for edits that are in no change"`
	Needs       []string     `json:"needs" doc:"Why a second person must approve" nullable:"false"`
	Part        bool         `json:"part" doc:"The change does more to devices out of your reach, or could; then there is no digest"`
	Ways        []WayIn      `json:"ways" doc:"How ways in are given, taken or moved" nullable:"false"`
}

// WayIn is one way in that is given, taken or moved.
type WayIn struct {
	Effect  string `json:"effect" enum:"administrator_gained,account_taken_over,way_in_opened,protection_loosened,administrator_lost,way_in_closed,no_way_in"`
	Words   string `json:"words"`
	Devices int    `json:"devices" doc:"That are there"`
	Anyone  bool   `json:"anyone" doc:"Also whichever device comes"`
}

// GroupCount is a number of devices in a group.
type GroupCount struct {
	Group   string `json:"group"`
	Devices int    `json:"devices"`
}

// EffectSum says how many devices have one effect.
type EffectSum struct {
	Effect    string   `json:"effect"`
	Unit      string   `json:"unit" doc:"Setting; * for every setting"`
	Subject   string   `json:"subject"`
	Devices   int      `json:"devices"`
	Section   string   `json:"section" doc:"Heading under which it is shown"`
	Words     string   `json:"words"`
	TakesAway bool     `json:"takes_away"`
	First     []string `json:"first" doc:"Names of the first devices" nullable:"false"`
}

// AffectedDevice is what a change would do to one device.
type AffectedDevice struct {
	Device   string          `json:"device"`
	DeviceID string          `json:"device_id"`
	Reported bool            `json:"reported" doc:"false: it never reported, so only its settings are known"`
	Settings []SettingChange `json:"settings" nullable:"false"`
	Effects  []Effect        `json:"effects" nullable:"false"`
}

// SettingChange is a setting whose desired value differs; null where nothing is desired.
type SettingChange struct {
	Unit        string `json:"unit"`
	Title       string `json:"title"`
	Before      any    `json:"before"`
	After       any    `json:"after"`
	BeforeWords string `json:"before_words"`
	AfterWords  string `json:"after_words"`
	Supported   bool   `json:"supported"`
}

// Effect is one thing that a change would do to a device.
type Effect struct {
	Unit      string `json:"unit"`
	Effect    string `json:"effect"`
	Subject   string `json:"subject"`
	Before    any    `json:"before"`
	After     any    `json:"after"`
	Words     string `json:"words"`
	TakesAway bool   `json:"takes_away"`
}
