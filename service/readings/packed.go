package readings

import (
	"time"

	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/core/reading"
	"gatemap/mapfile"
	"gatemap/service/packed"
)

// form is how a reading is kept.
type form struct {
	System   string              `json:"system"`
	Type     string              `json:"type"`
	At       time.Time           `json:"at"`
	Server   string              `json:"server,omitempty"`
	Accounts []reading.Account   `json:"accounts"`
	Groups   []reading.Group     `json:"groups"`
	Document string              `json:"document"` // as in a map folder
	Objects  map[string]string   `json:"objects,omitempty"`
	Rights   map[string][]string `json:"rights,omitempty"`
	Beyond   []reading.Beyond    `json:"beyond,omitempty"`
	Unseen   []string            `json:"unseen,omitempty"`
}

func pack(r *reading.Reading) ([]byte, error) {
	document, err := mapfile.Write(&gate.System{Name: r.System, Type: name.Ref{Name: r.Type}, Gate: r.Document})
	if err != nil {
		return nil, err
	}
	return packed.Pack(form{
		r.System, r.Type, r.At, r.Server, r.Accounts, r.Groups, string(document), r.Objects, r.Rights, r.Beyond, r.Unseen,
	})
}

func unpack(raw []byte) (*reading.Reading, error) {
	f, err := packed.Unpack[form](raw)
	if err != nil {
		return nil, err
	}
	m, err := mapfile.Parse([]mapfile.File{{Path: "reading", Content: []byte(f.Document)}}, types.Table, nil)
	if err != nil {
		return nil, err
	}
	return &reading.Reading{
		System: f.System, Type: f.Type, At: f.At, Server: f.Server, Accounts: f.Accounts, Groups: f.Groups,
		Document: m.Systems[0].Gate,
		Objects:  f.Objects, Rights: f.Rights, Beyond: f.Beyond, Unseen: f.Unseen,
	}, nil
}
