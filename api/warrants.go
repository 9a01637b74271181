package api

import "time"

// Warrant makes a principal a member of a local group of some devices until a time.
type Warrant struct {
	ID          string     `json:"id"`
	Principal   string     `json:"principal" doc:"As members are written, such as user:asta.holm@skerryline.example"`
	Unit        string     `json:"unit" doc:"Of the local group"`
	UnitTitle   string     `json:"unit_title"`
	Devices     []string   `json:"devices" nullable:"false" doc:"Names of those in reach, sorted"`
	State       string     `json:"state" enum:"waiting,agreed,refused,taken_back,ended" doc:"waiting: for somebody to agree; agreed: it runs, or will"`
	Runs        bool       `json:"runs" doc:"Whether it holds now"`
	From        *time.Time `json:"from" doc:"Null while it waits and begins when it is agreed"`
	Until       *time.Time `json:"until" doc:"Null while it waits and begins when it is agreed"`
	Group       string     `json:"group" doc:"Whose devices these are; empty where they were named"`
	Minutes     int        `json:"minutes" doc:"How long it holds"`
	Reason      string     `json:"reason"`
	Ticket      string     `json:"ticket"`
	Despite     bool       `json:"despite" doc:"Also where a policy asks that the principal is no member"`
	EndSessions bool       `json:"end_sessions" doc:"Sessions of the principal are ended with it"`
	Needs       []string   `json:"needs" nullable:"false" doc:"Why somebody else must agree, or had to; empty where nobody had to"`
	People      []string   `json:"people" nullable:"false" doc:"Of a group of the directory: who is in it now while it waits, and who was when it was agreed"`
	AskedBy     string     `json:"asked_by"`
	AskedAt     time.Time  `json:"asked_at"`
	DecidedBy   string     `json:"decided_by" doc:"Empty where nobody had to agree, or has not yet"`
	DecidedAt   *time.Time `json:"decided_at" doc:"When it was agreed to, or refused"`
	EndedBy     string     `json:"ended_by" doc:"Empty while it has not; service when its time was over"`
	EndedAt     *time.Time `json:"ended_at"`
	Like        int        `json:"like" doc:"Warrants like this one within thirty days, this one included. From three on a policy may be the better way"`
}

// WarrantSpec is what is asked for.
type WarrantSpec struct {
	Principal   string     `json:"principal" maxLength:"320" doc:"user:, group:, sid: or local:"`
	LocalGroup  string     `json:"local_group,omitempty" maxLength:"256" doc:"administrators where left out"`
	Devices     []string   `json:"devices,omitempty" maxItems:"50" doc:"Names or identifiers"`
	Group       string     `json:"group,omitempty" maxLength:"63" doc:"Instead of devices: those that are in this group now and that you see, at most 1,000"`
	From        *time.Time `json:"from,omitempty" doc:"Now, or when it is agreed, where left out"`
	Minutes     int        `json:"minutes" minimum:"15" maximum:"43200" doc:"How long it holds"`
	Reason      string     `json:"reason" maxLength:"2000"`
	Ticket      string     `json:"ticket,omitempty" maxLength:"200"`
	Despite     bool       `json:"despite,omitempty" doc:"Also where a policy asks that the principal is no member; somebody else must agree"`
	EndSessions bool       `json:"end_sessions,omitempty" doc:"End the sessions of the principal with it"`
}
