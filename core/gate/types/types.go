// Package types is the table of gate types: the one place that names them.
package types

import (
	"gatemap/core/gate"
	"gatemap/core/gate/licences"
	"gatemap/core/gate/roles"
)

// Table lists every gate type.
var Table = []gate.Type{
	licences.Type,
	roles.Type,
}
