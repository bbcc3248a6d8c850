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
	Join           Do = "join"
	Leave          Do = "leave"
	SetUser        Do = "set-user"
	CreateUser     Do = "create-user"
	MoveUser       Do = "move-user"
	SwitchUser     Do = "switch-user"
	CreateGroup    Do = "create-group"
	RenameGroup    Do = "rename-group"
	SetGroup       Do = "set-group"
	RemoveGroup    Do = "remove-group"
	AddLine        Do = "add-line"
	ChangeLine     Do = "change-line"
	MoveLine       Do = "move-line"
	RemoveLine     Do = "remove-line"
	SwitchLine     Do = "switch-line"
	AddPart        Do = "add-part"
	ChangePart     Do = "change-part"
	MovePart       Do = "move-part"
	RemovePart     Do = "remove-part"
	SwitchPart     Do = "switch-part"
	WriteDocument  Do = "write-document"
	RemoveDocument Do = "remove-document"
	Restore        Do = "restore"
)

// Signed is a staged change with who staged it, as it is kept.
type Signed struct {
	Change
	By string `json:"by"`
}

// Change is one staged change. Which fields it needs depends on what it does.
type Change struct {
	Do        Do              `json:"do" enum:"join,leave,set-user,create-user,move-user,switch-user,create-group,rename-group,set-group,remove-group,add-line,change-line,move-line,remove-line,switch-line,add-part,change-part,move-part,remove-part,switch-part,write-document,remove-document,restore" doc:"What the change does."`
	Group     string          `json:"group,omitempty" doc:"The group, by name; of one that is created, with its directory."`
	Member    string          `json:"member,omitempty" doc:"join, leave: a user, group or device, by name."`
	To        string          `json:"to,omitempty" doc:"rename-group: the new name, without its directory. create-user, move-user: the distinguished name of what the account is put below."`
	User      string          `json:"user,omitempty" doc:"The user, by name; of one that is created, with the directory."`
	Attribute string          `json:"attribute,omitempty" doc:"set-user: which attribute; active and expires are attributes too."`
	Field     string          `json:"field,omitempty" doc:"set-group: description, kind, members_from, usable_in, host, rule, managers or expect."`
	System    string          `json:"system,omitempty" doc:"Lines: the system, by name."`
	Line      string          `json:"line,omitempty" doc:"Lines: which one: its name, or its number from 1."`
	Document  string          `json:"document,omitempty" doc:"Parts: the name of a system, or map, guarantees, directory NAME. Documents: the file in the map folder."`
	Part      string          `json:"part,omitempty" doc:"Parts: which one: its name, or its number from 1. To add to a set of keys: the new key."`
	List      string          `json:"list,omitempty" doc:"Lines and parts: the key of the list; for a list further down, as in shares > logs > folders."`
	Before    string          `json:"before,omitempty" doc:"add and move: the line or part before which it comes."`
	After     string          `json:"after,omitempty" doc:"add and move: the line or part after which it comes; without before and after it comes last."`
	Value     json.RawMessage `json:"value,omitempty" doc:"The new value: an attribute's, a field's, a line, a part; of write-document the text; of switch-line, switch-part and switch-user on or off. Missing: remove it."`
	// Was is what the change replaces, and Beside the line or part next to which one
	// comes, as they were when the change was staged.
	Was    *string `json:"was,omitempty" readOnly:"true" doc:"What it replaces, as it was when the change was staged."`
	Beside *string `json:"beside,omitempty" readOnly:"true" doc:"The line or part next to which it comes, as it was when the change was staged."`
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
	CreateUser: {"user"}, MoveUser: {"user", "to"}, SwitchUser: {"user", "value"},
	CreateGroup: {"group"}, RenameGroup: {"group", "to"}, SetGroup: {"group", "field"}, RemoveGroup: {"group"},
	AddLine: {
		"system",
		"list",
		"value",
	}, ChangeLine: {"system", "list", "line", "value"}, MoveLine: {"system", "list", "line"},
	RemoveLine: {"system", "list", "line"}, SwitchLine: {"system", "list", "line", "value"},
	AddPart: {
		"document",
		"list",
		"value",
	}, ChangePart: {"document", "list", "part", "value"}, MovePart: {"document", "list", "part"},
	RemovePart: {"document", "list", "part"}, SwitchPart: {"document", "list", "part", "value"},
	WriteDocument: {"document", "value"}, RemoveDocument: {"document"}, Restore: {"document"},
}

// check says which field is missing, or too much.
func (c *Change) check() error {
	needs, known := fields[c.Do]
	if !known {
		return fmt.Errorf("there is no kind of change %q", c.Do)
	}
	has := map[string]string{
		"group": c.Group, "member": c.Member, "to": c.To, "user": c.User, "attribute": c.Attribute, "field": c.Field,
		"system": c.System, "line": c.Line, "document": c.Document, "part": c.Part, "list": c.List, "before": c.Before,
		"after": c.After, "value": string(c.Value),
	}
	may := append([]string{"value", "before", "after"}, needs...)
	if c.Do == AddPart {
		may = append(may, "part")
	}
	if c.Do == CreateUser || c.Do == CreateGroup {
		may = append(may, "to")
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
		return fmt.Errorf("give before or after, not both")
	}
	return nil
}

