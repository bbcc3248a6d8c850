// Package connectors is the table of the kinds of connections: the one place that names
// them.
package connectors

import (
	"gatemap/connect"
	"gatemap/connect/csv"
	"gatemap/connect/host"
	"gatemap/connect/ldap"
	"gatemap/connect/ldif"
	"gatemap/connect/list"
	"gatemap/connect/mail"
	"gatemap/connect/postgres"
	"gatemap/connect/scim"
	"gatemap/connect/syslog"
	"gatemap/connect/webhook"
	"gatemap/core/directory"
)

// Table lists every connector.
var Table = []connect.Connector{
	csv.Connector, host.Connector, ldap.Connector, ldif.Connector, list.Connector, mail.Connector, postgres.Connector,
	scim.Connector, syslog.Connector, webhook.Connector,
}

// Kinds is what a map has to know of them.
func Kinds() []directory.ConnectionKind {
	kinds := make([]directory.ConnectionKind, len(Table))
	for i, c := range Table {
		kinds[i] = c.Kind()
	}
	return kinds
}
