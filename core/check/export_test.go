package check

// OneByOne sets at how many people is looked one by one, and gives what was set before.
func OneByOne(most int) (before int) {
	before, looked = looked, most
	return before
}
