package answer

// Writes are what the commit of a trial writes where records come from.
type Writes struct {
	Trial  string   `json:"trial"`
	Writes []Write  `json:"writes" doc:"The modifications, in the order in which they are made."`
	Stays  []string `json:"stays" doc:"What the trial changes in records that come from a source and that is not written there: the next run restores what the source has."`
}

// Write is the modification of one entry.
type Write struct {
	Directory string `json:"directory"`
	Server    string `json:"server" doc:"The server that answered."`
	Entry     string `json:"entry" doc:"Distinguished name of the entry, or path of the resource."`
	For       string `json:"for" doc:"The record that is changed, and how."`
	Text      string `json:"text" doc:"The modification as the server takes it: LDIF (RFC 2849), or a request (RFC 7644); empty where the entry is as it is to be already."`
	// Password is not the password itself.
	Password bool `json:"password,omitempty" doc:"Whether a new account gets a first password, which who commits sees once."`
}
