package connect

import (
	"context"
	"io"

	"gatemap/core/place"
)

// File is a file of a source while it is read.
type File struct {
	Content io.Reader
	Records
	Errors place.Errors // what keeps it from being read
	tables *Tables
}

// Take adds what an entry is to the records.
func (f *File) Take(e *Entry) { f.tables.Take(e, &f.Records) }

// ReadFile opens the file that stands under a key, has it read, and finishes the records.
// The error joins a *place.Error for everything that keeps it from being read.
func ReadFile(j *Job, key string, path place.Text, progress func(int), read func(*File)) (Records, string, error) {
	f := &File{tables: j.Tables}
	in, err := j.Host.Open(path.Value)
	if err != nil {
		f.Errors.Addf(path.Place, "%s: %v", key, err)
		return Records{}, "", f.Errors.Err()
	}
	defer in.Close()
	f.Content = in
	read(f)
	j.Tables.Finish(&f.Records)
	if err := f.Errors.Err(); err != nil {
		return Records{}, "", err
	}
	progress(len(f.Users) + len(f.Groups) + len(f.Devices))
	return f.Records, "", nil
}

// CheckFile is Check for a source that is a file: reading it is the one step.
func CheckFile(ctx context.Context, d Document, j *Job, tell func(Step)) *Checked {
	r, _, err := d.Read(ctx, j, func(int) {})
	if err != nil {
		tell(Step{Name: "file", Failed: true, Detail: err.Error()})
		return &Checked{Close: func() {}}
	}
	tell(Step{Name: "file", Detail: r.Sizes()})
	return &Checked{Records: &r, Close: func() {}}
}
