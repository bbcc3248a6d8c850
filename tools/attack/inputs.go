package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// input is a request that is long to work on.
type input struct {
	name, method, path, body string
	push                     bool
}

// many is a text n times, each with its number in the place of %d.
func many(n int, text, between string) string {
	var b strings.Builder
	for i := range n {
		if i > 0 {
			b.WriteString(between)
		}
		b.WriteString(strings.ReplaceAll(text, "%d", fmt.Sprint(i)))
	}
	return b.String()
}

// written is the change that writes a document.
func written(text string) string { return writtenTo("long.yaml", text) }

func writtenTo(file, text string) string {
	raw, err := json.Marshal(map[string]any{"do": "write-document", "document": file, "value": text})
	if err != nil {
		panic(err) // texts can be written
	}
	return string(raw)
}

func inputs() []input {
	filter := func(f string) string { return "/api/v1/rule-test?filter=" + url.QueryEscape(f) }
	all := []input{
		{
			name:   "a filter with 6,000 brackets",
			method: "GET",
			path:   filter(strings.Repeat("(", 6000) + `title eq "x"` + strings.Repeat(")", 6000)),
		},
		{name: "a filter of 1,000 terms", method: "GET", path: filter(many(1000, `title eq "x%d"`, " or "))},
		{
			name:   "not, not, not",
			method: "GET",
			path:   filter(strings.Repeat("not (", 4000) + "active eq true" + strings.Repeat(")", 4000)),
		},
		{name: "a search of 20,000 letters", method: "GET", path: "/api/v1/search?q=" + strings.Repeat("ab", 10_000)},
		{
			name:   "an object of 20,000 parts",
			method: "GET",
			path: "/api/v1/why?user=ilse.okonjo&system=archive&right=frames:read&object=" + url.QueryEscape(
				strings.Repeat("/a", 10_000),
			),
		},
		{name: "the whole matrix", method: "GET", path: "/api/v1/matrix?system=archive"},
		{
			name:   "firewall rules: 9,000",
			method: "POST",
			path:   "/api/v1/impact",
			body: written(
				"system: long\ntype: firewall\nzones: {dome: [192.0.2.0/26]}\nrules:\n" + many(
					9000,
					"  - {name: r%d, action: permit, groups: [optics], to: [dome], services: [tcp/%d]}",
					"\n",
				),
			),
		},
		{
			name:   "firewall zones: 15,000",
			method: "POST",
			path:   "/api/v1/impact",
			body: written(
				"system: long\ntype: firewall\nzones:\n" + many(
					15_000,
					"  z%d: [192.0.2.0/26, 198.51.100.0/24]",
					"\n",
				) + "\nrules: []\n",
			),
		},
		{
			name:   "role mappings: 10,000",
			method: "POST",
			path:   "/api/v1/impact",
			body: written(
				"system: long\ntype: roles\nrights: [a:read]\nresources: [{path: /}]\nroles: {reader: {rights: [a:read]}}\n" +
					"mappings:\n" + many(
					10_000,
					"  - {groups: [optics], role: reader, object: /a/%d}",
					"\n",
				),
			),
		},
		{
			name:   "roles within roles: 9,000",
			method: "POST",
			path:   "/api/v1/impact",
			body: written(
				"system: long\ntype: roles\nrights: [a:read]\nresources: [{path: /}]\nroles:\n  r0: {rights: [a:read]}\n" + chained(
					9000,
					"  r%d: {includes: [r%p]}",
				) + "\nmappings: []\n",
			),
		},
		{
			name:   "groups within groups: 12,000",
			method: "POST",
			path:   "/api/v1/impact",
			body: written(
				"directory: long\nusers: [{userName: a}]\ngroups:\n  - {name: g0, members: {users: [a]}}\n" + chained(
					12_000,
					"  - {name: g%d, members: {groups: [g%p]}}",
				),
			),
		},
		{
			name:   "groups that all hold each other",
			method: "POST",
			path:   "/api/v1/impact",
			body:   written("directory: long\nusers: [{userName: a}]\ngroups:\n" + everyPair(170)),
		},
		{
			name:   "rule groups: 9,000",
			method: "POST",
			path:   "/api/v1/impact",
			body: written(
				"directory: long\nusers: [{userName: a}]\ngroups:\n" + many(
					9000,
					`  - {name: g%d, rule: 'title co "%d" or department sw "%d"'}`,
					"\n",
				),
			),
		},
		{
			name:   "networks within networks",
			method: "POST",
			path:   "/api/v1/impact",
			body: writtenTo(
				"gatemap.yaml",
				"title: x\nnetworks:\n"+many(20_000, "  n%d: [192.0.2.0/24, 2001:db8::/32]", "\n"),
			),
		},
		{
			name:   "YAML of anchors that multiply",
			method: "POST",
			path:   "/api/v1/impact",
			body:   written("directory: long\na: &a [x,x,x,x,x,x,x,x,x]\n" + aliases(9)),
		},
		{
			name:   "YAML that is 40,000 deep",
			method: "POST",
			path:   "/api/v1/impact",
			body:   written("system: " + strings.Repeat("[", 40_000) + strings.Repeat("]", 40_000)),
		},
		{name: "YAML that is indented 1,000 times", method: "POST", path: "/api/v1/impact", body: written(indented(1000))},
		{
			name:   "JSON that is 100,000 deep",
			method: "POST",
			path:   "/api/v1/impact",
			body:   `{"do":"change-line","value":` + strings.Repeat("[", 100_000) + strings.Repeat("]", 100_000) + `}`,
		},
		{
			name:   "names of 100,000 letters",
			method: "POST",
			path:   "/api/v1/impact",
			body: written(
				"directory: " + strings.Repeat("x", 100_000) + "\nusers: [{userName: " + strings.Repeat("y", 100_000) + "}]\n",
			),
		},
		{
			name:   "5,000 changes at once",
			method: "POST",
			path:   "/api/v1/trials/attack/changes",
			body: `{"changes":[` + many(
				5000,
				`{"do":"set-user","user":"ilse.okonjo","attribute":"title","value":"x%d"}`,
				",",
			) + `]}`,
		},
		{
			name:   "a push with 20,000 operations",
			method: "PATCH",
			path:   "/scim/v2/Groups/GROUP",
			push:   true,
			body: `{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":[` + many(
				20_000,
				`{"op":"add","path":"members","value":[{"value":"MEMBER"}]}`,
				",",
			) + `]}`,
		},
		{
			name:   "a push with paths of 500 brackets",
			method: "PATCH",
			path:   "/scim/v2/Groups/GROUP",
			push:   true,
			body: `{"schemas":["urn:ietf:params:scim:api:messages:2.0:PatchOp"],"Operations":[` + many(
				200,
				`{"op":"remove","path":"members[`+strings.Repeat("(", 500)+`value eq \"%d\"`+strings.Repeat(")", 500)+`]"}`,
				",",
			) + `]}`,
		},
		{
			name:   "a push that is 50,000 deep",
			method: "POST",
			path:   "/scim/v2/Users",
			push:   true,
			body: `{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"deep","x":` + strings.Repeat(
				`{"a":`,
				50_000,
			) + "1" + strings.Repeat(
				"}",
				50_000,
			) + `}`,
		},
	}
	return all
}

