package directory

// FewGroups sets how many groups are searched through, and gives what was set before.
func FewGroups(few int) (before int) {
	before, fewGroups = fewGroups, few
	return before
}
