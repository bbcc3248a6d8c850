package service

import (
	"context"
	"errors"

	"gatemap/connect"
	"gatemap/connect/csv"
	"gatemap/connect/ldap"
	"gatemap/connect/ldif"
	"gatemap/core/directory"
	"gatemap/core/place"
)

// fetch brings in the records of a source that is a file. What makes it
// unreadable is returned.
func fetch(host connect.Host, s *directory.Source) (connect.Records, *place.Errors) {
	var errs place.Errors
	named, key := s.LDIF, "ldif"
	if s.CSV != nil {
		named, key = &s.CSV.File, "csv"
	}
	if named == nil {
		errs.Addf(s.Place, "the source names nothing to read: it needs one of the keys ldif, ldap, csv and scim")
		return connect.Records{}, &errs
	}
	in, err := host.Open(named.Value)
	if err != nil {
		errs.Addf(named.Place, "%s: %v", key, err)
		return connect.Records{}, &errs
	}
	defer in.Close()
	t := connect.NewTables(s, &errs)
	var records connect.Records
	take := func(e *connect.Entry) { t.Take(e, &records) }
	if s.CSV != nil {
		var columns []string
		for _, wanted := range t.Wanted() {
			columns = append(columns, wanted.Attributes...)
		}
		entries, rejected := csv.Read(in, s.CSV, columns, &errs)
		records.Rejected = rejected
		for i := range entries {
			take(&entries[i])
		}
	} else {
		ldif.Read(in, named.Value, &errs, take)
	}
	t.Finish(&records)
	if errs.Err() != nil {
		return connect.Records{}, &errs
	}
	return records, nil
}

// tables compiles the tables of a source.
func tables(s *directory.Source) (*connect.Tables, error) {
	var errs place.Errors
	t := connect.NewTables(s, &errs)
	return t, errs.Err()
}

// fetchLDAP brings in the records of a directory server, and says which one
// answered.
func fetchLDAP(ctx context.Context, host connect.Host, s *directory.Source, progress func(int)) (connect.Records, string, error) {
	t, err := tables(s)
	if err != nil {
		return connect.Records{}, "", err
	}
	conn, err := ldap.New(s, host).Connect(ctx)
	if err != nil {
		return connect.Records{}, "", err
	}
	defer conn.Close()
	records, err := conn.Fetch(ctx, t, progress)
	return records, conn.Server(), err
}

var errPushed = errors.New("the records of this directory are pushed to the service; there is nothing to fetch")

// bring brings in the records of any source.
func bring(ctx context.Context, host connect.Host, s *directory.Source, progress func(int)) (connect.Records, string, error) {
	switch {
	case s.SCIM != nil:
		return connect.Records{}, "", errPushed
	case s.LDAP != nil:
		return fetchLDAP(ctx, host, s, progress)
	}
	records, errs := fetch(host, s)
	if errs != nil {
		return records, "", errs.Err()
	}
	progress(len(records.Users) + len(records.Groups) + len(records.Devices))
	return records, "", nil
}
