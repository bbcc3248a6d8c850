package check

// Look sets at how many people is looked one by one, and gives what was set before.
func Look(most int) (before int) {
	before, looked = looked, most
	return before
}
