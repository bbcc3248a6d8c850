package server

import (
	"context"
	"encoding/json"
	"net/url"
	"reflect"

	"gatemap/answer"
	"gatemap/core/situation"
	"gatemap/service/content"
	"gatemap/service/query"
	"gatemap/workspace"

	"github.com/danielgtaylor/huma/v2"
)

func questions(api huma.API, s *workspace.Service) {
	api.OpenAPI().Components.Schemas.RegisterTypeAlias(reflect.TypeFor[held](), reflect.TypeFor[answer.Reach]())
	question(api, s, "/reach", "reach", "Everything that a user holds",
		func(_ context.Context, a query.Answers, in *struct {
			User   string `query:"user" required:"true" minLength:"1" doc:"The user, by name." example:"cindervale/ilse.okonjo"`
			System string `query:"system" doc:"Only this system."`
			Asking
		}, given situation.Situation) (*held, error) {
			who, each, err := a.Held(in.User, in.System, given)
			if err != nil {
				return nil, err
			}
			return encode(who, each)
		})
	question(api, s, "/person", "person", "Everything that a person holds, by account",
		func(ctx context.Context, a query.Answers, in *struct {
			User   string `query:"user" required:"true" minLength:"1" doc:"Any account of the person, by name." example:"cindervale/ilse.okonjo"`
			System string `query:"system" doc:"Only this system."`
			Asking
		}, given situation.Situation) (*answer.Person, error) {
			return a.Person(ctx, in.User, in.System, given)
		})
	question(api, s, "/why", "why", "Why a user can do one thing, or why not",
		func(ctx context.Context, a query.Answers, in *struct {
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
	question(api, s, "/members", "members", "Everyone in a group, and how",
		func(ctx context.Context, a query.Answers, in *struct {
			Group string `query:"group" required:"true" minLength:"1" doc:"The group, by name."`
			Paging
			Of
		}, _ situation.Situation) (*answer.Members, error) {
			return a.MembersPage(ctx, in.Group, in.Limit, in.Cursor)
		})
	question(api, s, "/memberships", "memberships", "Every group of a user, and how",
		func(ctx context.Context, a query.Answers, in *struct {
			User string `query:"user" required:"true" minLength:"1" doc:"The user, by name."`
			Of
		}, _ situation.Situation) (*answer.Memberships, error) {
			return a.Memberships(ctx, in.User)
		})
}

// Paging asks for a page of a list. An answer with a page has the cursor of the next
// one in next.
type Paging struct {
	Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"100" doc:"How many items at most."`
	Cursor string `query:"cursor" doc:"next of the page before. Missing: the first page."`
}

func comparisons(api huma.API, s *workspace.Service) {
	question(api, s, "/matrix", "matrix", "People against entitlements",
		func(ctx context.Context, a query.Answers, in *struct {
			System string `query:"system" doc:"Only this system."`
			Group  string `query:"group" doc:"Only members of this group."`
			Right  string `query:"right" doc:"Only rights like this, with *."`
			Asking
		}, given situation.Situation) (*answer.Matrix, error) {
			return a.Matrix(ctx, in.System, in.Group, in.Right, given)
		})
	question(api, s, "/hours", "hours", "A week of a person, in spans of one state",
		func(ctx context.Context, a query.Answers, in *struct {
			User   string `query:"user" required:"true" minLength:"1" doc:"The user, by name."`
			System string `query:"system" doc:"Only this system."`
			Asking
		}, given situation.Situation) (*answer.Hours, error) {
			return a.Hours(ctx, in.User, in.System, given)
		})
	question(api, s, "/compare", "compare", "Two people side by side",
		func(ctx context.Context, a query.Answers, in *struct {
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
	for kind, path := range map[answer.Kind]string{answer.KindUser: "users", answer.KindGroup: "groups",
		answer.KindSystem: "systems"} {
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
	get(api, "/groups/{directory}/{name}", "group", "What a directory says of a group",
		func(ctx context.Context, in *struct {
			FullName
			Of
		}) (*answer.GroupInfo, error) {
			a, err := s.Asked(ctx, in.Trial)
			if err != nil {
				return nil, err
			}
			return a.Group(ctx, in.full())
		})
	get(api, "/map", "map", "The map in force, with its networks and windows",
		func(ctx context.Context, _ *struct{}) (*answer.Map, error) {
			return s.Head().Map(ctx)
		})
	words := answer.Catalogue()
	get(api, "/words", "words", "The words for what answers tell by kind",
		func(context.Context, *struct{}) (*answer.Words, error) {
			return words, nil
		})
	get(api, "/schema", "schema", "The JSON Schema of the documents of a map",
		func(context.Context, *struct{}) (*json.RawMessage, error) {
			schema, err := content.CompactSchema()
			return &schema, err
		})
	get(api, "/revisions", "history", "The revisions of the map, the newest first",
		func(ctx context.Context, in *struct{ Paging }) (*answer.Revisions, error) {
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
