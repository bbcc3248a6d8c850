package answer

import "fmt"

// Part says of which people an outcome is, in words, where it is not of all; otherwise "".
func (o *Outcome) Part() string {
	switch o.Looked {
	case 0:
		return ""
	case 1:
		return "computed for 1 person of those that it may touch"
	}
	return fmt.Sprintf("computed for %d people of those that it may touch", o.Looked)
}

// Missing says what an answer leaves out, in words; "" if it is whole.
func (o *Outcome) Missing() string {
	if o.Part() != "" && o.Next != "" {
		return o.Part() + ", and " + rest(o.Next)
	}
	return o.Part() + rest(o.Next)
}

// Missing says what an answer leaves out, in words; "" if it is whole.
func (p *Preview) Missing() string {
	if p.Looked >= p.Touched {
		return ""
	}
	return fmt.Sprintf("gains and losses are computed for %d of the %d people that the run touches", p.Looked, p.Touched)
}

// Missing says what an answer leaves out, in words; "" if it is whole.
func (p *Page) Missing() string { return rest(p.Next) }

// Missing says what an answer leaves out, in words; "" if it is whole.
func (r *Revisions) Missing() string { return rest(r.Next) }

// Missing says what an answer leaves out, in words; "" if it is whole.
func (r *Runs) Missing() string { return rest(r.Next) }

func rest(cursor string) string {
	if cursor == "" {
		return ""
	}
	return "there is more after it: --cursor " + cursor
}
