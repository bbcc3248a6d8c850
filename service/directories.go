package service

import (
	"context"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/directory"
)

// Directories lists the directories of the map, with their newest runs.
func (s *Service) Directories(ctx context.Context) (*answer.Directories, error) {
	head := s.Head()
	all := &answer.Directories{Directories: []answer.Directory{}}
	for i, d := range head.Folder.Map.Directories {
		x := answer.Directory{
			Name: d.Name, Title: d.Title, Source: kindOf(d.Source),
			Users: len(d.Users), Groups: len(d.Groups), Devices: len(d.Devices),
		}
		if src := head.Folder.written.Map.Directories[i].Source; src != nil {
			x.Follow = string(src.Follow)
			if src.Feeds != nil {
				x.Feeds, x.Users = src.Feeds.Directory.Name, len(head.Folder.Records[d.Name].Users)
			}
		}
		latest, err := s.Runs(ctx, d.Name, 1, "")
		if err != nil {
			return nil, err
		}
		if len(latest.Runs) > 0 {
			x.Latest = &latest.Runs[0]
		}
		all.Directories = append(all.Directories, x)
	}
	return all, nil
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
