package mapfile

import (
	"encoding/json"
	"maps"
	"reflect"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/notice"
)

type object = map[string]any

// Schema draws a JSON Schema (2020-12) of the documents of a map folder, for
// editors: from the same types that the reader fills.
func Schema(types []gate.Type, connections []directory.ConnectionKind) ([]byte, error) {
	d := drawing{connections}
	defs := object{
		"map":       d.structs("The map.", nil, reflect.TypeFor[head]()),
		"directory": d.structs("A directory.", nil, reflect.TypeFor[directory.Document]()),
		"promises":  d.structs("Guarantees.", nil, reflect.TypeFor[promises]()),
		"notices":   d.structs("A receiver of notices.", nil, reflect.TypeFor[notice.Document]()),
		"table":     d.structs("An attribute table.", nil, reflect.TypeFor[attributeTable]()),
	}
	var systems []any
	for _, t := range types {
		s := d.structs(t.Doc, nil, reflect.TypeFor[gate.System](), reflect.TypeOf(t.New()).Elem())
		s["properties"].(object)["type"] = object{"const": t.Name, "description": t.Doc}
		defs["system-"+t.Name] = s
		systems = append(systems, object{
			"if":   object{"properties": object{"type": object{"const": t.Name}}},
			"then": object{"$ref": "#/$defs/system-" + t.Name},
		})
	}
	has := func(key string) object { return object{"required": []string{key}} }
	return json.MarshalIndent(object{
		"$schema": "https://json-schema.org/draft/2020-12/schema",
		"title":   "Gate Map: a document of a map folder",
		"$defs":   defs,
		"if":      has("system"),
		"then": object{
			"required":   []string{"system", "type"},
			"properties": object{"type": object{"enum": typeNames(types)}},
			"allOf":      systems,
		},
		"else": object{
			"if":   has("directory"),
			"then": object{"$ref": "#/$defs/directory"},
			"else": object{
				"if":   has("guarantees"),
				"then": object{"$ref": "#/$defs/promises"},
				"else": object{
					"if":   has("table"),
					"then": object{"$ref": "#/$defs/table"},
					"else": object{
						"if":   has("notices"),
						"then": object{"$ref": "#/$defs/notices"},
						"else": object{"$ref": "#/$defs/map"},
					},
				},
			},
		},
	}, "", "  ")
}

func typeNames(types []gate.Type) []string {
	names := make([]string, len(types))
	for i, t := range types {
		names[i] = t.Name
	}
	return names
}

// drawing draws a schema.
type drawing struct{ connections []directory.ConnectionKind }

// orderOf is where an object of the schema says in which order its keys are told, for forms.
const orderOf = "x-order"

// structs describes the keys of one or several structs that share a mapping.
func (d drawing) structs(doc string, trail []reflect.Type, structs ...reflect.Type) object {
	properties := object{}
	order, required := []string{}, []string{}
	var rest any = false
	for _, t := range structs {
		for _, f := range fieldsOf(t) {
			switch {
			case f.place:
			case f.rest:
				rest = object{"description": f.doc}
			case f.connection != "":
				for i := range d.connections {
					if made := document(&d.connections[i], f.connection); made != nil {
						properties[d.connections[i].Name] = d.described(reflect.TypeOf(made), d.connections[i].Doc, trail)
						order = append(order, d.connections[i].Name)
					}
				}
			default:
				properties[f.key] = d.described(f.typ, f.doc, trail)
				order = append(order, f.key)
				if f.required {
					required = append(required, f.key)
				}
			}
		}
	}
	s := object{"type": "object", "properties": properties, "additionalProperties": rest, orderOf: order}
	if len(required) > 0 {
		s["required"] = required
	}
	if doc != "" {
		s["description"] = doc
	}
	return s
}

func (d drawing) described(t reflect.Type, doc string, trail []reflect.Type) object {
	s := d.value(t, trail)
	if doc != "" {
		s["description"] = doc
	}
	return s
}

var scalarSchema = object{"type": []string{"string", "number", "boolean"}}

// value describes one value. Recursive types (what stands in front of a
// system can hold alternatives of the same kind) end at their second level.
func (d drawing) value(t reflect.Type, trail []reflect.Type) object {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	text := reflect.PointerTo(t).Implements(textType)
	switch {
	case text && keyed(t):
		return object{"anyOf": []any{object{"type": "string"}, d.structs("", trail, t)}}
	case text:
		return maps.Clone(scalarSchema)
	case t.Implements(valuesType):
		return object{"enum": reflect.Zero(t).Interface().(interface{ Values() []string }).Values()}
	}
	switch t.Kind() {
	case reflect.Struct:
		if slices.Contains(trail, t) {
			return object{"type": "object"}
		}
		return d.structs("", append(trail, t), t)
	case reflect.Slice:
		return listSchema(d.value(t.Elem(), trail))
	case reflect.Map:
		s := object{"type": "object", "additionalProperties": d.value(t.Elem(), trail)}
		if t.Key().Implements(valuesType) {
			s["propertyNames"] = d.value(t.Key(), trail)
		}
		return s
	case reflect.Bool:
		return object{"type": "boolean"}
	case reflect.Int:
		return object{"type": "integer"}
	}
	return maps.Clone(scalarSchema)
}

func listSchema(item object) object {
	list := object{"type": "array", "items": item}
	if item["type"] == "object" {
		return list
	}
	return object{"anyOf": []any{list, item}}
}
