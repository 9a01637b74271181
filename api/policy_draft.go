package api

// DraftRequest asks for a policy drafted from what devices have in common.
type DraftRequest struct {
	Group     string `json:"group" minLength:"1" maxLength:"63" doc:"Group of devices to draft from"`
	Name      string `json:"name" minLength:"1" maxLength:"63" doc:"Of the policy"`
	Tolerance *int   `json:"tolerance,omitempty" minimum:"0" maximum:"49" doc:"Percent of the devices that may have another value; 5 where it is not given"`
}

// PolicyDraft is a policy drafted from what devices have in common, and what it leaves out.
type PolicyDraft struct {
	Source    string         `json:"source" doc:"The policy, in YAML; empty where the devices have nothing in common"`
	Devices   int            `json:"devices" doc:"Whose reports were read"`
	Silent    int            `json:"silent" doc:"Devices that never reported"`
	Settings  []DraftSetting `json:"settings" nullable:"false"`
	NotKept   []DraftNotKept `json:"not_kept" nullable:"false" doc:"Members of local groups that the policy would take out"`
	Unwritten []string       `json:"unwritten" nullable:"false" doc:"What there is and a policy cannot say, in words"`
}

// DraftSetting is how far devices agree on a setting.
type DraftSetting struct {
	Unit    string `json:"unit"`
	Title   string `json:"title"`
	Words   string `json:"words" doc:"The value that the most devices have"`
	Devices int    `json:"devices" doc:"That have it"`
	Other   int    `json:"other" doc:"That have another value"`
	Drafted bool   `json:"drafted" doc:"The policy asks for it"`
}

// DraftNotKept is a member of a local group that a drafted policy would take out.
type DraftNotKept struct {
	Unit    string `json:"unit"`
	Title   string `json:"title"`
	Member  string `json:"member"`
	Devices int    `json:"devices"`
}
