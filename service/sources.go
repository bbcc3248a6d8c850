package service

import (
	"context"

	"gatemap/connect"
	"gatemap/core/directory"
)

// bring brings in the records of a source, and says who answered.
func bring(ctx context.Context, host connect.Host, s *directory.Source, progress func(int)) (connect.Records, string, error) {
	job, from, err := connect.NewJob(s, host, connect.Records{})
	if err != nil {
		return connect.Records{}, "", err
	}
	return from.Read(ctx, job, progress)
}

// kindOf is the name of the connector of a source, or map where there is none.
func kindOf(s *directory.Source) string {
	if from := connect.Of(s); from != nil {
		return from.Connector().Name
	}
	return "map"
}

// pushed says whether the records of a source are pushed.
func pushed(s *directory.Source) bool {
	from := connect.Of(s)
	return from != nil && from.Connector().From == connect.Pushed
}
