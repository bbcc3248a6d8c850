package server

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"net/url"
	"strings"

	"github.com/danielgtaylor/huma/v2"
)

// An Example is one call of an operation, on the demo, with what is answered. Lists in answers
// are cut to their first entries.
type Example struct {
	Method  string            `json:"method"`
	Path    string            `json:"path"` // below /api/v1, with the query
	Headers map[string]string `json:"headers,omitempty"`
	Body    json.RawMessage   `json:"body,omitempty"`
	Status  int               `json:"status"`
	Answer  json.RawMessage   `json:"answer,omitempty"`
}

// examplesJSON holds an example for each operation, by its ID; the tests make it.
//
//go:embed examples.json
var examplesJSON []byte

// addExamples adds the examples to the description of the API.
func addExamples(doc *huma.OpenAPI) {
	var examples map[string]Example
	if err := json.Unmarshal(examplesJSON, &examples); err != nil {
		panic(err) // the tests read it
	}
	for template, item := range doc.Paths {
		for _, op := range []*huma.Operation{item.Get, item.Post, item.Put, item.Delete} {
			if op == nil {
				continue
			}
			if x, known := examples[op.OperationID]; known {
				x.describe(op, template)
			}
		}
	}
}

// describe adds the example to the description of its operation.
func (x *Example) describe(op *huma.Operation, template string) {
	op.Description = strings.TrimSpace(op.Description + "\n\n```\n" + x.Curl() + "\n```")
	path, query, _ := strings.Cut(x.Path, "?")
	given, _ := url.ParseQuery(query) // the tests call it
	written, parts := strings.Split(template, "/"), strings.Split(path, "/")
	for i, w := range written {
		if name, variable := strings.CutPrefix(w, "{"); variable {
			value, _ := url.PathUnescape(parts[i])
			given.Set(strings.TrimSuffix(name, "}"), value)
		}
	}
	for name, value := range x.Headers {
		given.Set(name, value)
	}
	for _, p := range op.Parameters {
		if p.Example = nil; given.Has(p.Name) {
			p.Example = given.Get(p.Name)
		}
	}
	if op.RequestBody != nil && op.RequestBody.Content["application/json"] != nil && x.Body != nil {
		op.RequestBody.Content["application/json"].Example = x.Body
	}
	if r := op.Responses[fmt.Sprint(x.Status)]; r != nil && r.Content["application/json"] != nil && x.Answer != nil {
		r.Content["application/json"].Example = x.Answer
	}
}

// Curl is the call as a command, with the address and the token in variables.
func (x *Example) Curl() string {
	var b strings.Builder
	b.WriteString("curl ")
	if x.Method != "GET" {
		b.WriteString("-X " + x.Method + " ")
	}
	b.WriteString(`-H "Authorization: Bearer $GATEMAP_TOKEN" `)
	for name, value := range x.Headers {
		fmt.Fprintf(&b, "-H '%s: %s' ", name, value)
	}
	if x.Body != nil {
		fmt.Fprintf(
			&b,
			"-H 'Content-Type: application/json' \\\n  -d '%s' \\\n  ",
			strings.ReplaceAll(string(x.Body), "'", `'\''`),
		)
	}
	fmt.Fprintf(&b, `"$GATEMAP_SERVER/api/v1%s"`, x.Path)
	return b.String()
}
