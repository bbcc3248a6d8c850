package answer

import (
	"time"

	"gatemap/core/notice"
)

// Notices are those whom the map tells what must not wait, and what they were told.
type Notices struct {
	Receivers []Receiver `json:"receivers" nullable:"false"`
	Notices   []Sent     `json:"notices" doc:"What they were told, the newest first." nullable:"false"`
	Next      string     `json:"next,omitempty" doc:"Cursor of the next page; missing on the last."`
}

// Receiver is one whom the map tells what must not wait.
type Receiver struct {
	Name    string         `json:"name"`
	Kind    string         `json:"kind" doc:"How it is reached, such as webhook."`
	To      string         `json:"to" doc:"Who gets the notices, such as an address."`
	About   []notice.Topic `json:"about" doc:"What it is told of." nullable:"false"`
	Systems []string       `json:"systems,omitempty" doc:"The systems and directories of which it is told. Missing: all."`
	Digest  string         `json:"digest,omitempty" doc:"How long notices are gathered into one message. Missing: each is sent at once."`
	Waiting int            `json:"waiting" doc:"How many notices wait to be sent."`
	Due     *time.Time     `json:"due,omitempty" doc:"When they are sent, or tried again."`
	Error   string         `json:"error,omitempty" doc:"Why they could not be sent."`
	Stands  int            `json:"stands" doc:"How much stands that it was told of and that is not over."`
}

// SentState says what has become of a notice.
type SentState string

// What becomes of notices. One is given up a week after it was to be sent.
const (
	NoticeWaiting SentState = "waiting"
	NoticeSent    SentState = "sent"
	NoticeGivenUp SentState = "given up"
)

// Sent is a notice, and what has become of it.
type Sent struct {
	Number int64      `json:"number"`
	State  SentState  `json:"state" enum:"waiting,sent,given up"`
	Ended  *time.Time `json:"ended,omitempty" doc:"When it was sent, or given up."`
	Tries  int        `json:"tries" doc:"How often it was tried."`
	Error  string     `json:"error,omitempty" doc:"Why it could not be sent."`
	notice.Notice
}

// NoticeTested is the answer to a test: it has arrived.
type NoticeTested struct {
	Receiver string `json:"receiver"`
	To       string `json:"to" doc:"Who got it."`
	ID       string `json:"id" doc:"Of the notice that was sent."`
}
