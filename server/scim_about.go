package server

import (
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"gatemap/connect/scim"
)

// What the service says of itself (RFC 7644 section 4, RFC 7643 sections 5 to 7).

func meta(typ, path string) map[string]any {
	return map[string]any{"resourceType": typ, "location": scimPath + path}
}

// unfiltered refuses filters where RFC 7644 section 4 wants that.
func unfiltered(w http.ResponseWriter, r *http.Request) bool {
	if r.URL.Query().Get("filter") == "" {
		return true
	}
	scimFail(w, &scim.Error{Status: http.StatusForbidden, Detail: "this endpoint takes no filter (RFC 7644 section 4)"})
	return false
}

func (s *Server) scimConfig(w http.ResponseWriter, r *http.Request) {
	if !unfiltered(w, r) {
		return
	}
	is := func(on bool) map[string]any { return map[string]any{"supported": on} }
	scimWrite(w, http.StatusOK, map[string]any{
		"schemas": []string{"urn:ietf:params:scim:schemas:core:2.0:ServiceProviderConfig"},
		"patch":   is(true), "changePassword": is(false), "sort": is(true), "etag": is(true),
		"bulk":   map[string]any{"supported": false, "maxOperations": 0, "maxPayloadSize": 0},
		"filter": map[string]any{"supported": true, "maxResults": scimMost},
		"authenticationSchemes": []any{map[string]any{
			"type": "oauthbearertoken", "name": "Token of a directory",
			"description": "A bearer token (RFC 6750), one for each directory",
			"specUri":     "https://www.rfc-editor.org/info/rfc6750", "primary": true,
		}},
		"meta": meta("ServiceProviderConfig", "/ServiceProviderConfig"),
	})
}

func list(resources []any) map[string]any {
	return map[string]any{
		"schemas": []string{
			scim.ListMessage,
		}, "totalResults": len(resources), "startIndex": 1, "itemsPerPage": len(resources), "Resources": resources,
	}
}

func schemaShown(x *scim.Schema) map[string]any {
	return map[string]any{
		"schemas": []string{
			"urn:ietf:params:scim:schemas:core:2.0:Schema",
		}, "id": x.ID, "name": x.Name, "description": x.Description,
		"attributes": x.Attributes, "meta": meta("Schema", "/Schemas/"+x.ID),
	}
}

func (s *Server) scimSchemas(w http.ResponseWriter, r *http.Request) {
	if !unfiltered(w, r) {
		return
	}
	var all []any
	for _, x := range scim.Schemas {
		all = append(all, schemaShown(x))
	}
	scimWrite(w, http.StatusOK, list(all))
}

func (s *Server) scimSchema(w http.ResponseWriter, r *http.Request) {
	for _, x := range scim.Schemas {
		if strings.EqualFold(x.ID, chi.URLParam(r, "id")) {
			scimWrite(w, http.StatusOK, schemaShown(x))
			return
		}
	}
	scimFail(w, &scim.Error{Status: http.StatusNotFound, Detail: "there is no such schema"})
}

func resourceTypes() []any {
	typ := func(name, description, schema string, extensions ...any) any {
		t := map[string]any{
			"schemas": []string{
				"urn:ietf:params:scim:schemas:core:2.0:ResourceType",
			}, "id": name, "name": name, "description": description,
			"endpoint": "/" + name + "s", "schema": schema, "meta": meta("ResourceType", "/ResourceTypes/"+name),
		}
		if extensions != nil {
			t["schemaExtensions"] = extensions
		}
		return t
	}
	return []any{
		typ("User", "A user account", scim.UserSchema, map[string]any{"schema": scim.EnterpriseSchema, "required": false}),
		typ("Group", "A group", scim.GroupSchema),
	}
}

func (s *Server) scimTypes(w http.ResponseWriter, r *http.Request) {
	if unfiltered(w, r) {
		scimWrite(w, http.StatusOK, list(resourceTypes()))
	}
}

func (s *Server) scimType(w http.ResponseWriter, r *http.Request) {
	for _, t := range resourceTypes() {
		if t.(map[string]any)["id"] == chi.URLParam(r, "id") {
			scimWrite(w, http.StatusOK, t)
			return
		}
	}
	scimFail(w, &scim.Error{Status: http.StatusNotFound, Detail: "there is no such type of resources"})
}
