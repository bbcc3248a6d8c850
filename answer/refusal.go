package answer

// ConflictError says that something cannot be done as things are.
type ConflictError struct{ Message string }

func (e *ConflictError) Error() string { return e.Message }

// MovedError says that a call is for a version of something that was changed since.
type MovedError struct{ Message string }

func (e *MovedError) Error() string { return e.Message }

// UnseenError says that a call must name the version that the caller has seen.
type UnseenError struct{ Message string }

func (e *UnseenError) Error() string { return e.Message }

// InvalidError says that a field of a call has a value that cannot be used. Message says it in
// whole where it is not the field and the problem.
type InvalidError struct{ Field, Value, Problem, Message string }

func (e *InvalidError) Error() string {
	if e.Message != "" {
		return e.Message
	}
	return e.Field + ": " + e.Problem
}

// Invalid is an InvalidError.
func Invalid(field, value, problem string) error {
	return &InvalidError{Field: field, Value: value, Problem: problem}
}
