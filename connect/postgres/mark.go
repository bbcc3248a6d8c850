package postgres

import (
	"strings"

	"gatemap/connect"
)

// purpose is what a role of ours is for. The last line of the comment of a role that is delivered is
// the mark of the map with it.
type purpose string

const (
	forGroup   purpose = ""
	forOne     purpose = ", for one account" // it holds what one account is given
	forAccount purpose = ", an account"      // it is an account, which may be switched off
)

// marked is the comment of a role with the mark of a map.
func (r *role) marked(mark connect.Mark, is purpose) string {
	line := mark.String() + string(is)
	if r == nil || r.comment == "" {
		return line
	}
	if by, _ := r.mark(); by.Map != "" { // its last line is a mark already
		return r.comment[:strings.LastIndexByte(r.comment, '\n')+1] + line
	}
	return r.comment + "\n" + line
}

// mark is the map that delivers a role, and what the role is for; the zero Mark: none does.
func (r *role) mark() (by connect.Mark, is purpose) {
	own := r.comment[strings.LastIndexByte(r.comment, '\n')+1:]
	for _, x := range []purpose{forOne, forAccount} {
		if rest, of := strings.CutSuffix(own, string(x)); of {
			own, is = rest, x
			break
		}
	}
	if by = connect.ParseMark(own); by == (connect.Mark{}) {
		return by, forGroup
	}
	return by, is
}

// personal are the roles that stand for one account, with that: nobody else has what they have.
func (c *catalog) personal() map[uint32]uint32 {
	in, all := map[uint32][]uint32{}, map[uint32]uint32{}
	for _, e := range c.edges {
		in[e.in] = append(in[e.in], e.member)
	}
	for id, r := range c.roles {
		if _, is := r.mark(); is != forOne || r.login || len(in[id]) != 1 {
			continue
		}
		if account := c.roles[in[id][0]]; account != nil && account.login && account.inherits {
			all[id] = account.id
		}
	}
	return all
}
