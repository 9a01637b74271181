package api

// Setting is how the service is configured, for people to read. What it is configured with is the configuration of the
// service, which its operators do not change.
type Setting struct {
	Section string `json:"section"`
	Title   string `json:"title"`
	Value   string `json:"value" doc:"In words; never a secret"`
	Option  string `json:"option" doc:"Of rankwardend serve, that sets it"`
}
