package api

import "time"

// DirectoryEntry is a person or group of the directory.
type DirectoryEntry struct {
	Ref       string    `json:"ref" doc:"How policies name it, such as group:desk support@skerryline.example"`
	Kind      string    `json:"kind" enum:"user,group"`
	Name      string    `json:"name" doc:"As the directory writes it"`
	Title     string    `json:"title"`
	SID       string    `json:"sid"`
	GUID      string    `json:"guid"`
	DN        string    `json:"dn" doc:"Distinguished name"`
	Source    string    `json:"source" enum:"import,connection"`
	UpdatedAt time.Time `json:"updated_at"`
	// GoneAt is when it vanished from the directory. Until it is let go it keeps its identifier.
	GoneAt *time.Time `json:"gone_at" doc:"When it vanished from the directory; it keeps its identifier until it is let go, or for 30 days"`
}

// DirectoryChange says what an import or a run of the connection did.
type DirectoryChange struct {
	Entries int            `json:"entries" doc:"People and groups that were read"`
	Added   int            `json:"added"`
	Changed int            `json:"changed"`
	Removed int            `json:"removed"`
	Skipped []SkippedEntry `json:"skipped" doc:"People and groups that cannot be named in a policy; at most 100" nullable:"false"`
}

// SkippedEntry is a person or group that was passed over, and why.
type SkippedEntry struct {
	DN  string `json:"dn"`
	Why string `json:"why"`
}

// DirectoryState is the connection to a directory and its last run.
type DirectoryState struct {
	Connected bool       `json:"connected" doc:"A connection is set"`
	StartedAt *time.Time `json:"started_at"`
	EndedAt   *time.Time `json:"ended_at" doc:"Null while it runs"`
	Entries   int        `json:"entries"`
	Added     int        `json:"added"`
	Changed   int        `json:"changed"`
	Removed   int        `json:"removed"`
	Altering  int        `json:"altering" doc:"Devices that the reading would have altered, when it waits for a decision because of that"`
	Losing    int        `json:"losing" doc:"People and groups in use that the reading lacks, when it waits for a decision because of that"`
	Error     string     `json:"error" doc:"Empty when it went well"`
}

// Facts are organisation facts of one device; what is null stays as it is.
type Facts struct {
	Device      string    `json:"device" minLength:"1" doc:"Identifier or name"`
	Path        *string   `json:"path,omitempty" doc:"Like north/kirkness/desk"`
	Tags        *[]string `json:"tags,omitempty" nullable:"false"`
	PrimaryUser *string   `json:"primary_user,omitempty"`
}

// NameMatch says which of some names are those of devices.
type NameMatch struct {
	Enrolled int      `json:"enrolled" doc:"Names that a device in reach has"`
	Unknown  []string `json:"unknown" doc:"Names that none has yet" nullable:"false"`
}

// Altered is one thing that is another one afterwards.
type Altered struct {
	Object string `json:"object" doc:"A device, or somebody of the directory"`
	What   string `json:"what" doc:"Which property, in words"`
	Before string `json:"before" doc:"Empty for none"`
	After  string `json:"after" doc:"Empty for none"`
}

// FactsTrial says what other facts of devices would alter, and sets nothing.
type FactsTrial struct {
	Altered []Altered `json:"altered" nullable:"false"`
	Devices int       `json:"devices" doc:"Devices that would have another fact"`
	Unknown []string  `json:"unknown" nullable:"false" doc:"Names that no device has"`
	Groups  []Shift   `json:"groups" nullable:"false" doc:"Groups by rule that would have other members, by name"`
}

// Shift is how the members of a group by rule would change.
type Shift struct {
	Group  string   `json:"group"`
	Joins  []string `json:"joins" nullable:"false" doc:"Names of devices"`
	Leaves []string `json:"leaves" nullable:"false" doc:"Names of devices"`
}

// Letters is how the directory writes a person or group.
type Letters struct {
	Ref  string `json:"ref" doc:"In lower case, as it is compared"`
	Name string `json:"name" doc:"Like Fleet Support@skerryline.example"`
}
