// Package stage makes the changes that engineers stage: to records of directories
// and to the files of a map folder, whose comments and order stay. It compiles
// nothing and keeps nothing: it turns files and records into others.
package stage

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"gatemap/mapfile"
)

// Do says what a change does.
type Do string

// What changes do.
const (
	Join          Do = "join"
	Leave         Do = "leave"
	SetUser       Do = "set-user"
	CreateGroup   Do = "create-group"
	RenameGroup   Do = "rename-group"
	SetGroup      Do = "set-group"
	DropGroup     Do = "drop-group"
	AddEntry      Do = "add-entry"
	ChangeEntry   Do = "change-entry"
	MoveEntry     Do = "move-entry"
	DropEntry     Do = "drop-entry"
	WriteDocument Do = "write-document"
	DropDocument  Do = "drop-document"
	Restore       Do = "restore"
)

// Change is one staged change. Which fields it needs depends on what it does.
type Change struct {
	Do        Do              `json:"do" enum:"join,leave,set-user,create-group,rename-group,set-group,drop-group,add-entry,change-entry,move-entry,drop-entry,write-document,drop-document,restore" doc:"What the change does."`
	Group     string          `json:"group,omitempty" doc:"The group, by name; of one that is created, with its directory."`
	Member    string          `json:"member,omitempty" doc:"join, leave: a user, group or device, by name."`
	To        string          `json:"to,omitempty" doc:"rename-group: the new name, without its directory."`
	User      string          `json:"user,omitempty" doc:"set-user: the user, by name."`
	Attribute string          `json:"attribute,omitempty" doc:"set-user: which attribute; active and expires are attributes too."`
	Field     string          `json:"field,omitempty" doc:"set-group: description, kind, members_from, usable_in, host, rule, managers or expect."`
	Document  string          `json:"document,omitempty" doc:"Entries: the name of a system, or map, guarantees, directory NAME. Documents: the file in the map folder."`
	List      string          `json:"list,omitempty" doc:"Entries: the key under which the list stands; further down, as in shares > logs > folders."`
	Entry     string          `json:"entry,omitempty" doc:"Entries: which one: its name, or its number from 1. To add to a set of keys: the new key."`
	Before    string          `json:"before,omitempty" doc:"add-entry, move-entry: the entry before which it comes."`
	After     string          `json:"after,omitempty" doc:"add-entry, move-entry: the entry after which it comes; without before and after it comes last."`
	Value     json.RawMessage `json:"value,omitempty" doc:"The new value: an attribute's, a field's, an entry; of write-document the text. Missing: take it away."`
	// Was is what the change takes the place of, and Beside the entry next to which
	// one comes, as they were when the change was staged.
	Was    *string `json:"was,omitempty" readOnly:"true" doc:"What it takes the place of, as it was when the change was staged."`
	Beside *string `json:"beside,omitempty" readOnly:"true" doc:"The entry next to which it comes, as it was when the change was staged."`
}

// Error is a change that cannot be made.
type Error struct {
	Number int // from 1; 0: the only one
	Change Change
	Reason string
	// Moved says that the map is not what it was when the change was staged.
	Moved bool
}

func (e *Error) Error() string {
	if e.Number == 0 {
		return e.Reason
	}
	return fmt.Sprintf("change %d (%s): %s", e.Number, strings.TrimSuffix(e.Change.Sentence(), "."), e.Reason)
}

// fields are what each kind of change needs.
var fields = map[Do][]string{
	Join: {"group", "member"}, Leave: {"group", "member"}, SetUser: {"user", "attribute"},
	CreateGroup: {"group"}, RenameGroup: {"group", "to"}, SetGroup: {"group", "field"}, DropGroup: {"group"},
	AddEntry: {"document", "list", "value"}, ChangeEntry: {"document", "list", "entry", "value"}, MoveEntry: {"document", "list", "entry"}, DropEntry: {"document", "list", "entry"},
	WriteDocument: {"document", "value"}, DropDocument: {"document"}, Restore: {"document"},
}

// check says which field is missing, or too much.
func (c *Change) check() error {
	needs, known := fields[c.Do]
	if !known {
		return fmt.Errorf("there is no kind of change %q", c.Do)
	}
	has := map[string]string{
		"group": c.Group, "member": c.Member, "to": c.To, "user": c.User, "attribute": c.Attribute, "field": c.Field,
		"document": c.Document, "list": c.List, "entry": c.Entry, "before": c.Before, "after": c.After, "value": string(c.Value),
	}
	may := append([]string{"value", "before", "after"}, needs...)
	if c.Do == AddEntry {
		may = append(may, "entry")
	}
	for _, f := range needs {
		if has[f] == "" {
			return fmt.Errorf("%s needs %s", c.Do, f)
		}
	}
	for f, v := range has {
		if v != "" && !slices.Contains(may, f) {
			return fmt.Errorf("%s does not take %s", c.Do, f)
		}
	}
	if c.Before != "" && c.After != "" {
		return fmt.Errorf("before and after exclude each other")
	}
	return nil
}

