package server

import (
	"context"
	"fmt"
	"net/http"
	"reflect"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"

	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/service/query"
	"gatemap/workspace"
)

func init() {
	// Errors of the framework itself take the form of all others.
	huma.NewError = func(status int, message string, errs ...error) huma.StatusError {
		p := &problem{Title: http.StatusText(status), Status: status, Detail: message}
		for _, err := range errs {
			if d, ok := err.(huma.ErrorDetailer); ok {
				e := d.ErrorDetail()
				p.Field, p.Value, p.Problem = strings.TrimPrefix(e.Location, "query."), repeated(e), e.Message
				p.Detail = fmt.Sprintf("%s: %s", p.Field, e.Message)
			}
		}
		return p
	}
}

// secretFields are those whose values no answer repeats, by their last names.
var secretFields = []string{"password", "old", "new", "token", "code", "secret"}

// repeated is the value of a field as an answer may repeat it: short, of one field, and no
// secret.
func repeated(e *huma.ErrorDetail) string {
	switch e.Value.(type) {
	case string, bool, float64, int, int64:
	default:
		return ""
	}
	text := fmt.Sprint(e.Value)
	last := e.Location[strings.LastIndex(e.Location, ".")+1:]
	if slices.Contains(secretFields, last) || len(text) > 200 {
		return ""
	}
	return text
}

// Operations registers every operation and returns their description. Those of
// the router open need no token; those of the others, which must see to that, need
// one. What those of the router kept answer follows from the revision and the
// question alone.
func Operations(open, closed, kept chi.Router, s *workspace.Service, p *Provider, version string) *huma.OpenAPI {
	config := huma.DefaultConfig("Gate Map", version)
	config.Info.Description = "What people can do, why, and why not."
	config.OpenAPIPath = ""
	config.DocsPath = ""
	config.SchemasPath = ""
	config.CreateHooks = nil // no $schema in the answers
	format := huma.Format{Marshal: writeJSON, Unmarshal: huma.DefaultJSONFormat.Unmarshal}
	config.Formats = map[string]huma.Format{"application/json": format, "json": format}
	config.RejectUnknownQueryParameters = true
	config.Servers = []*huma.Server{{URL: "/api/v1"}}
	// States are bytes to Go, but words in JSON.
	config.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[[]rule.State](), reflect.TypeFor[[]string]())
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token":   {Type: "http", Scheme: "bearer"},
		"session": {Type: "apiKey", In: "cookie", Name: cookie},
	}
	config.Security = []map[string][]string{{"token": {}}, {"session": {}}}
	lenient := config // providers add parameters of their own
	lenient.RejectUnknownQueryParameters = false
	config.Tags = tags
	signing := humachi.New(open, lenient)
	sessions(about(signing, "Sign-in"), s, p)
	byProvider(about(signing, "Sign-in"), s, p)
	changing := humachi.New(closed, config)
	changing.UseMiddleware(authorize(s))
	intakes(about(changing, "Intake"), s)
	trials(about(changing, "Changes"), s)
	administration(about(changing, "Access"), s)
	impacts(about(changing, "Changes"), s)
	linked(about(changing, "Linked systems"), s)
	delivered(about(changing, "Deliveries"), s)
	noticed(about(changing, "Notices"), s)
	findingsQuestion(about(changing, "Questions"), s)
	api := humachi.New(kept, config)
	api.UseMiddleware(authorize(s))
	questions(about(api, "Questions"), s)
	comparisons(about(api, "Questions"), s)
	lists(about(api, "The map"), s)
	pictures(about(api, "The map"), s)
	addExamples(config.OpenAPI)
	return config.OpenAPI
}

// tags are what operations are about, in the order in which a reader needs them.
var tags = []*huma.Tag{
	{Name: "Questions", Description: "What people can do, why, and why not."},
	{Name: "The map", Description: "What is in the map: people, groups, systems and their lines."},
	{Name: "Changes", Description: "Trials, what they would do, and the revisions that they become."},
	{Name: "Intake", Description: "Directories, and the runs that bring their records in."},
	{Name: "Linked systems", Description: "What systems really hold, and how that differs from the map."},
	{
		Name:        "Deliveries",
		Description: "How systems are brought to what the map says: with which statements, and what arrived.",
	},
	{Name: "Notices", Description: "Who is told what must not wait for someone to look, and what they were told."},
	{Name: "Access", Description: "Operators, tokens, settings, and the audit."},
	{Name: "Sign-in", Description: "How someone signs in to the console."},
}

// about is an API whose operations are about something: one of tags.
func about(api huma.API, tag string) huma.API {
	group := huma.NewGroup(api)
	group.UseSimpleModifier(func(o *huma.Operation) { o.Tags = []string{tag} })
	return group
}

// Facts are the parameters that describe a situation.
type Facts struct {
	From       string `query:"from" doc:"Source address." example:"198.51.100.9"`
	At         string `query:"at" doc:"Point in time (RFC 3339)." example:"2026-11-23T22:00:00Z"`
	Device     string `query:"device" doc:"Properties of the device: managed,compliant or none."`
	DeviceName string `query:"device_name" doc:"A device of a directory, by name."`
	Strength   string `query:"strength" doc:"Strength of the sign-in: aal1, aal2 or aal3."`
	Access     string `query:"access" doc:"Way into the network: vpn, wifi or wired."`
	Client     string `query:"client" doc:"Client program: browser, native or legacy."`
	Risk       string `query:"risk" doc:"Rating of the risk: low, medium or high."`
	Via        string `query:"via" doc:"Way to a file: share or local."`
}

// Of says what is asked: the revision in force, or a trial.
type Of struct {
	Trial string `query:"trial" doc:"Ask as if this trial were in force."`
}

func (o *Of) asked() (trial string, given situation.Situation, err error) {
	return o.Trial, situation.Situation{}, nil
}

// Asking is Of, in a situation.
type Asking struct {
	Of
	Facts
}

func (a *Asking) asked() (trial string, given situation.Situation, err error) {
	given, err = a.situation()
	return a.Trial, given, err
}

// question registers a question that is answered by the revision in force, or by a
// trial.
func question[In, Out any, P interface {
	*In
	asked() (string, situation.Situation, error)
}](
	api huma.API, s *workspace.Service, path, id, summary string,
	ask func(context.Context, query.Answers, *In, situation.Situation) (*Out, error),
) {
	get(api, path, id, summary, func(ctx context.Context, in *In) (*Out, error) {
		trial, given, err := P(in).asked()
		if err != nil {
			return nil, err
		}
		a, err := s.Asked(ctx, trial)
		if err != nil {
			return nil, err
		}
		return ask(ctx, a, in, given)
	})
}

func (f *Facts) situation() (situation.Situation, error) {
	fields := map[string]string{
		"from": f.From, "at": f.At, "device": f.Device, "device_name": f.DeviceName, "strength": f.Strength,
		"access": f.Access, "client": f.Client, "risk": f.Risk, "via": f.Via,
	}
	return situation.Parse(func(field string) string { return fields[field] })
}

type reply[T any] struct{ Body *T }
