package intake

import (
	"time"

	"gatemap/connect"
	"gatemap/service/query"
	"gatemap/store"
)

// Written puts on top of records of a directory that began to be read at some time what was written to
// where they come from since.
type Written func(directory string, began time.Time, r connect.Records) connect.Records

// brought is what a run brings: everything that a directory is to have, or what changes of what it has.
type brought struct {
	records connect.Records
	patch   *connect.Patch   // nil: the records are everything
	began   time.Time        // when everything began to be read; zero: it was not read
	but     []store.Departed // records that are left out
}

// on is what the directory is to have where a revision is in force. What commits wrote to where it was
// read since that began is on top: the reading may be older.
func (b *brought) on(head *query.Head, named string, written Written) connect.Records {
	r, began := b.records, b.began
	if b.patch != nil {
		r, began = head.Folder.Records[named].With(*b.patch), b.patch.Read
	}
	if !began.IsZero() {
		r = written(named, began, r)
	}
	if b.but == nil {
		return r
	}
	return leavingOut(r, b.but)
}
