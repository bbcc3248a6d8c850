package mapfile

import (
	"encoding/json"
	"maps"
	"reflect"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
)

type object = map[string]any

// Schema draws a JSON Schema (2020-12) of the documents of a map folder, for
// editors: from the same types that the reader fills.
func Schema(types []gate.Type) ([]byte, error) {
	defs := object{
		"map":       schemaOf("The map.", reflect.TypeFor[head]()),
		"directory": schemaOf("A directory.", reflect.TypeFor[directory.Document]()),
		"promises":  schemaOf("Guarantees.", reflect.TypeFor[promises]()),
		"table":     schemaOf("An attribute table.", reflect.TypeFor[attributeTable]()),
	}
	var systems []any
	for _, t := range types {
		s := schemaOf(t.Doc, reflect.TypeFor[gate.System](), reflect.TypeOf(t.New()).Elem())
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
		"then":    object{"required": []string{"system", "type"}, "properties": object{"type": object{"enum": typeNames(types)}}, "allOf": systems},
		"else": object{
			"if":   has("directory"),
			"then": object{"$ref": "#/$defs/directory"},
			"else": object{
				"if":   has("guarantees"),
				"then": object{"$ref": "#/$defs/promises"},
				"else": object{
					"if":   has("table"),
					"then": object{"$ref": "#/$defs/table"},
					"else": object{"$ref": "#/$defs/map"},
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

// schemaOf describes the keys of one or several structs that share a mapping.
func schemaOf(doc string, structs ...reflect.Type) object {
	return structSchema(doc, nil, structs...)
}

func structSchema(doc string, trail []reflect.Type, structs ...reflect.Type) object {
	properties := object{}
	required := []string{}
	var rest any = false
	for _, t := range structs {
		for _, f := range fieldsOf(t) {
			switch {
			case f.place:
			case f.rest:
				rest = object{"description": f.doc}
			default:
				p := valueSchema(f.typ, trail)
				if f.doc != "" {
					p["description"] = f.doc
				}
				properties[f.key] = p
				if f.required {
					required = append(required, f.key)
				}
			}
		}
	}
	s := object{"type": "object", "properties": properties, "additionalProperties": rest}
	if len(required) > 0 {
		s["required"] = required
	}
	if doc != "" {
		s["description"] = doc
	}
	return s
}

var scalarSchema = object{"type": []string{"string", "number", "boolean"}}

// valueSchema describes one value. Recursive types (what stands in front of a
// system can hold alternatives of the same kind) end at their second level.
func valueSchema(t reflect.Type, trail []reflect.Type) object {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	text := reflect.PointerTo(t).Implements(textType)
	switch {
	case text && keyed(t):
		return object{"anyOf": []any{object{"type": "string"}, structSchema("", trail, t)}}
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
		return structSchema("", append(trail, t), t)
	case reflect.Slice:
		return listSchema(valueSchema(t.Elem(), trail))
	case reflect.Map:
		s := object{"type": "object", "additionalProperties": valueSchema(t.Elem(), trail)}
		if t.Key().Implements(valuesType) {
			s["propertyNames"] = valueSchema(t.Key(), trail)
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
