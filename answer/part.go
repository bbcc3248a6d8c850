package answer

import "fmt"

// Missing says what an answer leaves out, in words; "" if it is whole.
func (o *Outcome) Missing() string {
	switch {
	case o.Looked > 0:
		return fmt.Sprintf("it was computed for %d people of those that it may touch%s", o.Looked, after(o.Next, ", and "))
	default:
		return after(o.Next, "")
	}
}

// Missing says what an answer leaves out, in words; "" if it is whole.
func (p *Page) Missing() string { return after(p.Next, "") }

// Missing says what an answer leaves out, in words; "" if it is whole.
func (r *Revisions) Missing() string { return after(r.Next, "") }

// Missing says what an answer leaves out, in words; "" if it is whole.
func (r *Runs) Missing() string { return after(r.Next, "") }

// Missing says what an answer leaves out, in words; "" if it is whole.
func (p *Preview) Missing() string {
	if p.Looked >= p.Touched {
		return ""
	}
	return fmt.Sprintf("gains and losses are computed for %d of the %d people that the run touches", p.Looked, p.Touched)
}

func after(cursor, and string) string {
	if cursor == "" {
		return ""
	}
	return and + "there is more after it: --cursor " + cursor
}
