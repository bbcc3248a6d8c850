package check

import (
	"fmt"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/name"
)

var loneAttributes = Analyzer{
	Name: "lone-attributes",
	Doc:  "Attributes that one user alone has and that are spelled nearly as one that many have.",
	Run: func(p *Pass) {
		book := p.Atlas.Book
		var many []string
		var lone []directory.AttributeUse
		for _, use := range book.AttributeUses() {
			if use.Users == 1 {
				lone = append(lone, use)
			} else if use.Users >= common {
				many = append(many, use.Name)
			}
		}
		for _, use := range lone {
			near := name.NearWithin(use.Name, 2, slices.Values(many))
			if len(near) == 0 {
				continue
			}
			full := book.UserName(use.First)
			p.Add(finding.New(finding.LoneAttribute, book.User(use.First).Place,
				fmt.Sprintf("Only %s has the attribute %s%s", full, use.Name, name.DidYouMean(near)),
				"Correct the name of the attribute, if it is misspelt.", use.Name, full))
		}
	},
}

// common is how many users have an attribute for which another may be a misspelling.
const common = 5
