package scim

import (
	"fmt"
	"net/http"
)

// Error is an error as RFC 7644 section 3.12 has it.
type Error struct {
	Status int
	Type   string // scimType; "" if the status says enough
	Detail string
}

func (e *Error) Error() string { return e.Detail }

func invalid(typ, format string, args ...any) *Error {
	return &Error{http.StatusBadRequest, typ, fmt.Sprintf(format, args...)}
}

func notFound(kind, id string) *Error {
	return &Error{http.StatusNotFound, "", fmt.Sprintf("there is no %s %q", kind, id)}
}
