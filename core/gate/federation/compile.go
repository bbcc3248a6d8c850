package federation

import (
	"cmp"
	"path"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// bureau is the compiled gate.
type bureau struct {
	system  string
	parties []party
	byName  []int // the parties in the order of their names
	gifts   gate.ByGroup[[]gift]
}

// TakesName says whether a claim is made of the name of a group.
func (b *bureau) TakesName(group string) bool {
	return slices.ContainsFunc(b.parties, func(p party) bool {
		return slices.ContainsFunc(p.claims, func(c claim) bool {
			if !c.doc.FromGroups {
				return false
			}
			_, ok := c.doc.valueOf(group)
			return ok
		})
	})
}

type party struct {
	name   string
	claims []claim
	crowds gate.Held // of the claims
	first  uint32    // number of the crowd of the first claim; the others follow
	roster *gate.Roster
	admit  []statement
	permit bool // the default
	tests  *directory.Memo[gate.Heed]
}

type claim struct {
	line   gate.Line
	doc    *Claim
	from   string // folded
	limits bool   // it has a who of its own
	crowd  *gate.Crowd
	right  string // of the value that it has written
	// groups are the values of the groups that count here and give one.
	groups gate.ByGroup[given]
}

type statement struct {
	line   gate.Line
	permit bool
	test   *Test
	who    bool
	crowd  *gate.Crowd
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	b := &bureau{system: s.System.Name}
	for i := range d.Parties {
		p := &d.Parties[i]
		if b.find(p.Party.Value) != nil {
			s.Errors.Addf(p.Party.Place, "relying party %s is here twice", p.Party.Value)
		}
		b.parties, b.byName = append(b.parties, compileParty(s, p)), append(b.byName, i)
	}
	b.gifts = gate.NewByGroup(s.Book.Groups(), b.allGifts())
	slices.SortStableFunc(b.byName, func(x, y int) int { return strings.Compare(b.parties[x].name, b.parties[y].name) })
	return b
}

func compileParty(s *gate.Site, d *Party) party {
	p := party{name: d.Party.Value, permit: d.Default == "permit", roster: &s.Roster, tests: &directory.Memo[gate.Heed]{}}
	for i := range d.Claims {
		c := &d.Claims[i]
		line := s.Numbered(p.name+" claim "+c.Claim, i, c.Place)
		sources := 0
		for _, is := range []bool{c.From != "", c.FromGroups, c.Value != "" && !c.FromGroups} {
			if is {
				sources++
			}
		}
		if sources != 1 {
			s.Errors.Addf(c.Place, "claim %s takes its values from one place: from, from_groups: true, or value", c.Claim)
		}
		compiled := claim{line: line, doc: c, from: name.Fold(c.From), limits: !c.Who.Empty(), right: claimRight(c.Claim, c.Value)}
		if compiled.limits {
			compiled.crowd = s.Who(&c.Who, line, gate.Giving)
		} else {
			compiled.crowd = s.EveryoneBut(c.Except, line, gate.Giving)
		}
		if c.Off {
			compiled.crowd.SwitchOff()
		}
		if c.FromGroups {
			compiled.groups = gate.NewByGroup(s.Book.Groups(), groupValues(s, c))
			for g := range compiled.groups.All() {
				s.Named = append(s.Named, g) // it opens something: a claim
			}
		}
		if i == 0 {
			p.first = compiled.crowd.Number()
		}
		p.crowds.Add(compiled.crowd)
		p.claims = append(p.claims, compiled)
	}
	for i := range d.Admit {
		if statement := compileStatement(s, p.name, i, &d.Admit[i]); !d.Admit[i].Off {
			p.admit = append(p.admit, statement)
		} else if statement.crowd != nil {
			statement.crowd.SwitchOff()
		}
	}
	return p
}

func compileStatement(s *gate.Site, party string, i int, d *Statement) statement {
	line := s.Numbered(party+" admit", i, d.Place)
	c := statement{line: line, permit: d.Permit != nil, test: d.Permit}
	if (d.Permit == nil) == (d.Refuse == nil) {
		s.Errors.Addf(d.Place, "line %s is either permit or refuse", line.Name)
		c.test = &Test{}
		return c
	}
	effect := gate.Giving
	if !c.permit {
		c.test, effect = d.Refuse, gate.Taking
	}
	t := c.test
	fits := 0
	for _, f := range []*string{t.Is, t.Starts, t.Ends} {
		if f != nil {
			fits++
		}
	}
	if c.who = t.Claim == ""; !c.who {
		s.Statements = append(s.Statements, line.Name)
	}
	switch {
	case c.who && fits == 0:
		c.crowd = s.Who(&t.Who, line, effect)
	case c.who || fits != 1 || !t.Who.Empty():
		s.Errors.Addf(d.Place, "line %s is about a claim with one of is, starts and ends, or about who the user is", line.Name)
	}
	return c
}

// groupValues are the values that groups give by a claim rule.
func groupValues(s *gate.Site, d *Claim) map[directory.GroupID]given {
	values := map[directory.GroupID]given{}
	start, part := d.Matching.literals()
	for g, group := range s.Book.GroupsFrom(start) {
		if !strings.HasPrefix(group, start) || !strings.Contains(group, part) {
			continue
		}
		if value, ok := d.valueOf(group); ok && s.Counts(g) {
			values[g] = given{value, claimRight(d.Claim, value)}
		}
	}
	return values
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

// Heeds says which claims statements test, and for one claim who has the value in
// question. Attributes and names of groups that give claims are shown.
func (b *bureau) Heeds(book *directory.Book, at gate.Point) gate.Heed {
	var h gate.Heed
	if p, ok := at.(*point); ok {
		h = p.party.tested(book)
		if p.claim != "" {
			h.Join(p.party.heed(book, p.claim, p.is))
		}
		return h
	}
	for i := range b.parties {
		p := &b.parties[i]
		h.Join(p.tested(book))
		for j := range p.claims {
			c := &p.claims[j]
			if c.from != "" {
				h.Shown = append(h.Shown, c.from)
			}
			var groups []directory.GroupID
			for g := range c.groups.All() {
				groups = append(groups, g)
			}
			h.ShownGroups = append(h.ShownGroups, groups)
		}
	}
	return h
}

// tested is what statements test of claims, computed once for a book.
func (p *party) tested(book *directory.Book) gate.Heed {
	return p.tests.Of(book, func() (h gate.Heed) {
		p.eachTest(func(t *Test) { h.Join(p.heed(book, t.Claim, t.fits)) })
		return h
	})
}

// heed is what says whether a user has a claim with a value that fits, besides
// the crowds of the rules.
func (p *party) heed(book *directory.Book, claim string, fits func(string) bool) gate.Heed {
	var h gate.Heed
	for i := range p.claims {
		c := &p.claims[i]
		if c.doc.Claim != claim {
			continue
		}
		for g, gives := range c.groups.All() {
			if fits(gives.value) {
				h.Groups = append(h.Groups, g)
			}
		}
		if c.from != "" {
			h.Users = append(h.Users, book.Parted(c.from, func(v []filter.Value) bool { return anyFits(v, fits) }))
		}
	}
	return h
}

// eachTest visits the tests of claims in statements.
func (p *party) eachTest(visit func(*Test)) {
	for i := range p.admit {
		if t := &p.admit[i]; !t.who {
			visit(t.test)
		}
	}
}

func (b *bureau) find(written string) *party {
	for i := range b.parties {
		if b.parties[i].name == written {
			return &b.parties[i]
		}
	}
	return nil
}

// HasParty says whether there is a relying party of that name.
func (b *bureau) HasParty(written string) bool { return b.find(written) != nil }

// PartyNames yields the relying parties.
func (b *bureau) PartyNames(yield func(string) bool) {
	for i := range b.parties {
		if !yield(b.parties[i].name) {
			return
		}
	}
}

// Carries says whether a user is admitted to a party with a claim of that
// value, whatever the state of the account.
func (b *bureau) Carries(q *gate.Question, written, claim, value string) bool {
	p := b.find(written)
	if p == nil {
		return false
	}
	is := func(v string) bool { return v == value }
	return p.admitted(q) == gate.Open && p.carries(q, claim, is)
}
