// Package proposed makes the document of a directory that a map does not have yet: the server is asked
// what it is, and how it keeps people and groups.
package proposed

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"strings"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/connect/connectors"
	"gatemap/core/directory"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/mapfile"
	"gatemap/service/content"
	"gatemap/service/query"
	"gatemap/service/sourcecheck"
)

// Directory are the files of a map with the document of a new directory whose server is at an address,
// and what was found on the way, with the check of its source. A source from which nothing would come
// is an *answer.ConflictError.
func Directory(
	ctx context.Context,
	head *query.Head,
	host connect.Host,
	named, address string,
) (map[string]string, []answer.Step, error) {
	if err := name.Check(named); err != nil {
		return nil, nil, answer.Invalid("system", named, err.Error())
	}
	if d := head.Folder.Directory(named); d != nil {
		return nil, nil, &answer.ConflictError{Message: fmt.Sprintf("the map has a directory %s already", d.Name)}
	}
	at, err := url.Parse(address)
	c := proposer(at)
	if err != nil || c == nil {
		return nil, nil, answer.Invalid(
			"directory",
			address,
			"a directory has an address such as ldaps://dir1.cindervale.example",
		)
	}
	var steps []answer.Step
	source, err := c.Propose(ctx, at, host, func(s connect.Step) { steps = append(steps, sourcecheck.Told(s)) })
	if err != nil {
		return nil, nil, &answer.ConflictError{Message: err.Error()}
	}
	text, err := mapfile.WriteDirectory(&directory.Document{Name: named, Source: source})
	if err != nil {
		return nil, nil, err
	}
	m, err := mapfile.Parse([]mapfile.File{{Path: named, Content: text}}, types.Table, connectors.Kinds())
	if err != nil {
		return nil, nil, err
	}
	checked, err := sourcecheck.Directory(
		ctx,
		head.Folder.Plus(m.Directories[0]),
		host,
		named,
		sourcecheck.Tested{},
		func(answer.Step) {},
	)
	if err != nil {
		return nil, nil, err
	}
	steps = append(steps, checked.Steps...)
	var failed []error
	for _, s := range checked.Steps {
		if s.State == "failed" {
			failed = append(failed, fmt.Errorf("%s: %s", s.Name, s.Detail))
		}
	}
	if err := errors.Join(failed...); err != nil {
		return nil, nil, &answer.ConflictError{Message: err.Error()}
	}
	files := head.Documents()
	return files, steps, content.Put(files, "directory", named, text)
}

// proposer is the connector that can make a source of an address; nil: none can.
func proposer(at *url.URL) *connect.Connector {
	for i := range connectors.Table {
		if c := &connectors.Table[i]; at != nil && at.Host != "" && c.Propose != nil &&
			c.Name == strings.TrimSuffix(at.Scheme, "s") {
			return c
		}
	}
	return nil
}
