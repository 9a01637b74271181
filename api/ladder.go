package api

// Ladder is how the assignments decide the settings of some devices.
type Ladder struct {
	Devices int   `json:"devices" doc:"Of the device, group or fleet, in reach"`
	Ways    []Way `json:"ways" doc:"Ways of meeting the assignments, the most devices first; at most 50" nullable:"false"`
	More    int   `json:"more" doc:"Ways that are not listed"`
	// Warrants are laid over what the assignments come to.
	Warrants []LadderWarrant `json:"warrants" nullable:"false" doc:"Rights for a time that run, where the ladder is of one device"`
}

// LadderWarrant is a right for a time on the ladder of a device.
type LadderWarrant struct {
	Unit  string `json:"unit"`
	Title string `json:"title"`
	Words string `json:"words"`
}

// Way is what devices have in common that meet the same assignments.
type Way struct {
	Devices int             `json:"devices"`
	First   []string        `json:"first" nullable:"false" doc:"Names of the first devices"`
	Units   []LadderUnit    `json:"units" nullable:"false" doc:"Columns, in the order in which they are shown"`
	Rungs   []Rung          `json:"rungs" nullable:"false" doc:"Assignments, the strongest rank first"`
	Settled []LadderSettled `json:"settled" nullable:"false" doc:"What each setting comes to"`
	Error   string          `json:"error" doc:"Why nothing is settled; empty when it is"`
}

// LadderUnit is a column of a ladder.
type LadderUnit struct {
	Unit    string `json:"unit"`
	Title   string `json:"title"`
	Section string `json:"section"`
	Differs bool   `json:"differs" doc:"Claims on it differ"`
}

// Rung is one assignment on a ladder.
type Rung struct {
	Assignment string       `json:"assignment"`
	Policy     string       `json:"policy"`
	Rank       int          `json:"rank"`
	Stance     string       `json:"stance" enum:"enforce,trial"`
	Undecided  bool         `json:"undecided" doc:"It would apply if a fact were known"`
	Cells      []LadderCell `json:"cells" nullable:"false"`
}

// LadderCell is what an assignment asks of a setting, and what became of it.
type LadderCell struct {
	Unit    string         `json:"unit"`
	Words   string         `json:"words"`
	State   string         `json:"state" enum:"decides,agrees,loses,contested,trial"`
	Why     string         `json:"why" doc:"Why it loses, in words"`
	Members []LadderMember `json:"members" nullable:"false" doc:"Of a local group: who must be a member, and who must not; empty for other settings"`
	Closed  bool           `json:"closed" doc:"Of a local group: nobody else is a member"`
}

// LadderMember is somebody of whom an assignment says whether they are a member of a local group.
type LadderMember struct {
	Ref   string `json:"ref" doc:"Reference, such as account:keeper"`
	Words string `json:"words"`
	In    bool   `json:"in" doc:"They must be a member; otherwise they must not"`
}

// LadderSettled is what a setting comes to.
type LadderSettled struct {
	Unit  string `json:"unit"`
	Words string `json:"words"`
	Why   string `json:"why" doc:"How it was decided, in words"`
	Held  string `json:"held" doc:"Why it is held, in words; empty when it is not"`
}
