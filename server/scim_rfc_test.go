package server_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/core/situation"
)

var noFacts situation.Situation

const mails = `,"emails":[{"value":"w@club.example","type":"work","primary":true},{"value":"h@club.example","type":"home"}]`

// requirements lists what RFC 7644 says MUST or SHALL be, where it applies here.
func requirements() []requirement {
	return []requirement{
		{"3.3", "a new resource gets status 201, its location, and a body with what was made", func(t *testing.T, c *club) {
			g := c.user("ida", "")
			assert.Equal(t, c.url+"/Users/"+g.id(), g.header.Get("Location"))
			assert.Equal(t, g.header.Get("Location"), g.at("meta", "location"))
			assert.Equal(t, "User", g.at("meta", "resourceType"))
			assert.NotEmpty(t, g.at("meta", "created"))
			assert.Equal(t, "ida", g.body["userName"])
		}},
		{"3.3", "read-only attributes in the body are ignored", func(t *testing.T, c *club) {
			g := c.user("ida", `,"id":"mine","groups":[{"value":"x"}],"meta":{"resourceType":"Elf"}`)
			assert.NotEqual(t, "mine", g.id())
			assert.Equal(t, "User", g.at("meta", "resourceType"))
			assert.Nil(t, g.body["groups"])
		}},
		{"3.3", "a duplicate is refused with 409 and uniqueness, in any case of letters", func(t *testing.T, c *club) {
			c.user("ida", "")
			refused(t, c.call("POST", "/Users", user("IDA", "")), 409, "uniqueness")
			c.group("crew")
			refused(
				t,
				c.call("POST", "/Groups", `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"Crew"}`),
				409,
				"uniqueness",
			)
		}},
		{
			"3.3",
			"schemas must name the schema; the names of attributes have no case (RFC 7643 section 2.1)",
			func(t *testing.T, c *club) {
				refused(t, c.call("POST", "/Users", `{"userName":"ida"}`), 400, "invalidValue")
				g := c.call(
					"POST",
					"/Users",
					`{"SCHEMAS":["urn:ietf:params:scim:schemas:core:2.0:User"],"USERNAME":"ida","DisplayName":"Ida"}`,
				)
				assert.Equal(t, 201, g.status)
				assert.Equal(t, "Ida", g.body["displayName"])
			},
		},
		{
			"3.3",
			"a required attribute that is missing, and a value of the wrong type, are refused",
			func(t *testing.T, c *club) {
				refused(
					t,
					c.call("POST", "/Users", `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"]}`),
					400,
					"invalidValue",
				)
				refused(t, c.call("POST", "/Users", user("ida", `,"active":7`)), 400, "invalidValue")
				refused(t, c.call("POST", "/Users", user("ida", `,"titel":"x"`)), 400, "invalidSyntax")
				refused(
					t,
					c.call(
						"POST",
						"/Groups",
						`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"g","members":[{"value":"nobody"}]}`,
					),
					400,
					"invalidValue",
				)
			},
		},
		{"3.3", "passwords are never returned", func(t *testing.T, c *club) {
			g := c.user("ida", `,"password":"for-the-dome"`)
			assert.Nil(t, g.body["password"])
			assert.Nil(t, c.call("GET", "/Users/"+g.id()+"?attributes=password", "").body["password"])
		}},
		{"3.4.1", "a known resource is returned with 200, an unknown one is 404", func(t *testing.T, c *club) {
			g := c.user("ida", "")
			assert.Equal(t, 200, c.call("GET", "/Users/"+g.id(), "").status)
			refused(t, c.call("GET", "/Users/none", ""), 404, "")
			refused(t, c.call("GET", "/Groups/"+g.id(), ""), 404, "")
		}},
		{
			"3.4.2",
			"a list names its schema, and totalResults is all there are; none is 200 with 0",
			func(t *testing.T, c *club) {
				g := c.call("GET", "/Users", "")
				assert.Equal(t, 200, g.status)
				assert.EqualValues(t, 0, g.body["totalResults"])
				assert.Equal(t, []any{"urn:ietf:params:scim:api:messages:2.0:ListResponse"}, g.body["schemas"])
				c.user("ida", "")
				c.group("crew")
				assert.EqualValues(t, 1, c.call("GET", "/Users", "").body["totalResults"])
				assert.EqualValues(t, 2, c.call("GET", "", "").body["totalResults"], "at the root, all resources")
			},
		},
		{
			"3.4.2.2",
			"filters: eq ne co sw ew pr gt ge lt le, and or not, groups, value paths, in any case of letters",
			func(t *testing.T, c *club) {
				c.user("ida", `,"title":"Optician","active":true`+mails)
				c.user("bo", `,"title":"Warden","active":false,"name":{"familyName":"Hark"}`)
				for query, want := range map[string][]string{
					`userName eq "IDA"`: {"ida"}, `USERNAME Eq "ida"`: {"ida"}, `userName ne "ida"`: {"bo"}, `title co "tic"`: {"ida"}, `title sw "war"`: {"bo"}, `title ew "DEN"`: {"bo"},
					`name.familyName pr`: {"bo"}, `title gt "p"`: {"bo"}, `title le "optician"`: {"ida"}, `active eq true`: {"ida"}, `not (active eq true)`: {"bo"},
					`title eq "Warden" or userName eq "ida"`: {"bo", "ida"}, `emails[type eq "work" and value co "w@"]`: {"ida"}, `emails.type eq "home"`: {"ida"}, `emails[type eq "home"] and active eq false`: {},
					`urn:ietf:params:scim:schemas:core:2.0:User:userName eq "bo"`: {"bo"}, `meta.resourceType eq "User"`: {"bo", "ida"}, `emails co "club.example"`: {"ida"},
					`meta.created gt "2020-01-01T00:00:00Z"`: {"bo", "ida"},
				} {
					assert.Equal(t, want, c.names("/Users?filter="+esc(query)), query)
				}
			},
		},
		{"3.4.2.2", "a filter that cannot be read is refused with invalidFilter", func(t *testing.T, c *club) {
			refused(t, c.call("GET", "/Users?filter="+esc(`userName is "ida"`), ""), 400, "invalidFilter")
			refused(t, c.call("GET", "/Users?filter="+esc(`(userName eq "ida"`), ""), 400, "invalidFilter")
		}},
		{"3.4.2.2", "at the root a filter on meta.resourceType tells the types apart", func(t *testing.T, c *club) {
			c.user("ida", "")
			c.group("crew")
			assert.Equal(t, []string{"crew"}, c.names("?filter="+esc(`meta.resourceType eq "Group"`)))
		}},
		{
			"3.4.2.3",
			"sortBy and sortOrder; of several values the primary one; those without a value last, or first when descending",
			func(t *testing.T, c *club) {
				c.user("ida", `,"title":"b"`+mails)
				c.user("bo", `,"title":"A","emails":[{"value":"z@club.example"}]`)
				c.user("cy", "")
				assert.Equal(t, []string{"bo", "ida", "cy"}, c.names("/Users?sortBy=title"))
				assert.Equal(t, []string{"cy", "ida", "bo"}, c.names("/Users?sortBy=title&sortOrder=descending"))
				assert.Equal(t, []string{"ida", "bo", "cy"}, c.names("/Users?sortBy=emails"))
				assert.Equal(t, []string{"bo", "cy", "ida"}, c.names("/Users?sortBy=userName"))
			},
		},
		{
			"3.4.2.4",
			"startIndex counts from 1, less is 1; count limits, less than 0 is 0; itemsPerPage says how many came",
			func(t *testing.T, c *club) {
				for _, n := range []string{"a", "b", "c", "d", "e"} {
					c.user(n, "")
				}
				assert.Equal(t, []string{"b", "c"}, c.names("/Users?startIndex=2&count=2"))
				assert.Equal(t, []string{"a"}, c.names("/Users?startIndex=-3&count=1"))
				g := c.call("GET", "/Users?startIndex=5&count=10", "")
				assert.EqualValues(t, 5, g.body["totalResults"])
				assert.EqualValues(t, 1, g.body["itemsPerPage"])
				assert.EqualValues(t, 5, g.body["startIndex"])
				for _, count := range []string{"0", "-1"} {
					g := c.call("GET", "/Users?count="+count, "")
					assert.EqualValues(t, 5, g.body["totalResults"])
					assert.Empty(t, g.body["Resources"])
				}
				assert.Empty(t, c.names("/Users?startIndex=9"))
				refused(t, c.call("GET", "/Users?count=many", ""), 400, "invalidValue")
			},
		},
		{
			"3.4.2.5, 3.9",
			"attributes asks for some, excludedAttributes leaves some out; id and schemas always come; not both",
			func(t *testing.T, c *club) {
				g := c.user("ida", `,"title":"x","name":{"givenName":"Ida","familyName":"B"}`+mails)
				at := "/Users/" + g.id()
				some := c.call("GET", at+"?attributes=userName,name.givenName,emails.value", "").body
				assert.Len(t, some, 5)
				assert.Equal(t, map[string]any{"givenName": "Ida"}, some["name"])
				assert.Equal(t, map[string]any{"value": "w@club.example"}, some["emails"].([]any)[0])
				rest := c.call("GET", at+"?excludedAttributes=emails.type,title,id,meta", "").body
				assert.Equal(t, g.id(), rest["id"])
				assert.Nil(t, rest["title"])
				assert.Nil(t, rest["meta"])
				assert.NotContains(t, rest["emails"].([]any)[0], "type")
				refused(t, c.call("GET", at+"?attributes=title&excludedAttributes=title", ""), 400, "invalidValue")
				list := c.call("GET", "/Users?attributes=title", "")
				assert.Nil(t, list.at("Resources", 0, "userName"))
				made := c.call("POST", "/Users?attributes=userName", user("bo", `,"title":"y"`))
				assert.Nil(t, made.body["title"])
			},
		},
		{"3.4.3", "a search by POST gives what one by GET gives", func(t *testing.T, c *club) {
			c.user("ida", `,"title":"x"`)
			c.user("bo", "")
			g := c.call(
				"POST",
				"/Users/.search",
				`{"schemas":["urn:ietf:params:scim:api:messages:2.0:SearchRequest"],"filter":"title pr","attributes":["userName"],"startIndex":1,"count":5}`,
			)
			assert.Equal(t, 200, g.status)
			assert.EqualValues(t, 1, g.body["totalResults"])
			assert.Equal(t, "ida", g.at("Resources", 0, "userName"))
			assert.Nil(t, g.at("Resources", 0, "title"))
			assert.EqualValues(
				t,
				2,
				c.call("POST", "/.search", `{"schemas":["urn:ietf:params:scim:api:messages:2.0:SearchRequest"]}`).body["totalResults"],
			)
			refused(t, c.call("POST", "/.search", `{"schemas":["x"]}`), 400, "invalidSyntax")
		}},
		{
			"3.5.1",
			"PUT replaces the whole resource: what is not given goes; read-only attributes are ignored",
			func(t *testing.T, c *club) {
				g := c.user("ida", `,"title":"x","nickName":"I"`)
				put := c.call("PUT", "/Users/"+g.id(), user("ida", `,"title":"y","id":"other"`))
				assert.Equal(t, 200, put.status)
				assert.Equal(t, g.id(), put.id())
				assert.Equal(t, "y", put.body["title"])
				assert.Nil(t, put.body["nickName"])
				assert.Equal(t, g.at("meta", "created"), put.at("meta", "created"))
			},
		},
		{
			"3.5.1",
			"PUT makes no resource: an unknown one is 404; required attributes must be there; another's name is 409",
			func(t *testing.T, c *club) {
				refused(t, c.call("PUT", "/Users/none", user("ida", "")), 404, "")
				g := c.user("ida", "")
				c.user("bo", "")
				refused(
					t,
					c.call("PUT", "/Users/"+g.id(), `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"]}`),
					400,
					"invalidValue",
				)
				refused(t, c.call("PUT", "/Users/"+g.id(), user("Bo", "")), 409, "uniqueness")
			},
		},
		{
			"3.5.2",
			"PATCH has operations, and no other schema than its own; op has no case; another op, and none, are refused",
			func(t *testing.T, c *club) {
				at := "/Users/" + c.user("ida", "").id()
				assert.Equal(t, 200, c.patch(at, `{"op":"Replace","path":"title","value":"x"}`).status)
				refused(t, c.patch(at, `{"op":"swap","path":"title","value":"x"}`), 400, "invalidSyntax")
				refused(t, c.patch(at), 400, "invalidSyntax")
				refused(
					t,
					c.call("PATCH", at, `{"schemas":["urn:x"],"Operations":[{"op":"add","path":"title","value":"x"}]}`),
					400,
					"invalidSyntax",
				)
				refused(t, c.patch("/Users/none", `{"op":"add","path":"title","value":"x"}`), 404, "")
			},
		},
		{"3.5.2", "operations are applied in order, all or none", func(t *testing.T, c *club) {
			at := "/Users/" + c.user("ida", `,"title":"x"`).id()
			assert.Equal(
				t,
				"z",
				c.patch(at, `{"op":"replace","path":"title","value":"y"}`, `{"op":"replace","path":"title","value":"z"}`).body["title"],
			)
			refused(
				t,
				c.patch(at, `{"op":"replace","path":"title","value":"never"}`, `{"op":"replace","path":"nothing","value":"x"}`),
				400,
				"invalidPath",
			)
			assert.Equal(t, "z", c.call("GET", at, "").body["title"])
		}},
		{
			"3.5.2",
			"a path that cannot be read is invalidPath, a filter in it invalidFilter, what only the service sets mutability",
			func(t *testing.T, c *club) {
				at := "/Users/" + c.user("ida", mails).id()
				refused(t, c.patch(at, `{"op":"add","path":"emails[type eq \"work\"","value":"x"}`), 400, "invalidPath")
				refused(t, c.patch(at, `{"op":"add","path":"emails.colour","value":"x"}`), 400, "invalidPath")
				refused(t, c.patch(at, `{"op":"add","path":"title[value eq \"x\"]","value":"x"}`), 400, "invalidPath")
				refused(t, c.patch(at, `{"op":"add","path":"emails[type is \"work\"].value","value":"x"}`), 400, "invalidFilter")
				refused(t, c.patch(at, `{"op":"replace","path":"id","value":"x"}`), 400, "mutability")
				refused(t, c.patch(at, `{"op":"replace","path":"groups","value":[]}`), 400, "mutability")
			},
		},
		{
			"3.5.2.1",
			"add: a new attribute; another value beside those there; a value that is there changes nothing, not even lastModified",
			func(t *testing.T, c *club) {
				at := "/Users/" + c.user("ida", mails).id()
				g := c.patch(at, `{"op":"add","path":"emails","value":[{"value":"x@club.example"}]}`)
				assert.Len(t, g.body["emails"], 3)
				same := c.patch(at, `{"op":"add","path":"emails","value":[{"value":"x@club.example"}]}`)
				assert.Len(t, same.body["emails"], 3)
				assert.Equal(t, g.at("meta", "lastModified"), same.at("meta", "lastModified"))
				assert.Equal(t, "Ida", c.patch(at, `{"op":"add","path":"name.givenName","value":"Ida"}`).at("name", "givenName"))
				assert.Equal(
					t,
					map[string]any{"givenName": "Ida", "familyName": "B"},
					c.patch(at, `{"op":"add","path":"name","value":{"familyName":"B"}}`).body["name"],
				)
			},
		},
		{"3.5.2.1", "add without a path: an object of attributes, those of extensions included", func(t *testing.T, c *club) {
			at := "/Users/" + c.user("ida", "").id()
			g := c.patch(
				at,
				`{"op":"add","value":{"title":"x","name":{"givenName":"Ida"},"`+enterprise+`":{"department":"Optics"},"`+enterprise+`:division":"South"}}`,
			)
			require.Equal(t, 200, g.status, "%v", g.body)
			assert.Equal(t, map[string]any{"department": "Optics", "division": "South"}, g.body[enterprise])
			assert.Contains(t, g.body["schemas"], enterprise)
			refused(t, c.patch(at, `{"op":"add","value":"x"}`), 400, "invalidValue")
		}},
		{"3.5.2", "a value that becomes primary is the only one", func(t *testing.T, c *club) {
			at := "/Users/" + c.user("ida", mails).id()
			g := c.patch(at, `{"op":"replace","path":"emails[type eq \"home\"].primary","value":true}`)
			assert.Equal(t, false, g.at("emails", 0, "primary"))
			assert.Equal(t, true, g.at("emails", 1, "primary"))
			g = c.patch(at, `{"op":"add","path":"emails","value":[{"value":"n@club.example","primary":true}]}`)
			assert.Equal(t, false, g.at("emails", 1, "primary"))
			refused(
				t,
				c.call("POST", "/Users", user("bo", `,"emails":[{"value":"a","primary":true},{"value":"b","primary":true}]`)),
				400,
				"invalidValue",
			)
		}},
		{
			"3.5.2.2",
			"remove: an attribute, a sub-attribute, the values that a filter means, a sub-attribute of these",
			func(t *testing.T, c *club) {
				at := "/Users/" + c.user("ida", `,"title":"x","name":{"givenName":"Ida","familyName":"B"}`+mails).id()
				assert.Nil(t, c.patch(at, `{"op":"remove","path":"title"}`).body["title"])
				assert.Equal(
					t,
					map[string]any{"givenName": "Ida"},
					c.patch(at, `{"op":"remove","path":"name.familyName"}`).body["name"],
				)
				assert.NotContains(
					t,
					c.patch(at, `{"op":"remove","path":"emails[type eq \"work\"].primary"}`).at("emails", 0),
					"primary",
				)
				assert.Len(t, c.patch(at, `{"op":"remove","path":"emails[type eq \"work\"]"}`).body["emails"], 1)
				assert.Nil(t, c.patch(at, `{"op":"remove","path":"emails"}`).body["emails"])
			},
		},
		{"3.5.2.2", "remove: without a path noTarget; of a required attribute mutability", func(t *testing.T, c *club) {
			at := "/Users/" + c.user("ida", "").id()
			refused(t, c.patch(at, `{"op":"remove"}`), 400, "noTarget")
			refused(t, c.patch(at, `{"op":"remove","path":"userName"}`), 400, "mutability")
			assert.Equal(t, 204, c.patch(at, `{"op":"remove","path":"title"}`).status, "what is not there is gone already")
		}},
		{
			"3.5.2.3",
			"replace: an attribute, all values, sub-attributes that are given, the values that a filter means; none is noTarget",
			func(t *testing.T, c *club) {
				at := "/Users/" + c.user("ida", `,"name":{"givenName":"Ida","familyName":"B"}`+mails).id()
				assert.Equal(
					t,
					"C",
					c.patch(at, `{"op":"replace","path":"name","value":{"familyName":"C"}}`).at("name", "familyName"),
				)
				assert.Equal(t, "Ida", c.call("GET", at, "").at("name", "givenName"))
				assert.Equal(
					t,
					"n@club.example",
					c.patch(at, `{"op":"replace","path":"emails[type eq \"home\"].value","value":"n@club.example"}`).
						at("emails", 1, "value"),
				)
				assert.Equal(
					t,
					map[string]any{"value": "o@club.example", "type": "other"},
					c.patch(at, `{"op":"replace","path":"emails[type eq \"home\"]","value":{"value":"o@club.example","type":"other"}}`).
						at("emails", 1),
				)
				refused(t, c.patch(at, `{"op":"replace","path":"emails[type eq \"fax\"]","value":{"value":"x"}}`), 400, "noTarget")
				assert.Len(
					t,
					c.patch(at, `{"op":"replace","path":"emails","value":[{"value":"only@club.example"}]}`).body["emails"],
					1,
				)
				assert.Equal(
					t,
					"New",
					c.patch(at, `{"op":"replace","path":"title","value":"New"}`).body["title"],
					"what is not there is added",
				)
				assert.Equal(t, false, c.patch(at, `{"op":"replace","value":{"active":"False"}}`).body["active"])
			},
		},
		{
			"3.5.2",
			"members of groups: add, add again, remove by a filter, remove those listed, replace all",
			func(t *testing.T, c *club) {
				ida, bo := c.user("ida", "").id(), c.user("bo", "").id()
				at := "/Groups/" + c.group("crew").id()
				assert.Len(
					t,
					c.patch(at, `{"op":"add","path":"members","value":[{"value":"`+ida+`"},{"value":"`+bo+`"}]}`).body["members"],
					2,
				)
				g := c.patch(at, `{"op":"add","path":"members","value":[{"value":"`+ida+`","display":"Ida"}]}`)
				assert.Len(t, g.body["members"], 2)
				assert.Equal(t, "User", g.at("members", 0, "type"))
				assert.Equal(t, c.url+"/Users/"+ida, g.at("members", 0, "$ref"))
				assert.Len(t, c.patch(at, `{"op":"remove","path":"members[value eq \"`+ida+`\"]"}`).body["members"], 1)
				assert.Empty(t, c.patch(at, `{"op":"remove","path":"members","value":[{"value":"`+bo+`"}]}`).body["members"])
				assert.Len(t, c.patch(at, `{"op":"replace","path":"members","value":[{"value":"`+ida+`"}]}`).body["members"], 1)
				assert.Equal(t, []string{"crew"}, c.names("/Groups?filter="+esc(`members[value eq "`+ida+`"]`)))
				refused(t, c.patch(at, `{"op":"add","path":"members","value":[{"value":"nobody"}]}`), 400, "invalidValue")
			},
		},
		{
			"3.6",
			"DELETE gives 204 without a body; afterwards the resource is 404, out of lists, and its name is free",
			func(t *testing.T, c *club) {
				g := c.user("ida", "")
				d := c.call("DELETE", "/Users/"+g.id(), "")
				assert.Equal(t, 204, d.status)
				assert.Nil(t, d.body)
				for _, method := range []string{"GET", "DELETE"} {
					refused(t, c.call(method, "/Users/"+g.id(), ""), 404, "")
				}
				refused(t, c.call("PUT", "/Users/"+g.id(), user("ida", "")), 404, "")
				assert.Empty(t, c.names("/Users"))
				c.user("ida", "")
			},
		},
		{"3.7", "bulk operations are not offered, and the configuration says so", func(t *testing.T, c *club) {
			assert.Equal(t, false, c.call("GET", "/ServiceProviderConfig", "").at("bulk", "supported"))
			refused(t, c.call("POST", "/Bulk", `{}`), 501, "")
		}},
		{
			"3.12",
			"every error is a SCIM error with the status as text: no token, no endpoint, another method, another type, no JSON",
			func(t *testing.T, c *club) {
				refused(t, c.call("GET", "/Users", "", "Authorization", "Bearer wrong"), 401, "")
				refused(t, c.call("GET", "/Elves", ""), 404, "")
				refused(t, c.call("PUT", "/Users", "{}"), 405, "")
				refused(t, c.call("POST", "/Users", user("ida", ""), "Content-Type", "text/plain"), 415, "")
				refused(t, c.call("POST", "/Users", `{"userName":`), 400, "invalidSyntax")
				refused(t, c.call("POST", "/Users", `null`), 400, "invalidSyntax")
				refused(t, c.call("GET", "/Me", ""), 501, "")
			},
		},
		{
			"3.14",
			"every resource has a version; If-Match of another is refused with 412, If-None-Match of the same is 304",
			func(t *testing.T, c *club) {
				g := c.user("ida", "")
				at, tag := "/Users/"+g.id(), g.header.Get("ETag")
				assert.Equal(t, tag, g.at("meta", "version"))
				assert.Equal(t, 304, c.call("GET", at, "", "If-None-Match", tag).status)
				refused(t, c.call("PUT", at, user("ida", `,"title":"x"`), "If-Match", `W/"other"`), 412, "")
				refused(t, c.call("DELETE", at, "", "If-Match", `W/"other"`), 412, "")
				put := c.call("PUT", at, user("ida", `,"title":"x"`), "If-Match", tag)
				assert.Equal(t, 200, put.status)
				assert.NotEqual(t, tag, put.header.Get("ETag"))
				assert.Equal(t, 200, c.call("GET", at, "", "If-None-Match", tag).status)
			},
		},
		{
			"4",
			"ServiceProviderConfig, Schemas and ResourceTypes say what there is; they take no filter",
			func(t *testing.T, c *club) {
				config := c.call("GET", "/ServiceProviderConfig", "")
				for _, feature := range []string{"patch", "filter", "sort", "etag"} {
					assert.Equal(t, true, config.at(feature, "supported"), feature)
				}
				assert.EqualValues(t, 3, c.call("GET", "/Schemas", "").body["totalResults"])
				assert.Equal(t, "EnterpriseUser", c.call("GET", "/Schemas/"+enterprise, "").body["name"])
				assert.EqualValues(t, 2, c.call("GET", "/ResourceTypes", "").body["totalResults"])
				assert.Equal(t, "/Users", c.call("GET", "/ResourceTypes/User", "").body["endpoint"])
				refused(t, c.call("GET", "/Schemas/urn:none", ""), 404, "")
				for _, path := range []string{"/ServiceProviderConfig", "/Schemas", "/ResourceTypes"} {
					refused(t, c.call("GET", path+"?filter=x", ""), 403, "")
				}
			},
		},
	}
}
