package federation

import (
	"cmp"
	"path"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
)

// compiled is the compiled gate.
type compiled struct {
	system  string
	index   *rule.Index
	parties []*party
	byName  []*party               // in the order of their names
	gifts   []gift                 // what groups give by rules: one rule after the other
	byGroup rule.ByGroup[[]uint32] // the numbers of what a group gives
}

type party struct {
	of       *compiled
	name     string
	claims   []claim
	lines    rule.LineSet // the claims
	all      rule.LineSet // the claims and the statements
	first    uint32       // number of the first of them; the others follow
	permits  []*statement
	decision *rule.Decision // on signing in
	door     *rule.Door     // the same, before what a sign-in carries
}

type claim struct {
	*rule.Rule
	doc        *Claim
	fromGroups bool
	from       string // folded
	name       string
	value      string // that it has written
	right      string // of that
	// groups are the values of the groups that count here and give one; gifts are the
	// numbers of these.
	groups         rule.ByGroup[given]
	gifts, giftsTo uint32
}

// statement is a statement that permits.
type statement struct {
	*rule.Rule
	test *Test
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	b := &compiled{system: s.System.Name, index: &s.Index}
	for i := range d.Parties {
		p := &d.Parties[i]
		if b.find(p.Party.Value) != nil {
			s.Errors.Addf(p.Party.Place, "relying party %s is here twice", p.Party.Value)
		}
		b.parties = append(b.parties, b.party(s, p))
	}
	b.number(s)
	b.byName = slices.Clone(b.parties)
	slices.SortStableFunc(b.byName, func(x, y *party) int { return strings.Compare(x.name, y.name) })
	return b
}

func (b *compiled) party(s *gate.Site, d *Party) *party {
	p := &party{of: b, name: d.Party.Value, decision: &rule.Decision{Index: b.index, Nearest: &rule.Level{}}}
	p.door = &rule.Door{
		Decision: p.decision,
		Reason:   rule.ByAdmit,
		At:       b.system + "/" + p.name + " admit",
		None:     "no statement lets the user in",
	}
	if d.Default == "permit" {
		p.decision.Default = []rule.Route{{Mapping: b.system + "/" + p.name + " default", Path: []rule.Hop{}}}
	}
	p.decision.Finish = func(q *rule.Question, state rule.State, _ *rule.Rule) (x rule.Extra) {
		if state != rule.None {
			x.Claims = claims(p.carried(q, "", nil))
		}
		return x
	}
	p.claims = make([]claim, len(d.Claims))
	for i := range d.Claims {
		c := &p.claims[i]
		*c = p.claim(s, i, &d.Claims[i])
		if i == 0 {
			p.first = c.Number()
		}
		p.lines.Add(c.Rule)
	}
	for i := range d.Admit {
		p.statement(s, i, &d.Admit[i])
	}
	p.all = p.decision.Lines()
	p.all.Join(p.lines)
	return p
}

func (p *party) claim(s *gate.Site, i int, d *Claim) claim {
	line := s.Numbered(p.name+" claim "+d.Claim, i, d.Place)
	sources := 0
	for _, is := range []bool{d.From != "", d.FromGroups, d.Value != "" && !d.FromGroups} {
		if is {
			sources++
		}
	}
	if sources != 1 {
		s.Errors.Addf(d.Place, "claim %s takes its values from one place: from, from_groups: true, or value", d.Claim)
	}
	c := claim{
		doc:        d,
		fromGroups: d.FromGroups,
		from:       name.Fold(d.From),
		name:       d.Claim,
		value:      d.Value,
		right:      claimRight(d.Claim, d.Value),
	}
	if !d.Who.Empty() {
		c.Rule = s.Rule(line, &d.Who, nil, rule.Giving)
	} else {
		c.Rule = s.EveryoneBut(line, &d.Who, nil, rule.Giving)
	}
	if d.FromGroups && !d.Off {
		start, part := d.Matching.literals()
		c.groups = gate.Named(s, start, part, func(group string) (given, bool) {
			value, ok := d.valueOf(group)
			return given{value, claimRight(d.Claim, value)}, ok
		})
	}
	return c
}

// number gives what groups give its numbers.
func (b *compiled) number(s *gate.Site) {
	all := map[directory.GroupID][]uint32{}
	for _, p := range b.parties {
		for i := range p.claims {
			c := &p.claims[i]
			c.gifts = uint32(len(b.gifts))
			for g, gives := range c.groups.All() {
				all[g] = append(all[g], uint32(len(b.gifts)))
				b.gifts = append(b.gifts, gift{gives, g})
			}
			c.giftsTo = uint32(len(b.gifts))
		}
	}
	b.byGroup = rule.NewByGroup(s.Book.Groups(), all)
}

// statement compiles a statement: about who the user is, or about a claim.
func (p *party) statement(s *gate.Site, i int, d *Statement) {
	line := s.Numbered(p.name+" admit", i, d.Place)
	if (d.Permit == nil) == (d.Refuse == nil) {
		s.Errors.Addf(d.Place, "line %s is either permit or refuse", line.Name)
		return
	}
	t, effect := d.Permit, rule.Giving
	if t == nil {
		t, effect = d.Refuse, rule.Taking
	}
	fits := 0
	for _, f := range []*string{t.Is, t.Starts, t.Ends} {
		if f != nil {
			fits++
		}
	}
	x, who := &statement{test: t}, t.Who
	who.Off = who.Off || d.Off
	switch {
	case t.Claim == "" && fits == 0:
		x.Rule = s.Rule(line, &who, nil, effect)
	case t.Claim == "" || fits != 1 || !t.Who.Empty():
		s.Errors.Addf(
			d.Place,
			"line %s is about a claim with one of is, starts and ends, or about who the user is",
			line.Name,
		)
		return
	default:
		x.Rule = s.EveryoneBut(line, &who, nil, effect)
		x.Only, x.Tested = &carries{party: p, test: t, lines: p.adding(t.Claim)}, true
	}
	x.Reason = rule.ByAdmit
	switch {
	case x.Off():
	case effect == rule.Giving:
		p.permits = append(p.permits, x)
		p.decision.Nearest.Gives.Add(x.Rule)
	default:
		p.decision.Nearest.Takes.Add(x.Rule)
	}
}

// valueOf is the value that a group of some name gives.
func (d *Claim) valueOf(group string) (value string, ok bool) {
	if fits, _ := path.Match(d.Matching.Value, group); d.Matching.Value != "" && !fits {
		return "", false
	}
	value = cmp.Or(d.Value, group)
	re := d.Pattern.Regexp
	if re == nil {
		return value, true
	}
	match := re.FindStringSubmatchIndex(group)
	if match == nil {
		return "", false
	}
	return string(re.ExpandString(nil, value, group, match)), true
}

func (b *compiled) find(written string) *party {
	for _, p := range b.parties {
		if p.name == written {
			return p
		}
	}
	return nil
}

// names yields the relying parties.
func (b *compiled) names(yield func(string) bool) {
	for _, p := range b.parties {
		if !yield(p.name) {
			return
		}
	}
}