// In is the name of the document that a line or part is in.
func (c *Change) In() string { return c.System + c.Document } // a change has one of them

// item is the line or part.
func (c *Change) item() string { return c.Line + c.Part }

// IsLine says whether the change is about a line.
func (c *Change) IsLine() bool { return slices.Contains(fields[c.Do], "system") }

// adds says whether the change adds a line or part.
func (c *Change) adds() bool { return c.Do == AddLine || c.Do == AddPart }

// value reads the value; ok is false if there is none.
func (c *Change) value() (v mapfile.Value, ok bool, err error) {
	if len(c.Value) == 0 || string(c.Value) == "null" {
		return v, false, nil
	}
	v, err = mapfile.ParseValue(string(c.Value))
	return v, err == nil, err
}

// given is the value of a change that needs one.
func (c *Change) given() (mapfile.Value, error) {
	v, ok, err := c.value()
	if err == nil && !ok {
		err = fmt.Errorf("%s needs a value", c.Do)
	}
	return v, err
}

// text reads a value that is a piece of text.
func (c *Change) text() (string, error) {
	var text string
	if err := json.Unmarshal(c.Value, &text); err != nil {
		return "", fmt.Errorf("the value is a piece of text")
	}
	return text, nil
}

// onOrOff reads a value that says how something is switched.
func (c *Change) onOrOff() (string, error) {
	to, err := c.text()
	if err != nil || to != "on" && to != "off" {
		return "", fmt.Errorf("the value of %s is on or off", c.Do)
	}
	return to, nil
}

// shownText is a value that is a piece of text, for people.
func (c *Change) shownText() string {
	if text, err := c.text(); err == nil {
		return text
	}
	return c.shown()
}

// shown writes the value for people.
func (c *Change) shown() string {
	v, ok, err := c.value()
	if err != nil || !ok {
		return "nothing"
	}
	return v.String()
}

// was writes for people what the change replaces.
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
		return fmt.Sprintf("Removes %s from the group %s.", c.Member, c.Group)
	case SetUser:
		return c.ofUser()
	case CreateUser, MoveUser, SwitchUser:
		return c.ofAccount()
	case CreateGroup:
		return c.ofNew("group", c.Group)
	case RenameGroup:
		return fmt.Sprintf("Renames the group %s to %s, wherever it is named.", c.Group, c.To)
	case SetGroup:
		if v := c.shown(); v != "nothing" {
			return fmt.Sprintf("Sets %s of the group %s to %s%s.", c.Field, c.Group, v, c.was())
		}
		return fmt.Sprintf("Removes %s of the group %s%s.", c.Field, c.Group, c.was())
	case RemoveGroup:
		return fmt.Sprintf("Removes the group %s.", c.Group)
	case AddLine, AddPart:
		if c.Part != "" {
			return fmt.Sprintf("Adds %s to %s of %s: %s%s.", c.Part, c.List, c.Document, c.shown(), c.besides())
		}
		return fmt.Sprintf("Adds to %s of %s: %s%s.", c.List, c.In(), c.shown(), c.besides())
	case ChangeLine, ChangePart:
		return fmt.Sprintf("Changes %s in %s of %s to %s%s.", c.item(), c.List, c.In(), c.shown(), c.was())
	case MoveLine, MovePart:
		return fmt.Sprintf("Moves %s in %s of %s%s.", c.item(), c.List, c.In(), c.besides())
	case RemoveLine, RemovePart:
		return fmt.Sprintf("Removes %s from %s of %s%s.", c.item(), c.List, c.In(), c.was())
	case SwitchLine, SwitchPart:
		return fmt.Sprintf("Switches %s in %s of %s %s.", c.item(), c.List, c.In(), c.shownText())
	}
	return c.ofDocument()
}

// ofUser is the sentence of a change of a user's record.
func (c *Change) ofUser() string {
	switch v := c.shown(); {
	case v == "nothing":
		return fmt.Sprintf("Removes %s of %s%s.", c.Attribute, c.User, c.was())
	case strings.EqualFold(c.Attribute, "active") && v == "true":
		return fmt.Sprintf("Activates %s.", c.User)
	case strings.EqualFold(c.Attribute, "active"):
		return fmt.Sprintf("Deactivates %s.", c.User)
	default:
		return fmt.Sprintf("Sets %s of %s to %s%s.", c.Attribute, c.User, v, c.was())
	}
}

// ofDocument is the sentence of a change of a whole document or record.
func (c *Change) ofDocument() string {
	switch c.Do {
	case WriteDocument:
		if c.Was == nil || *c.Was == "" {
			return fmt.Sprintf("Writes the new document %s.", c.Document)
		}
		return fmt.Sprintf("Replaces the document %s.", c.Document)
	case Restore:
		if len(c.Value) == 0 {
			return fmt.Sprintf("Removes the record of %s again.", c.Document)
		}
		return fmt.Sprintf("Restores the record of %s.", c.Document)
	case RemoveDocument:
		return fmt.Sprintf("Removes the document %s.", c.Document)
	}
	return string(c.Do)
}

// besides says where a line or part comes.
func (c *Change) besides() string {
	switch {
	case c.Before != "":
		return ", before " + c.Before
	case c.After != "":
		return ", after " + c.After
	case c.Do == MoveLine || c.Do == MovePart:
		return " to the end"
	}
	return ""
}
