package list

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	"gatemap/connect"
	"gatemap/connect/csv"
	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/core/place"
	"gatemap/core/reading"
)

// Observe reads the list. The error joins a *place.Error for everything that keeps it from being
// read: a list with a line that cannot be taken is not read at all, or what the line says would
// count as not there.
func (d *Document) Observe(ctx context.Context, o *connect.Observing, progress func(int)) (*reading.Reading, error) {
	in, at, err := o.Host.Dated(d.File.Value)
	if err != nil {
		return nil, place.Errorf(d.File.Place, "list: %v", err)
	}
	defer in.Close()
	if at.IsZero() {
		at = time.Now()
	}
	var errs place.Errors
	entries := d.entries(in, &errs)
	if err := errs.Err(); err != nil {
		return nil, err
	}
	r := &reading.Reading{At: at, Server: d.File.Value}
	t := taking{
		Document: d,
		accounts: map[string]*reading.Account{},
		members:  map[string]map[string]bool{},
		through:  map[gate.Holding][]string{},
	}
	for i := range entries {
		if i%1000 == 0 {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			progress(i)
		}
		t.take(&entries[i], &errs)
	}
	if err := errs.Err(); err != nil {
		return nil, err
	}
	for _, named := range slices.Sorted(maps.Keys(t.accounts)) {
		r.Accounts = append(r.Accounts, *t.accounts[named])
	}
	for _, named := range slices.Sorted(maps.Keys(t.members)) {
		r.Groups = append(r.Groups, reading.Group{Name: named, Accounts: slices.Sorted(maps.Keys(t.members[named]))})
	}
	r.Native = t.holders()
	of, _ := types.Named(o.System.Type.Name) // one of Types
	var left []gate.Holding
	r.Document, left = of.Holding(o.System.Gate, t.held())
	for _, h := range left {
		r.Beyond = append(
			r.Beyond,
			reading.Beyond{What: "right", Text: strings.TrimSpace(cmp.Or(h.Group, h.Account) + ": " + h.Right + " " + h.Object)},
		)
	}
	progress(len(entries))
	return r, nil
}

// entries are the lines of the list, with their columns.
func (d *Document) entries(in io.Reader, errs *place.Errors) []connect.Entry {
	if d.Format == "json" {
		return d.objects(in, errs)
	}
	var wanted []string
	for _, c := range []place.Text{d.Columns.Account, d.Columns.Right, d.Columns.Object, d.Columns.Group, d.Columns.Active,
		d.Columns.Used} {
		if c.Value != "" {
			wanted = append(wanted, c.Value)
		}
	}
	as := &csv.Document{Place: d.Place, File: d.File, Delimiter: d.Delimiter, Encoding: d.Encoding}
	entries, rejected := csv.Read(in, as, wanted, errs)
	for _, r := range rejected {
		errs.Addf(r.Place, "%s", r.Message)
	}
	return entries
}

// longest is how long a line of JSON may be, in bytes.
const longest = 1 << 20

// objects reads an object from each line. Values that are no text, number or truth are left out.
func (d *Document) objects(in io.Reader, errs *place.Errors) (entries []connect.Entry) {
	lines := bufio.NewScanner(in)
	lines.Buffer(nil, longest)
	at := place.Place{File: d.File.Value}
	for lines.Scan() {
		at.Line++
		if len(bytes.TrimSpace(lines.Bytes())) == 0 {
			continue
		}
		var values map[string]any
		decoder := json.NewDecoder(bytes.NewReader(lines.Bytes()))
		decoder.UseNumber()
		if err := decoder.Decode(&values); err != nil {
			errs.Addf(at, "the line is no JSON object: %v", err)
			return nil
		}
		e := connect.Entry{Place: at}
		for key, v := range values {
			switch v.(type) {
			case string, json.Number, bool:
				if text := fmt.Sprint(v); text != "" {
					e.Attributes = append(e.Attributes, connect.Attribute{Type: key, Values: []place.Text{{Value: text, Place: at}}})
				}
			}
		}
		entries = append(entries, e)
	}
	switch err := lines.Err(); {
	case errors.Is(err, bufio.ErrTooLong):
		at.Line++
		errs.Addf(at, "the line is longer than 1 MiB")
	case err != nil:
		errs.Addf(at, "reading: %v", err)
	}
	return entries
}

// taking takes the lines of a list.
type taking struct {
	*Document
	accounts map[string]*reading.Account
	members  map[string]map[string]bool
	holdings []gate.Holding            // of accounts themselves, and of whole groups
	through  map[gate.Holding][]string // by what a group was said to give: the accounts of which it was said
}

// held is what accounts and groups hold. What is said of all in a group the group has; what is
// said of some of them alone is theirs, or the list would say of the others what it does not.
func (t *taking) held() []gate.Holding {
	for h, accounts := range t.through {
		slices.Sort(accounts)
		if accounts = slices.Compact(accounts); len(accounts) == len(t.members[h.Group]) {
			t.holdings = append(t.holdings, h)
			continue
		}
		for _, account := range accounts {
			t.holdings = append(t.holdings, gate.Holding{Account: account, Object: h.Object, Right: h.Right})
		}
	}
	return t.holdings
}

func (t *taking) take(e *connect.Entry, errs *place.Errors) {
	value := func(column place.Text) string {
		if v := e.Values(column.Value); column.Value != "" && len(v) > 0 {
			return v[0].Value
		}
		return ""
	}
	word := func(column place.Text, always string) string {
		text := cmp.Or(value(column), always)
		return cmp.Or(t.Words[text], text)
	}
	h := gate.Holding{
		Account: value(t.Columns.Account),
		Group:   value(t.Columns.Group),
		Object:  word(t.Columns.Object, t.Object),
		Right:   word(t.Columns.Right, t.Right),
	}
	if h.Account == "" && h.Group == "" {
		errs.Addf(e.Place, "the line names no account: its column %s is empty", t.Columns.Account.Value)
		return
	}
	if h.Account != "" {
		a := t.accounts[h.Account]
		if a == nil {
			a = &reading.Account{Name: h.Account, Active: true}
			t.accounts[h.Account] = a
		}
		a.Active = a.Active && !off(value(t.Columns.Active))
		if used := value(t.Columns.Used); used != "" {
			a.Note = "last used " + used
		}
	}
	says := h.Right != "" || h.Object != ""
	if h.Group == "" {
		if says {
			t.holdings = append(t.holdings, h)
		}
		return
	}
	if t.members[h.Group] == nil {
		t.members[h.Group] = map[string]bool{}
	}
	account := h.Account
	h.Account = ""
	switch {
	case account == "" && says: // the line is of the group itself
		t.holdings = append(t.holdings, h)
	case account != "":
		t.members[h.Group][account] = true
		if says {
			t.through[h] = append(t.through[h], account)
		}
	}
}

// off says whether a word says that an account cannot be used.
func off(word string) bool {
	return slices.Contains([]string{"no", "false", "0", "off", "inactive", "disabled", "locked"}, strings.ToLower(word))
}
