package ldap

// ByName makes a connection compare everything by name, as with a server that does not tell
// what has changed.
func (c *Conn) ByName() { c.heavy = true }

// IsByName says whether it does.
func (c *Conn) IsByName() bool { return c.heavy }
