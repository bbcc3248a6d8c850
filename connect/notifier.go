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
	// Send sends notices, the oldest first. The error says that not all may have arrived: they
	// are sent again then, by the same IDs.
	Send(ctx context.Context, m *Message) error
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
