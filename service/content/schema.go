package content

import (
	"sync"

	"gatemap/connect/connectors"
	"gatemap/core/gate/types"
	"gatemap/mapfile"
)

// Schema is the JSON Schema (2020-12) of the documents of a map folder.
var Schema = sync.OnceValues(func() ([]byte, error) { return mapfile.Schema(types.Table, connectors.Kinds()) })
