package query

import (
	"context"
	"errors"

	"gatemap/answer"
	"gatemap/core/filter"
)

// matchedSample is how many of those whom a rule matches are named.
const matchedSample = 8

// TestRule tries a rule that is being written: whom it matches in a directory, or
// everywhere. What cannot be read yet is told, and is no error.
func (r Records) TestRule(ctx context.Context, text, directoryName string) (*answer.Matched, error) {
	m := &answer.Matched{Filter: text, Sample: []string{}}
	rule, err := filter.Parse(text)
	var wrong *filter.SyntaxError
	if errors.As(err, &wrong) {
		m.Wrong, m.At = wrong.Message, wrong.Column
		return m, nil
	}
	if err != nil {
		return nil, err
	}
	book := r.atlas.Book
	for x := range rule.Attributes() {
		if !book.HasAttribute(x.Name) {
			m.Unknown = append(m.Unknown, x.Name)
		}
	}
	for u := range book.Matching(rule, directoryName) {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		m.Count++
		if len(m.Sample) < matchedSample {
			m.Sample = append(m.Sample, book.UserName(u))
		}
	}
	return m, nil
}
