package content

import (
	"bytes"
	"encoding/json"
	"sync"

	"gatemap/connect/connectors"
	"gatemap/core/gate/types"
	"gatemap/mapfile"
)

// Schema is the JSON Schema (2020-12) of the documents of a map folder.
var Schema = sync.OnceValues(func() ([]byte, error) { return mapfile.Schema(types.Table, connectors.Kinds()) })

// CompactSchema is Schema without the spaces that people read it by, a third as long.
var CompactSchema = sync.OnceValues(func() (json.RawMessage, error) {
	schema, err := Schema()
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = json.Compact(&b, schema)
	return b.Bytes(), err
})
