package hosts

import (
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
)

// holding is the document in which some hold just what they were found to hold: login, or
// "run COMMAND as ACCOUNT". Of a host of which no login was found nobody asked for logins: there
// whoever runs something may log in.
func holding(_ gate.Document, list []gate.Holding) (made gate.Document, left []gate.Holding) {
	d := &Document{Hosts: map[string][]place.Text{}}
	var logins, runs []gate.Holding
	listed := map[string]bool{}
	for _, h := range list {
		_, _, runs := Running(h.Right)
		if h.Object == "" || h.Right != login && !runs {
			left = append(left, h)
			continue
		}
		listed[h.Object] = listed[h.Object] || h.Right == login
		d.Hosts[h.Object] = []place.Text{{Value: h.Object}}
	}
	for _, h := range list {
		_, _, run := Running(h.Right)
		switch {
		case d.Hosts[h.Object] == nil:
			continue
		case run:
			runs = append(runs, h)
			if listed[h.Object] {
				continue
			}
		case h.Right != login:
			continue
		}
		h.Right = login
		logins = append(logins, h)
	}
	for _, h := range gate.Together(logins) {
		d.Login = append(d.Login, Login{Who: h.Who, Hosts: []name.Ref{{Name: h.Object}}})
	}
	for _, h := range gate.Together(runs) {
		command, as, _ := Running(h.Right)
		d.Elevate = append(
			d.Elevate,
			Elevate{
				Who:      h.Who,
				Hosts:    []name.Ref{{Name: h.Object}},
				Commands: []gate.Pattern{{Text: place.Text{Value: command}}},
				As:       as,
			},
		)
	}
	return d, left
}
