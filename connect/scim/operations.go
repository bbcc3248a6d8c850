package scim

import (
	"fmt"
	"slices"
	"strings"
)

// operation is one operation of a PATCH (RFC 7644 section 3.5.2).
type operation struct {
	Op    string
	Path  string
	Value any
}

// operations reads the body of a PATCH.
func operations(body map[string]any) ([]operation, error) {
	var list []any
	named := true // some programs name no schema
	for key, value := range body {
		switch strings.ToLower(key) {
		case "schemas":
			schemas, _ := value.([]any)
			named = slices.ContainsFunc(
				schemas,
				func(s any) bool { text, _ := s.(string); return strings.EqualFold(text, PatchMessage) },
			)
		case "operations":
			list, _ = value.([]any)
		}
	}
	if !named {
		return nil, invalid("invalidSyntax", "schemas must name %s", PatchMessage)
	}
	if len(list) == 0 {
		return nil, invalid("invalidSyntax", "Operations must list at least one operation")
	}
	if len(list) > maxOperations {
		return nil, tooMany(len(list))
	}
	var all []operation
	for i, item := range list {
		object, _ := item.(map[string]any)
		var o operation
		hasValue := false
		for key, value := range object {
			text, _ := value.(string)
			switch strings.ToLower(key) {
			case "op":
				o.Op = strings.ToLower(text)
			case "path":
				o.Path = text
			case "value":
				o.Value, hasValue = value, true
			}
		}
		switch o.Op {
		case "add", "replace":
			if !hasValue {
				return nil, invalid("invalidValue", "operation %d: %s needs a value", i+1, o.Op)
			}
		case "remove":
			if o.Path == "" {
				return nil, invalid("noTarget", "operation %d: remove needs a path", i+1)
			}
		default:
			return nil, invalid("invalidSyntax", "operation %d: op is add, remove or replace, not %q", i+1, o.Op)
		}
		if !joins(all, &o) {
			all = append(all, o)
		}
	}
	if len(all) > maxJoined {
		return nil, tooMany(len(list))
	}
	return all, nil
}

// Removes says whether the body of a PATCH, which was read, removes and does nothing else.
func Removes(body map[string]any) bool {
	all, err := operations(body)
	return err == nil && !slices.ContainsFunc(all, func(o operation) bool { return o.Op != "remove" })
}

// How many operations a PATCH may have: as they are sent, and once those are joined that
// add to the same attribute one after another. Each takes a look at the whole resource.
const (
	maxOperations = 20_000
	maxJoined     = 1000
)

func tooMany(n int) error {
	return &Error{
		413,
		"tooMany",
		fmt.Sprintf(
			"%d operations are too many: send at most %d, or %d that add to the same attribute, at a time",
			n,
			maxJoined,
			maxOperations,
		),
	}
}

// joins makes an operation a part of the one before, where both add lists of values to the
// same attribute.
func joins(all []operation, o *operation) bool {
	if len(all) == 0 {
		return false
	}
	before := &all[len(all)-1]
	old, one := before.Value.([]any)
	more, both := o.Value.([]any)
	if !one || !both || o.Op != "add" || before.Op != "add" || o.Path == "" || o.Path != before.Path {
		return false
	}
	before.Value = append(old, more...)
	return true
}
