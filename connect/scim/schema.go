// Package scim holds the resources of a directory that is pushed (RFC 7643,
// RFC 7644): their schemas, changes of all forms, lists of them, and the users and
// groups that they are. It speaks no HTTP.
package scim

import (
	"strings"

	"gatemap/connect"
)

// The schemas and messages that it knows.
const (
	UserSchema       = "urn:ietf:params:scim:schemas:core:2.0:User"
	GroupSchema      = "urn:ietf:params:scim:schemas:core:2.0:Group"
	EnterpriseSchema = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
	PatchMessage     = "urn:ietf:params:scim:api:messages:2.0:PatchOp"
	SearchMessage    = "urn:ietf:params:scim:api:messages:2.0:SearchRequest"
	ListMessage      = "urn:ietf:params:scim:api:messages:2.0:ListResponse"
	ErrorMessage     = "urn:ietf:params:scim:api:messages:2.0:Error"
)

// Attribute is an attribute of a schema (RFC 7643 section 7).
type Attribute struct {
	Name        string       `json:"name"`
	Type        string       `json:"type"`
	Sub         []*Attribute `json:"subAttributes,omitempty"`
	MultiValued bool         `json:"multiValued"`
	Description string       `json:"description"`
	Required    bool         `json:"required"`
	CaseExact   bool         `json:"caseExact"`
	Mutability  string       `json:"mutability"`
	Returned    string       `json:"returned"`
	Uniqueness  string       `json:"uniqueness"`
	References  []string     `json:"referenceTypes,omitempty"`
	Canonical   []string     `json:"canonicalValues,omitempty"`
}

// Schema is a schema with its attributes.
type Schema struct {
	ID          string       `json:"id"`
	Name        string       `json:"name"`
	Description string       `json:"description"`
	Attributes  []*Attribute `json:"attributes"`
}

func attribute(name, typ, description string, sub ...*Attribute) *Attribute {
	return &Attribute{Name: name, Type: typ, Description: description, Sub: sub, Mutability: "readWrite",
		Returned: "default", Uniqueness: "none"}
}

func text(name, description string) *Attribute { return attribute(name, "string", description) }

func many(a *Attribute) *Attribute { a.MultiValued = true; return a }

// plural is a multi-valued attribute of values with a type (RFC 7643 section 2.4).
func plural(name, typ, description string, kinds ...string) *Attribute {
	kind := text("type", "What the value is for.")
	kind.Canonical = kinds
	return many(attribute(name, "complex", description,
		attribute("value", typ, "The value."), text("display", "The value for people."), kind,
		attribute("primary", "boolean", "Whether it is the preferred one; at most one is.")))
}

func readOnly(a *Attribute) *Attribute { a.Mutability = "readOnly"; return a }

func reference(name, description string, types ...string) *Attribute {
	a := attribute(name, "reference", description)
	a.References, a.CaseExact = types, true
	return a
}

// Schemas are all of them.
var Schemas = []*Schema{
	{UserSchema, "User", "A user account", userAttributes()},
	{GroupSchema, "Group", "A group", groupAttributes()},
	{EnterpriseSchema, "EnterpriseUser", "What an employer says of a user", enterpriseAttributes()},
}

