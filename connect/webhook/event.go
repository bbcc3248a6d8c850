package webhook

import (
	"net/url"
	"time"

	"gatemap/core/notice"
)

// event is an event of CloudEvents 1.0, in its JSON format.
type event struct {
	SpecVersion string    `json:"specversion"`
	ID          string    `json:"id"`
	Source      string    `json:"source"`
	Type        string    `json:"type"`
	Subject     string    `json:"subject,omitempty"`
	Time        time.Time `json:"time"`
	ContentType string    `json:"datacontenttype"`
	Data        data      `json:"data"`
}

// data is what an event carries.
type data struct {
	Receiver string    `json:"receiver"`
	Text     string    `json:"text"`
	Fix      string    `json:"fix,omitempty"`
	Since    time.Time `json:"since"`
}

// eventOf is the event of a notice. Its type is gatemap.TOPIC.TURN, or gatemap.test; its source is
// gatemap:TITLE, with the title of the map.
func eventOf(n *notice.Notice, title string) event {
	typ := "gatemap." + string(n.Turn)
	if n.Topic != "" {
		typ = "gatemap." + string(n.Topic) + "." + string(n.Turn)
	}
	return event{
		SpecVersion: "1.0", ID: n.ID, Source: "gatemap:" + url.PathEscape(title), Type: typ, Subject: n.Of, Time: n.At,
		ContentType: "application/json", Data: data{n.Receiver, n.Text, n.Fix, n.Since},
	}
}
