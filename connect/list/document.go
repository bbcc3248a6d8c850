// Package list reads what a system holds from a list that someone exported from it, or that a
// program left: CSV (RFC 4180) or JSON lines of who has which right on what. The age of the file
// is the age of what was read.
package list

import (
	"gatemap/connect"
	"gatemap/core/gate/types"
	"gatemap/core/place"
)

// Connector is this kind of connection.
var Connector = connect.Connector{
	Name: "list", Doc: "A list that was exported from the system: who has which right on what.",
	Link: func() connect.Link { return &Document{} },
}

// Document says how a list is read.
type Document struct {
	Place     place.Place       `yaml:"-"`
	File      place.Text        `yaml:"file,required" doc:"The file, by its path from the map folder. Its first line names the columns."`
	Format    Format            `yaml:"format" doc:"csv (unless said), or json: an object on each line."`
	Delimiter string            `yaml:"delimiter" doc:"The separator of columns; tab for a tab. Missing: a comma."`
	Encoding  place.Text        `yaml:"encoding" doc:"Character encoding, such as windows-1252 or utf-16le (WHATWG names). Missing: UTF-8."`
	Columns   Columns           `yaml:"columns,required" doc:"What the columns are."`
	Words     map[string]string `yaml:"words" doc:"How rights and objects are called in the map, by what the list calls them."`
	Object    string            `yaml:"object" doc:"The object of all lines, where no column says it."`
	Right     string            `yaml:"right" doc:"The right of all lines, where no column says it."`
}

// Columns names the columns of a list.
type Columns struct {
	Account place.Text `yaml:"account,required" doc:"The account."`
	Right   place.Text `yaml:"right" doc:"The right. Lines without one say only that there is the account."`
	Object  place.Text `yaml:"object" doc:"What the right is on."`
	Group   place.Text `yaml:"group" doc:"The group of the system by which the account has it. Lines without one are of the account itself."`
	Active  place.Text `yaml:"active" doc:"Whether the account can be used: no, false, 0, off, inactive, disabled and locked mean that it cannot."`
	Used    place.Text `yaml:"used" doc:"When it was used last."`
}

// Format is how a list is written.
type Format string

// Values lists the formats; csv is the default.
func (Format) Values() []string { return []string{"csv", "json"} }

// Connector is the entry of the table of connectors.
func (d *Document) Connector() connect.Connector { return Connector }

// Targets is the file.
func (d *Document) Targets() []string { return []string{"list " + d.File.Value} }

// Types are the gate types of which there can be a list of who has what.
func (d *Document) Types() (names []string) {
	for _, t := range types.Table {
		if t.Holding != nil {
			names = append(names, t.Name)
		}
	}
	return names
}