func userAttributes() []*Attribute {
	userName := text("userName", "The name that the user signs in with.")
	userName.Required, userName.Uniqueness = true, "server"
	password := text("password", "Taken, and kept nowhere.")
	password.Mutability, password.Returned = "writeOnly", "never"
	groups := many(readOnly(attribute("groups", "complex", "The groups of the user, through groups in groups too.",
		readOnly(text("value", "Identifier of the group.")), readOnly(reference("$ref", "Address of the group.", "Group")),
		readOnly(text("display", "Name of the group.")),
		&Attribute{Name: "type", Type: "string", Description: "direct or indirect.", Mutability: "readOnly",
			Returned: "default", Uniqueness: "none", Canonical: []string{"direct", "indirect"}})))
	return []*Attribute{
		userName,
		attribute("name", "complex", "The parts of the name.", text("formatted", "The whole name."),
			text("familyName", "Family name."), text("givenName", "Given name."),
			text("middleName", "Middle name."), text("honorificPrefix", "Title before the name."),
			text("honorificSuffix", "Title after the name.")),
		text("displayName", "The name for people."), text("nickName", "Display name of the user."),
		reference("profileUrl", "A page about the user.", "external"),
		text("title", "What the user is."), text("userType", "How the user belongs to the organisation."),
		text("preferredLanguage", "Language (RFC 7231)."),
		text("locale", "Locale (RFC 5646)."), text("timezone", "Time zone (IANA name)."),
		attribute("active", "boolean", "Whether the account is active."), password,
		plural("emails", "string", "Mail addresses.", "work", "home", "other"),
		plural("phoneNumbers", "string", "Telephone numbers.", "work", "home", "mobile", "fax", "pager", "other"),
		plural("ims", "string", "Addresses for messages."), plural("photos", "reference", "Pictures.", "photo", "thumbnail"),
		many(attribute("addresses", "complex", "Postal addresses.", text("formatted", "The whole address."),
			text("streetAddress", "Street."), text("locality", "Town."),
			text("region", "Region."), text("postalCode", "Postal code."), text("country", "Country (ISO 3166-1 alpha-2)."),
			text("type", "What it is for."),
			attribute("primary", "boolean", "Whether it is the preferred one."))),
		groups, plural("entitlements", "string", "What the source says that the user holds."),
		plural("roles", "string", "What the source says that the user is."),
		plural("x509Certificates", "binary", "Certificates."),
	}
}

func groupAttributes() []*Attribute {
	displayName := text("displayName", "The name of the group.")
	displayName.Required, displayName.Uniqueness = true, "server"
	immutable := func(a *Attribute) *Attribute { a.Mutability = "immutable"; return a }
	return []*Attribute{
		displayName, text("description", "What the group is for. It is not in RFC 7643, and many programs send it."),
		many(attribute("members", "complex", "Users and groups.", immutable(text("value", "Identifier of the member.")),
			immutable(reference("$ref", "Address of the member.", "User", "Group")),
			immutable(&Attribute{Name: "type", Type: "string", Description: "User or Group.", Returned: "default",
				Uniqueness: "none", Canonical: []string{"User", "Group"}}),
			text("display", "The member's name."))),
	}
}

func enterpriseAttributes() []*Attribute {
	return []*Attribute{
		text("employeeNumber", "Number of the employee."), text("costCenter", "Cost centre."),
		text("organization", "Organisation."),
		text("division", "Division."), text("department", "Department."),
		attribute("manager", "complex", "The user's manager.", text("value", "Identifier of the manager."),
			reference("$ref", "Address of the manager.", "User"),
			readOnly(text("displayName", "The manager's name."))),
	}
}

// common are the attributes of every resource (RFC 7643 section 3.1).
var common = []*Attribute{
	readOnly(&Attribute{Name: "id", Type: "string", Returned: "always", CaseExact: true, Uniqueness: "global"}),
	{Name: "externalId", Type: "string", Returned: "default", CaseExact: true, Mutability: "readWrite",
		Uniqueness: "none"},
	readOnly(&Attribute{Name: "meta", Type: "complex", Returned: "default", Sub: []*Attribute{
		readOnly(text("resourceType", "")), readOnly(attribute("created", "dateTime", "")),
		readOnly(attribute("lastModified", "dateTime", "")),
		readOnly(reference("location", "")), readOnly(text("version", "")),
	}}),
	{Name: "schemas", Type: "reference", MultiValued: true, Returned: "always", Mutability: "readWrite",
		Uniqueness: "none"},
}

// core lists the attributes of a kind of resource, the common ones included.
func core(k connect.Kind) []*Attribute {
	if k == connect.Group {
		return append(common[:len(common):len(common)], Schemas[1].Attributes...)
	}
	return append(common[:len(common):len(common)], Schemas[0].Attributes...)
}

// schemaOf is the core schema of a kind.
func schemaOf(k connect.Kind) string {
	if k == connect.Group {
		return GroupSchema
	}
	return UserSchema
}

// find finds an attribute by name, in any case.
func find(list []*Attribute, name string) *Attribute {
	for _, a := range list {
		if strings.EqualFold(a.Name, name) {
			return a
		}
	}
	return nil
}

// TypeName is the resource type of a kind.
func TypeName(k connect.Kind) string {
	if k == connect.Group {
		return "Group"
	}
	return "User"
}
