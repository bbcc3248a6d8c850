package reading

// Many sets from how many suspects on what is given is marked, and from which word on no mark tells
// which; restore sets them back.
func Many(suspects int, word uint8) (restore func()) {
	suspected, far := many, several
	many, several = suspects, word
	return func() { many, several = suspected, far }
}
