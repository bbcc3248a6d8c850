package directory_test

import (
	"fmt"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

func ExampleBook_Members() {
	var errs place.Errors
	book := directory.Build([]*directory.Document{{
		Name:  "cindervale",
		Users: []*directory.User{{Name: "ilse.okonjo"}},
		Groups: []*directory.Group{
			{Name: "night-crew", Members: &directory.Members{Users: []name.Ref{{Name: "ilse.okonjo"}}}},
			{Name: "dome-access", Members: &directory.Members{Groups: []name.Ref{{Name: "night-crew"}}}},
		},
	}}, &errs)
	group, _ := book.FindGroup("dome-access", "")
	for _, m := range book.Members(group) {
		fmt.Println(book.UserName(m.User), m.How)
		for _, step := range m.Path {
			fmt.Println(" ", book.GroupName(step.Group), step.How)
		}
	}
	// Output:
	// cindervale/ilse.okonjo nested
	//   cindervale/night-crew direct
	//   cindervale/dome-access nested
}
