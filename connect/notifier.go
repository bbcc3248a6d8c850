package connect

import (
	"context"

	"gatemap/core/notice"
)

// Notifier is how one receiver of notices is reached, as a map writes it, and the doing.
type Notifier interface {
	Connector() Connector
	// Targets are what it connects to and reads on the host: a change of one needs the right
	// to connect.
	Targets() []string
	// Recipient is who gets the notices, such as an address, without secrets.
	Recipient() string
	// Send sends notices, the oldest first, and says how many arrived. With an error the others
	// are sent again later, by the same IDs: one of them may have arrived, too.
	Send(ctx context.Context, m *Message) (arrived int, err error)
}

// Message is what is sent to a receiver in one go.
type Message struct {
	Map     string // its title
	Notices []notice.Notice
	Digest  bool // they were gathered
	Host    Host
}

// NotifierOf is how a receiver is reached; nil if its document does not say.
func NotifierOf(d *notice.Document) Notifier {
	n, _ := d.Connection.Document.(Notifier)
	return n
}

// AllOrNone says how many of so many notices arrived that were sent in one.
func AllOrNone(all int, err error) (int, error) {
	if err != nil {
		return 0, err
	}
	return all, nil
}
