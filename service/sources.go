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
