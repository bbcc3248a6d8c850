package delivery

import (
	"gatemap/core/gate"
	"gatemap/core/reading"
	"gatemap/core/rule"
)

// ByAccount is Compute for systems that know no groups of ours: each account is granted what its
// user holds by the map.
func ByAccount(c *reading.Compiled, t gate.Type) (*Wanted, error) {
	w, err := compute(c, t, (*computing).each)
	if err != nil {
		return nil, err
	}
	there := c.ByReading()
	w.Held = map[string][]Permission{}
	for i := range c.Accounts {
		account := c.Accounts[i].Name
		there.Account(c, account)
		for _, e := range there.Holds() {
			w.Held[account] = append(w.Held[account], Permission{e.Object, e.Right})
		}
	}
	return w, nil
}

// each lists what every user holds by the map.
func (m *computing) each() {
	m.ask.System().Gate.Given(func(x rule.Given) { m.lists(Permission{x.Object, x.Right}) })
	for _, u := range rule.Candidates(m.book, m.ask.System().Site.Index.All()) {
		m.ask.About(u)
		w := whom{user: true, id: u}
		for _, e := range m.ask.Holds() {
			if m.of.Has(e.Object) && !m.of.Can(e.Object, e.Right) {
				continue // it is about what lies below
			}
			x := candidate{Permission: Permission{e.Object, e.Right}, looked: true, depends: e.State != rule.Open}
			full := m.ask.Told(e.Object, e.Right)
			for _, n := range full.Needs {
				x.needs = append(x.needs, string(n))
			}
			if len(full.Routes) > 0 {
				x.line = full.Routes[0].Mapping
			}
			if !m.of.Has(e.Object) {
				m.left.Add(x.line, "", ByObject, x.Permission)
				continue
			}
			m.at[w] = append(m.at[w], x)
		}
	}
}