// value reads the value; ok is false where there is none.
func (c *Change) value() (v mapfile.Value, ok bool, err error) {
	if len(c.Value) == 0 || string(c.Value) == "null" {
		return v, false, nil
	}
	v, err = mapfile.ParseValue(string(c.Value))
	return v, err == nil, err
}

// text reads a value that is a piece of text.
func (c *Change) text() (string, error) {
	var text string
	if err := json.Unmarshal(c.Value, &text); err != nil {
		return "", fmt.Errorf("the value is a piece of text")
	}
	return text, nil
}

// shown writes the value for people.
func (c *Change) shown() string {
	v, ok, err := c.value()
	if err != nil || !ok {
		return "nothing"
	}
	return v.String()
}

// was writes for people what the change takes the place of.
func (c *Change) was() string {
	if c.Was == nil || *c.Was == "" {
		return ""
	}
	return " (was " + *c.Was + ")"
}

// Sentence says what the change does.
func (c *Change) Sentence() string {
	switch c.Do {
	case Join:
		return fmt.Sprintf("Adds %s to the group %s.", c.Member, c.Group)
	case Leave:
		return fmt.Sprintf("Takes %s out of the group %s.", c.Member, c.Group)
	case SetUser:
		switch v := c.shown(); {
		case v == "nothing":
			return fmt.Sprintf("Takes %s from %s%s.", c.Attribute, c.User, c.was())
		case strings.EqualFold(c.Attribute, "active") && v == "true":
			return fmt.Sprintf("Switches %s on.", c.User)
		case strings.EqualFold(c.Attribute, "active"):
			return fmt.Sprintf("Switches %s off.", c.User)
		default:
			return fmt.Sprintf("Sets %s of %s to %s%s.", c.Attribute, c.User, v, c.was())
		}
	case CreateGroup:
		if v := c.shown(); v != "nothing" {
			return fmt.Sprintf("Creates the group %s with %s.", c.Group, v)
		}
		return fmt.Sprintf("Creates the group %s.", c.Group)
	case RenameGroup:
		return fmt.Sprintf("Renames the group %s to %s, wherever it is named.", c.Group, c.To)
	case SetGroup:
		if v := c.shown(); v != "nothing" {
			return fmt.Sprintf("Sets %s of the group %s to %s%s.", c.Field, c.Group, v, c.was())
		}
		return fmt.Sprintf("Takes %s from the group %s%s.", c.Field, c.Group, c.was())
	case DropGroup:
		return fmt.Sprintf("Removes the group %s.", c.Group)
	case AddEntry:
		if c.Entry != "" {
			return fmt.Sprintf("Adds %s to %s of %s: %s%s.", c.Entry, c.List, c.Document, c.shown(), c.besides())
		}
		return fmt.Sprintf("Adds to %s of %s: %s%s.", c.List, c.Document, c.shown(), c.besides())
	case ChangeEntry:
		return fmt.Sprintf("Changes %s in %s of %s to %s%s.", c.Entry, c.List, c.Document, c.shown(), c.was())
	case MoveEntry:
		return fmt.Sprintf("Moves %s in %s of %s%s.", c.Entry, c.List, c.Document, c.besides())
	case DropEntry:
		return fmt.Sprintf("Takes %s out of %s of %s%s.", c.Entry, c.List, c.Document, c.was())
	case WriteDocument:
		if c.Was == nil || *c.Was == "" {
			return fmt.Sprintf("Writes the new document %s.", c.Document)
		}
		return fmt.Sprintf("Replaces the document %s.", c.Document)
	case Restore:
		if len(c.Value) == 0 {
			return fmt.Sprintf("Takes the record of %s away again.", c.Document)
		}
		return fmt.Sprintf("Puts the record of %s back to what it was.", c.Document)
	case DropDocument:
		return fmt.Sprintf("Removes the document %s.", c.Document)
	}
	return string(c.Do)
}

// besides says where an entry comes.
func (c *Change) besides() string {
	switch {
	case c.Before != "":
		return ", before " + c.Before
	case c.After != "":
		return ", after " + c.After
	case c.Do == MoveEntry:
		return " to the end"
	}
	return ""
}
