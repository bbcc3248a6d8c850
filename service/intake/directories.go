package intake

import (
	"context"

	"gatemap/answer"
	"gatemap/service/content"
	"gatemap/service/sourcecheck"
)

// Directories lists the directories of the map, with their newest runs.
func (s *Runs) Directories(ctx context.Context) (*answer.Directories, error) {
	head := s.History.Head()
	all := &answer.Directories{Directories: []answer.Directory{}}
	for i, d := range head.Folder.Map.Directories {
		x := answer.Directory{
			Name: d.Name, Title: d.Title, Source: content.KindOf(d.Source),
			Users: len(d.Users), Groups: len(d.Groups), Devices: len(d.Devices),
		}
		if src := head.Folder.Written.Map.Directories[i].Source; src != nil {
			x.Follow, x.Accounts = string(src.Follow), src.Accounts != nil
			if src.Feeds != nil {
				x.Feeds, x.Users = src.Feeds.Directory.Name, len(head.Folder.Records[d.Name].Users)
			}
		}
		latest, err := s.journal.List(ctx, d.Name, 1, "")
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
func (s *Runs) TestDirectory(
	ctx context.Context,
	named string,
	of sourcecheck.Tested,
	tell func(answer.Step),
) (*answer.Checked, error) {
	return sourcecheck.Directory(ctx, s.History.Head().Folder, *s.Host, named, of, tell)
}