// chained is a line a number, with the number before in the place of %p.
func chained(n int, text string) string {
	var b strings.Builder
	for i := 1; i < n; i++ {
		b.WriteString(strings.NewReplacer("%d", fmt.Sprint(i), "%p", fmt.Sprint(i-1)).Replace(text) + "\n")
	}
	return b.String()
}

func everyPair(n int) string {
	all := many(n, "g%d", ", ")
	return many(n, "  - {name: g%d, members: {users: [a], groups: ["+all+"]}}", "\n")
}

func aliases(n int) string {
	var b strings.Builder
	for i := 1; i <= n; i++ {
		fmt.Fprintf(
			&b,
			"%c: &%c [%s]\n",
			'a'+i,
			'a'+i,
			strings.TrimSuffix(strings.Repeat(fmt.Sprintf("*%c,", 'a'+i-1), 9), ","),
		)
	}
	return b.String()
}

func indented(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "%s- a:\n", strings.Repeat(" ", i))
	}
	return b.String()
}

// input sends one, and looks how long it takes and what it does to the service.
func (t *target) input(in input) (string, error) {
	ctx, stop := context.WithTimeout(context.Background(), 6*longestInput)
	defer stop()
	token, path := t.token, in.path
	switch {
	case in.push:
		token = t.push
		if strings.Contains(path, "GROUP") {
			_, body, err := t.by(
				ctx,
				attacker,
				"POST",
				"/scim/v2/Groups",
				t.push,
				fmt.Sprintf(
					`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:Group"],"displayName":"g%d"}`,
					time.Now().UnixNano(),
				),
			)
			var made struct{ ID string }
			if err != nil || json.Unmarshal([]byte(body), &made) != nil || made.ID == "" {
				return "", fmt.Errorf("no group to push to: %s %v", body, err)
			}
			path = strings.ReplaceAll(path, "GROUP", made.ID)
			_, body, err = t.by(
				ctx,
				attacker,
				"POST",
				"/scim/v2/Users",
				t.push,
				fmt.Sprintf(`{"schemas":["urn:ietf:params:scim:schemas:core:2.0:User"],"userName":"u%d"}`, time.Now().UnixNano()),
			)
			if err != nil || json.Unmarshal([]byte(body), &made) != nil {
				return "", fmt.Errorf("no user to push: %s %v", body, err)
			}
			in.body = strings.ReplaceAll(in.body, "MEMBER", made.ID)
		}
	case strings.Contains(path, "/trials/attack/"):
		_, _, _ = t.by(ctx, attacker, "POST", "/api/v1/trials", t.token, `{"name":"attack"}`)
	}
	begun := time.Now()
	status, body, err := t.by(ctx, attacker, in.method, path, token, in.body)
	took := time.Since(begun)
	if len(body) > 120 {
		body = body[:120] + " …"
	}
	said := fmt.Sprintf("%d in %d ms: %s", status, took.Milliseconds(), strings.TrimSpace(body))
	switch {
	case err != nil:
		return "", fmt.Errorf("after %v: %w", took, err)
	case status >= 500 && status != http.StatusServiceUnavailable:
		return "", fmt.Errorf("the service failed: %s", said)
	case took > longestInput:
		return "", fmt.Errorf("it took too long: %s", said)
	case t.memory() > 2*mostMemory:
		return "", fmt.Errorf("it took %d MB: %s", t.memory(), said)
	}
	return said, nil
}

// size is what the data folder has, in MB.
func (t *target) size() int {
	total := int64(0)
	_ = filepath.WalkDir(t.folder, func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			if info, err := os.Stat(path); err == nil && filepath.Base(path) != "log" {
				total += info.Size()
			}
		}
		return nil
	})
	return int(total >> 20)
}
