package reading

// Many sets from how many suspects on what is given is marked; restore sets it back.
func Many(n int) (restore func()) {
	before := many
	many = n
	return func() { many = before }
}
