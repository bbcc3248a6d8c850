package service

import (
	"context"

	"gatemap/answer"
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

// TestDirectory goes through everything that bringing in a directory of the map in force
// needs (see sourcecheck.Directory).
func (s *Service) TestDirectory(ctx context.Context, named string, of Tested, tell func(answer.Step)) (*answer.Checked, error) {
	return CheckDirectory(ctx, s.Head().Folder, s.host, named, of, tell)
}
