// Package types is the table of gate types: the one place that names them.
package types

import (
	"gatemap/core/gate"
	"gatemap/core/gate/app"
	"gatemap/core/gate/federation"
	"gatemap/core/gate/files"
	"gatemap/core/gate/firewall"
	"gatemap/core/gate/hosts"
	"gatemap/core/gate/licences"
	"gatemap/core/gate/network"
	"gatemap/core/gate/roles"
	"gatemap/core/gate/signin"
)

// Table lists every gate type.
var Table = []gate.Type{
	app.Type,
	federation.Type,
	files.Type,
	firewall.Type,
	hosts.Type,
	licences.Type,
	network.Type,
	roles.Type,
	signin.Type,
}

// Named is the gate type of a name.
func Named(name string) (t gate.Type, known bool) {
	for _, t := range Table {
		if t.Name == name {
			return t, true
		}
	}
	return t, false
}

// Names lists the names of the gate types.
func Names() []string {
	names := make([]string, len(Table))
	for i, t := range Table {
		names[i] = t.Name
	}
	return names
}
