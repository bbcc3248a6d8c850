package server

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"reflect"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"

	"gatemap/answer"
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
}](api huma.API, s *workspace.Service, path, id, summary string, ask func(context.Context, query.Answers, *In, situation.Situation) (*Out, error)) {
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

func questions(api huma.API, s *workspace.Service) {
	question(api, s, "/reach", "reach", "Everything that a user holds", func(ctx context.Context, a query.Answers, in *struct {
		User   string `query:"user" required:"true" minLength:"1" doc:"The user, by name." example:"cindervale/ilse.okonjo"`
		System string `query:"system" doc:"Only this system."`
		Asking
	}, given situation.Situation) (*answer.Reach, error) {
		return a.Reach(ctx, in.User, in.System, given)
	})
	question(api, s, "/person", "person", "Everything that a person holds, by account", func(ctx context.Context, a query.Answers, in *struct {
		User   string `query:"user" required:"true" minLength:"1" doc:"Any account of the person, by name." example:"cindervale/ilse.okonjo"`
		System string `query:"system" doc:"Only this system."`
		Asking
	}, given situation.Situation) (*answer.Person, error) {
		return a.Person(ctx, in.User, in.System, given)
	})
	question(api, s, "/why", "why", "Why a user can do one thing, or why not", func(ctx context.Context, a query.Answers, in *struct {
		User   string `query:"user" required:"true" minLength:"1" doc:"The user, by name."`
		System string `query:"system" required:"true" minLength:"1" doc:"The system."`
		Right  string `query:"right" required:"true" minLength:"1" doc:"The right."`
		Object string `query:"object" doc:"The object; missing: the system's own default."`
		Asking
	}, given situation.Situation) (*answer.Why, error) {
		return a.Why(ctx, in.User, in.System, in.Right, in.Object, given)
	})
	question(api, s, "/who", "who", "Everyone who holds one right", func(ctx context.Context, a query.Answers, in *struct {
		System string `query:"system" required:"true" minLength:"1" doc:"The system."`
		Right  string `query:"right" required:"true" minLength:"1" doc:"The right."`
		Object string `query:"object" doc:"The object; missing: the system's own default."`
		Paging
		Asking
	}, given situation.Situation) (*answer.Who, error) {
		return a.WhoPage(ctx, in.System, in.Right, in.Object, given, in.Limit, in.Cursor)
	})
	question(api, s, "/members", "members", "Everyone in a group, and how", func(ctx context.Context, a query.Answers, in *struct {
		Group string `query:"group" required:"true" minLength:"1" doc:"The group, by name."`
		Paging
		Of
	}, _ situation.Situation) (*answer.Members, error) {
		return a.MembersPage(ctx, in.Group, in.Limit, in.Cursor)
	})
	question(api, s, "/memberships", "memberships", "Every group of a user, and how", func(ctx context.Context, a query.Answers, in *struct {
		User string `query:"user" required:"true" minLength:"1" doc:"The user, by name."`
		Of
	}, _ situation.Situation) (*answer.Memberships, error) {
		return a.Memberships(ctx, in.User)
	})
	question(api, s, "/findings", "findings", "What is wrong, useless or risky in the map, with how many there are of which code", func(ctx context.Context, a query.Answers, in *struct {
		System   string `query:"system" doc:"Only findings of this system."`
		Code     string `query:"code" doc:"Only findings with this code."`
		Severity string `query:"severity" enum:"error,warning,note" doc:"Only findings of this severity."`
		SoFar    bool   `query:"so_far" doc:"true: answer with the first page of what was found so far, at once; pending says whether there may be more."`
		Paging
		Of
	}, _ situation.Situation) (*answer.Findings, error) {
		if in.SoFar && in.Cursor == "" {
			return a.FoundSoFar(answer.Wanted{System: in.System, Code: in.Code, Severity: in.Severity}, in.Limit), nil
		}
		return a.FindingsPage(ctx, answer.Wanted{System: in.System, Code: in.Code, Severity: in.Severity}, in.Limit, in.Cursor)
	})
}

// Paging asks for a page of a list. An answer with a page has the cursor of the next
// one in next.
type Paging struct {
	Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"100" doc:"How many items at most."`
	Cursor string `query:"cursor" doc:"next of the page before. Missing: the first page."`
}

func comparisons(api huma.API, s *workspace.Service) {
	question(api, s, "/guarantees", "guarantees", "Every guarantee of the map, and whether it holds", func(ctx context.Context, a query.Answers, _ *Of, _ situation.Situation) (*answer.Guarantees, error) {
		return a.Guarantees(ctx)
	})
	question(api, s, "/matrix", "matrix", "People against entitlements", func(ctx context.Context, a query.Answers, in *struct {
		System string `query:"system" doc:"Only this system."`
		Group  string `query:"group" doc:"Only members of this group."`
		Right  string `query:"right" doc:"Only rights like this, with *."`
		Asking
	}, given situation.Situation) (*answer.Matrix, error) {
		return a.Matrix(ctx, in.System, in.Group, in.Right, given)
	})
	question(api, s, "/hours", "hours", "A week of a person, in spans of one state", func(ctx context.Context, a query.Answers, in *struct {
		User   string `query:"user" required:"true" minLength:"1" doc:"The user, by name."`
		System string `query:"system" doc:"Only this system."`
		Asking
	}, given situation.Situation) (*answer.Hours, error) {
		return a.Hours(ctx, in.User, in.System, given)
	})
	question(api, s, "/compare", "compare", "Two people side by side", func(ctx context.Context, a query.Answers, in *struct {
		First  string `query:"first" required:"true" minLength:"1" doc:"A user, by name."`
		Second string `query:"second" required:"true" minLength:"1" doc:"Another user, by name."`
		Asking
	}, given situation.Situation) (*answer.Compare, error) {
		return a.Compare(ctx, in.First, in.Second, given)
	})
}

// Words are what a search is for.
type Words struct {
	Text string `query:"q" doc:"Words that must all occur; empty: everything."`
}

func lists(api huma.API, s *workspace.Service) {
	get(api, "/search", "search", "Look for users, groups, systems and devices", func(ctx context.Context, in *struct {
		Kind string `query:"kind" enum:"user,group,system,device,line" doc:"Only these; missing: all but the lines of systems."`
		Words
		Paging
	}) (*answer.Page, error) {
		return s.Head().Search(ctx, in.Text, answer.Kind(in.Kind), in.Limit, in.Cursor)
	})
	for kind, path := range map[answer.Kind]string{answer.KindUser: "users", answer.KindGroup: "groups", answer.KindSystem: "systems"} {
		get(api, "/"+path, "list-"+path, "List the "+path, func(ctx context.Context, in *struct {
			Words
			Paging
		}) (*answer.Page, error) {
			return s.Head().Search(ctx, in.Text, kind, in.Limit, in.Cursor)
		})
	}
	get(api, "/users/{directory}/{name}", "user", "What a directory says of a user", func(ctx context.Context, in *struct {
		FullName
		Of
	}) (*answer.User, error) {
		a, err := s.Asked(ctx, in.Trial)
		if err != nil {
			return nil, err
		}
		return a.User(in.full())
	})
	get(api, "/groups/{directory}/{name}", "group", "What a directory says of a group", func(ctx context.Context, in *struct {
		FullName
		Of
	}) (*answer.GroupInfo, error) {
		a, err := s.Asked(ctx, in.Trial)
		if err != nil {
			return nil, err
		}
		return a.Group(ctx, in.full())
	})
	get(api, "/map", "map", "The map in force, with its networks and windows", func(ctx context.Context, _ *struct{}) (*answer.Map, error) {
		return s.Head().Map(ctx)
	})
	get(api, "/revisions", "history", "The revisions of the map, the newest first", func(ctx context.Context, in *struct{ Paging }) (*answer.Revisions, error) {
		return s.History.List(ctx, in.Limit, in.Cursor)
	})
}

// FullName is a full name in a path.
type FullName struct {
	Directory string `path:"directory"`
	Name      string `path:"name"`
}

func (n *FullName) full() string { return unescape(n.Directory) + "/" + unescape(n.Name) }

// unescape undoes the escaping of a part of a path, which may hold a slash.
func unescape(s string) string {
	if plain, err := url.PathUnescape(s); err == nil {
		return plain
	}
	return s
}
