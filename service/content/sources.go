package content

import (
	"context"

	"gatemap/connect"
	"gatemap/core/directory"
)

// Bring brings in the records of a source, and says who answered.
func Bring(
	ctx context.Context,
	host connect.Host,
	s *directory.Source,
	progress func(int),
) (connect.Records, string, error) {
	job, from, err := connect.NewJob(s, host, connect.Records{})
	if err != nil {
		return connect.Records{}, "", err
	}
	return from.Read(ctx, job, progress)
}

// KindOf is the name of the connector of a source, or map where there is none.
func KindOf(s *directory.Source) string {
	if from := connect.Of(s); from != nil {
		return from.Connector().Name
	}
	return "map"
}

// Pushed says whether the records of a source are pushed.
func Pushed(s *directory.Source) bool {
	from := connect.Of(s)
	return from != nil && from.Connector().From == connect.Pushed
}
